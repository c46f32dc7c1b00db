// ovrix-cli render.
#include <fmt/format.h>
#include <tbb/global_control.h>

#include <ostream>
#include <sstream>
#include <thread>

#include "base/error.h"
#include "base/files.h"
#include "cli/commands.h"
#include "cli/scene_command.h"
#include "deliver/render_file.h"
#include "deliver/render_scene_builder.h"
#include "io/denoiser/denoiser.h"
#include "io/formats/format.h"
#include "io/image/image_io.h"
#include "io/video/video_writer.h"
#include "render/shade/bsdf.h"

namespace ovrix::cli {

namespace {

std::vector<int> numbersIn(const std::string& text, char by, size_t count, const char* wanted) {
    std::vector<int> out;
    std::string part;
    std::stringstream in(text);
    while (std::getline(in, part, by)) {
        if (part.empty() || part.size() > 8 || part.find_first_not_of("-0123456789") != std::string::npos)
            break;
        out.push_back(std::atoi(part.c_str()));
    }
    if (out.size() != count) throw Error("\"" + text + "\" is not " + wanted);
    return out;
}

std::pair<int, int> frameRange(const RenderArgs& a) {
    if (a.frames.empty()) return {int(a.frame), int(a.frame)};
    return framesIn(a.frames);
}

/// 0 for that of the scene.
std::pair<int, int> sizeOf(const RenderArgs& a) {
    if (a.size.empty()) return {0, 0};
    const auto s = numbersIn(a.size, 'x', 2, "a size like 1280x720");
    if (s[0] < 1 || s[1] < 1 || s[0] > 32768 || s[1] > 32768)
        throw Error("the size must be 1 to 32768 pixels a side", a.size);
    return {s[0], s[1]};
}

Rect regionOf(const RenderArgs& a, const RenderJob& job) {
    if (a.region.empty()) return {0, 0, job.width, job.height};
    const auto r = numbersIn(a.region, ',', 4, "a region like 10,20,300,200");
    const Rect rect{r[0], r[1], r[2], r[3]};
    if (rect.x < 0 || rect.y < 0 || rect.width < 1 || rect.height < 1 || rect.x + rect.width > job.width ||
        rect.y + rect.height > job.height)
        throw Error(fmt::format("the region does not lie in the picture of {} x {}", job.width, job.height),
                    a.region);
    return rect;
}

bool isVideo(const std::string& path) {
    const Format* format = formatOf(path);
    return format && format->can(Use::WriteVideo);
}

WriteOptions writeOptions(const RenderArgs& a) {
    WriteOptions o = defaultWriteOptions(a.out);
    if (a.depth == "8") o.depth = PixelDepth::Bits8;
    if (a.depth == "16") o.depth = PixelDepth::Bits16;
    if (a.depth == "half") o.depth = PixelDepth::Half;
    if (a.depth == "float") o.depth = PixelDepth::Float;
    return o;
}

/// Renders one frame after another of an opened scene.
class FrameRenderer {
  public:
    struct Rendered {
        RenderJob job;
        Film film;
        std::optional<std::vector<V3f>> clean;
    };

    FrameRenderer(const Common& common, const RenderArgs& args)
        : common_(common), args_(args), opened_(args.scene), builder_(opened_.evaluator) {}

    Rendered render(int frame) {
        const auto [width, height] = sizeOf(args_);
        RenderJob job = builder_.build(opened_.scene,
                                       {.frame = double(frame),
                                        .camera = args_.camera,
                                        .draft = args_.draft,
                                        .width = width,
                                        .height = height},
                                       Progress::none());
        if (width > 0) job.width = width, job.height = height;
        for (const std::string& p : job.problems) common_.err << "left out: " << p << "\n";
        if (args_.samples > 0) job.samples = args_.samples;
        const Rect region = regionOf(args_, job);
        requireFilmMemory(opened_.scene.document, job.width, job.height, job.groups.size());
        Film film(job.width, job.height, job.groups);
        const Renderer renderer(*job.scene, job.cameraFor(job.width, job.height), job.options, job.lights);
        for (int pass = 0; pass < job.samples; ++pass) {
            renderer.renderPass(film, uint32_t(pass), region, Progress::none());
            common_.err << fmt::format("\rframe {}: pass {} of {}", frame, pass + 1, job.samples)
                        << std::flush;
        }
        std::optional<std::vector<V3f>> clean;
        if (args_.denoise) clean = denoise(film, opened_.scene.document, Progress::none());
        common_.err << "\n";
        return {std::move(job), std::move(film), std::move(clean)};
    }

    double rate() const { return opened_.scene.document.rate(); }

  private:
    const Common& common_;
    const RenderArgs& args_;
    Opened opened_;
    RenderSceneBuilder builder_;
};

std::vector<std::string> renderPictures(const Common& common, const RenderArgs& a, FrameRenderer& frames) {
    const WriteOptions options = writeOptions(a);
    const auto [first, last] = frameRange(a);
    std::vector<std::string> files;
    for (int frame = first; frame <= last; ++frame) {
        const auto [job, film, clean] = frames.render(frame);
        files.push_back(frameName(a.out, frame, first != last));
        saveRender(files.back(), {film, clean ? &*clean : nullptr}, job, options);
        if (!common.json) common.out << files.back() << "\n";
    }
    return files;
}

std::vector<std::string> renderVideo(const Common& common, const RenderArgs& a, FrameRenderer& frames) {
    const auto [first, last] = frameRange(a);
    writeAtomically(a.out, [&, from = first, to = last](const std::filesystem::path& temporary) {
        std::unique_ptr<VideoWriter> video;
        std::vector<uint32_t> screen;
        for (int frame = from; frame <= to; ++frame) {
            const auto [job, film, clean] = frames.render(frame);
            if (!video) video = openVideo(temporary, a.out, {job.width, job.height, frames.rate()});
            if (clean)
                toScreen(*clean, job.finish, screen);
            else
                toScreen(film, job.finish, screen);
            video->add(screen);
        }
        video->finish();
    });
    if (!common.json) common.out << a.out << "\n";
    return {a.out};
}

}  // namespace

void render(const Common& common, const RenderArgs& a) {
    std::optional<tbb::global_control> limit;
    if (a.threads > 0) limit.emplace(tbb::global_control::max_allowed_parallelism, size_t(a.threads));
    const bool video = isVideo(a.out);
    // What is wrong with the request is said before the work.
    const auto [first, last] = frameRange(a);
    if (video && !a.depth.empty()) throw Error("a video has 8 bits", a.out, "Leave --depth out");
    if (!video) writeOptions(a), frameName(a.out, first, first != last);
    if (a.denoise) denoiser();
    const std::jthread warming([] { prepareImages(), prepareShading(); });  // beside the reading of meshes
    FrameRenderer frames(common, a);
    const auto files = video ? renderVideo(common, a, frames) : renderPictures(common, a, frames);
    if (common.json) common.out << jsonText(Json{{"files", files}}) << "\n";
}

}  // namespace ovrix::cli
