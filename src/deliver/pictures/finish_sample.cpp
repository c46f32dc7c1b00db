#include "deliver/pictures/finish_sample.h"

#include "deliver/pictures/frame_render.h"
#include "deliver/pictures/recipe_picture.h"
#include "deliver/pictures/sample_scene.h"
#include "document/model/values.h"
#include "io/denoiser/denoiser.h"

namespace ovrix::deliver {

Document finishSample(const PartsFile& finish) {
    SampleScene s;
    const auto wears = [&s](const std::string& node, const std::string& material) {
        s.set(node + "/material", material);
    };
    const std::string sand =
        s.add("surface", "Sand", {{"base_color", "0.42,0.33,0.24"}, {"specular_roughness", "0.5"}});
    const std::string rock =
        s.add("surface", "Rock", {{"base_color", "0.12,0.13,0.15"}, {"specular_roughness", "0.35"}});
    const std::string shell =
        s.add("surface", "Shell", {{"base_color", "0.7,0.24,0.16"}, {"specular_roughness", "0.2"}});
    wears(s.add("ground", "Ground"), sand);
    const struct {
        const char *place, *radius;
        const std::string& material;
    } balls[] = {{"-0.35,0.3,0.3", "0.3", shell}, {"0.55,0.42,-0.9", "0.42", rock},
                 {"-1.3,0.6,-2.6", "0.6", rock},  {"0.9,0.12,0.5", "0.12", shell},
                 {"2.6,0.9,-5.5", "0.9", rock},   {"-3.4,1.1,-8", "1.1", sand}};
    for (const auto& ball : balls)
        wears(
            s.add("sphere", "Ball", {{"position", ball.place}, {"radius", ball.radius}, {"segments", "64"}}),
            ball.material);
    s.set("sun", {{"elevation", "14"}, {"azimuth", "-64"}});
    s.set(s.d.renderSetting(kRender.camera),
          {{"position", "0.2,0.75,3.4"}, {"target", "0,0.42,0"}, {"focal", "34"}});
    s.set("render", {{"width", "240"}, {"height", "160"}, {"samples", "32"}});
    return withFinishFile(s.d, finish);
}

void writeFinishPicture(const PartsFile& finish, const std::filesystem::path& path, Progress& progress) {
    Evaluator evaluator(kSampleMemory);
    FrameRenderer renderer(SceneContext(finishSample(finish)), evaluator);
    const auto rendered = renderer.render({.denoise = hasDenoiser()}, progress);
    std::filesystem::create_directories(path.parent_path());
    saveRender(path, rendered->picture(), rendered->job, defaultWriteOptions(path));
}

}  // namespace ovrix::deliver
