#include "deliver/pictures/material_picture.h"

#include "base/error.h"
#include "deliver/pictures/recipe_picture.h"
#include "deliver/pictures/sample_scene.h"
#include "document/edits/aim.h"
#include "document/edits/edits.h"
#include "document/materials/cloud_material.h"
#include "eval/checks/cloud_checks.h"

namespace ovrix::deliver {

namespace fs = std::filesystem;

namespace {

struct Stage : SampleScene {
    /// A rectangle that shines at the ball.
    void light(const std::string& name, const V3f& from, const V3f& to,
               const std::vector<std::pair<const char*, const char*>>& values) {
        d = withLightAimed(d, add("area", name, values), from, to, 1);
    }
};

/// A pelt of short strands.
void addStrands(Stage& s, const std::string& ball, const std::string& material) {
    Node layer = makeNode(s.d, "layer", "Strands");
    layer.params[kLayer.surface.id()].value = ball;
    layer.params[kLayer.material.id()].value = material;
    for (const char* step : {"scatter", "grow", "frizz", "strand_width"})
        layer.steps.push_back(makeStep(step, layer));
    const std::string id = layer.id;
    s.d.put(std::move(layer));
    for (const auto& [path, text] : {std::pair{"scatter/count", "16000"},
                                     {"grow/length", "0.22..0.3"},
                                     {"grow/lean", "50"},
                                     {"grow/bend", "30"},
                                     {"frizz/amplitude", "0.006"},
                                     {"strand_width/root", "3"},
                                     {"strand_width/tip", "0.6"}})
        s.set(id + "/" + path, text);
}

/// The ball's inside as points, and not the ball.
/// Matter of any scale is shown as if it were of the ball's.
void addPoints(Stage& s, const std::string& ball, const std::string& material) {
    constexpr double kDeep = 6.0, kThick = 0.67;  // optical depth and metres of the ball
    const CloudThickness t = cloudThickness(s.d, s.d.get(material), 1);
    if (t.density > 0.0) {
        const double larger = kDeep / (t.density * kThick);
        s.d = withCloudDensity(s.d, material, kDeep / kThick, 1);
        s.d = withValue(s.d, {material, "", kCloudTintDepth}, std::clamp(t.tintDepth / larger, 1e-6, 1e6));
    }
    Node layer = makeNode(s.d, "layer", "Cloud");
    layer.params[kLayer.material.id()].value = material;
    layer.steps.push_back(makeStep("fill_volume", layer));
    const std::string id = layer.id;
    s.d.put(std::move(layer));
    s.set(id + "/fill_volume/of", ball);
    s.set(id + "/fill_volume/spacing", "0.012");
    s.set(id + "/fill_volume/pattern", "jittered");
    Node hidden = s.d.get(ball);
    hidden.rendered = hidden.shown = false;
    s.d.put(std::move(hidden));
}

}  // namespace

Document materialSample(const PartsFile& file, float aspect) {
    Stage s;
    for (const NodePtr& light : s.d.nodes(Category::Light)) s.d.remove(light->id);
    std::string material;
    s.d = withMaterialFile(s.d, file, &material);
    const std::string floor =
        s.add("surface", "Floor", {{"base_color", "0.42,0.42,0.43"}, {"specular_roughness", "0.7"}});
    s.set(s.add("ground", "Ground", {}) + "/material", floor);
    const NodeType& type = *findNodeType(s.d.get(material).type);
    const bool strands = type.forStrands;
    const std::string ball =
        s.add("sphere", "Ball",
              {{"radius", strands ? "0.36" : "0.5"}, {"segments", "96"}, {"position", "0,0.5,0"}});
    if (strands)
        addStrands(s, ball, material);
    else if (type.forPoints)
        addPoints(s, ball, material);
    else
        s.set(ball + "/material", material);
    // A soft key from the left, a strip behind that draws the rim, and a dim sky.
    const V3f middle(0, 0.5f, 0);
    s.light("Key", {-2.2f, 2.8f, 2.2f}, middle, {{"width", "1.6"}, {"height", "1.6"}, {"power", "5"}});
    s.light("Rim", {2.4f, 1.6f, -1.6f}, middle, {{"width", "0.6"}, {"height", "2.4"}, {"power", "7"}});
    s.add("dome", "Sky", {{"color", "0.55,0.62,0.7"}, {"exposure", "-1.6"}});
    const std::string camera = s.d.renderSetting(kRender.camera);
    s.set(camera + "/position", "0,1.75,2.75");  // the horizon lies above the picture
    s.set(camera + "/target", "0,0.46,0");
    s.d = withValue(s.d, {camera, "", kCamera.focal.id()}, 90.0 / double(aspect));  // as high in all
    s.set("render/width", "240");
    s.set("render/height", "160");
    return s.d;
}

void writeMaterialPicture(const PartsFile& file, const fs::path& path, Progress& progress) {
    Evaluator evaluator(kSampleMemory);
    writeSamplePicture(materialSample(file), evaluator, file.name, 48, path, progress);
}

}  // namespace ovrix::deliver
