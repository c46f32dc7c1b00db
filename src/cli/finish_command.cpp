// ovrix-cli finish.
#include <fmt/format.h>

#include <charconv>
#include <ostream>

#include "base/error.h"
#include "base/files.h"
#include "cli/commands.h"
#include "cli/scene_command.h"
#include "deliver/pictures/file_passes.h"
#include "deliver/pictures/film_file.h"

namespace ovrix::cli {

namespace {

/// The camera that a picture was seen through: the scene's at that frame.
CameraOptions cameraFor(Opened& opened, const std::string& chosen, double frame) {
    const Document& document = opened.scene.document;
    const std::string id = chosen.empty() ? document.renderSetting(kRender.camera, frame) : chosen;
    auto camera = cameraOf(document, id, frame);
    if (!camera) throw Error("there is no such camera", id, "ovrix-cli info lists what is in the scene");
    const std::string layer = focusedLayer(document, id, frame);
    if (!layer.empty()) {
        const LayerResult made =
            opened.evaluator.layer(opened.scene, layer, {frame, Purpose::Render, true}, Progress::none());
        focusOnElement(document, id, frame, made.geometry, *camera);
    }
    return *camera;
}

/// The frame that a picture says it is of, or 1.
double frameOf(const LayeredPicture& file) {
    const auto at = file.notes.find("ovrix:frame");
    int frame = 1;
    if (at != file.notes.end())
        std::from_chars(at->second.data(), at->second.data() + at->second.size(), frame);
    return frame;
}

/// What was read, and how finishing sees it. Not to be moved.
struct ReadPicture {
    LayeredPicture file;
    std::optional<FilmFile> film;
    std::unique_ptr<PicturePasses> passes;
    std::vector<V3f> light;
    std::vector<float> alpha;
    double frame = 1;

    explicit ReadPicture(const FinishArgs& a) {
        if (endingOf(a.picture) == kFilmEnding) {
            film = readFilm(a.picture, kMemoryOfFile, Progress::none());
            const FilmNotes& n = film->notes;
            passes = std::make_unique<FilmPasses>(film->film, n.objectNames, n.layerNames, n.materialNames);
            light = a.denoise ? denoise(film->film, kMemoryOfFile, Progress::none()) : lightsOf(film->film);
        } else {
            if (a.denoise)
                throw Error("only films are denoised here", a.picture, "ovrix-cli denoise does EXR");
            file = readLayers(a.picture, kMemoryOfFile);
            passes = std::make_unique<FilePasses>(file);
            light = lightOf(file, a.picture);
            frame = frameOf(file);
        }
        const auto planes = passes->planes(Pass::Alpha);
        alpha = planes.empty() ? std::vector<float>(light.size(), 1.0f) : planes[0];
        if (a.frame) frame = *a.frame;
    }
};

Picture linearPicture(const FinishedPicture& finished) {
    Picture out{finished.width, finished.height, {}};
    addColors(out, "", finished.light);
    out.channels.push_back({"A", finished.alpha, false});
    return out;
}

Picture screenPicture(FinishedPicture finished, const FinishOptions& options) {
    toDisplay(finished.light, options);
    return linearPicture(finished);
}

}  // namespace

void tellFinish(const Common& common, const Document& document, const std::vector<StepReport>& steps) {
    const Node* node = document.settings("finish");
    for (const StepReport& r : steps) {
        const Step* step = node ? node->step(r.step) : nullptr;
        const std::string name = step ? step->type : r.step;
        if (!r.error.empty())
            common.err << fmt::format("{}: {}{}\n", name, r.error, r.remedy.empty() ? "" : ". " + r.remedy);
        if (!r.note.empty()) common.err << fmt::format("{}: {}\n", name, r.note);
    }
}

void finishFile(const Common& common, const FinishArgs& a) {
    WriteOptions options = defaultWriteOptions(a.out);
    Opened opened(a.scene);
    const ReadPicture read(a);
    const int width = read.passes->width(), height = read.passes->height();
    if (double(width) * height * kFinishBytes > double(kMemoryOfFile))
        throw Error(fmt::format("finishing a picture of {} x {} takes {}", width, height,
                                byteText(double(width) * height * kFinishBytes)),
                    a.picture, "Choose a smaller one");
    const std::string camera =
        a.camera.empty() ? opened.scene.document.renderSetting(kRender.camera, read.frame) : a.camera;
    const CameraOptions seen = cameraFor(opened, camera, read.frame);
    const auto exposure = float(opened.scene.document.value(camera, kCamera.exposure, read.frame));
    const FinishedPicture finished =
        finishPicture(opened.scene, {*read.passes, read.light, read.alpha, seen, read.frame, exposure},
                      opened.evaluator, false, Progress::none());
    tellFinish(common, opened.scene.document, finished.steps);
    if (endingOf(a.out) == ".exr") {
        writeImage(a.out, linearPicture(finished), options);
    } else {
        std::vector<std::string> problems;
        const FinishOptions screen = finishOptions(opened.scene, read.frame, exposure, problems);
        for (const std::string& p : problems) common.err << p << "\n";
        options.space = "Raw", options.screen = screen.screen;
        writeImage(a.out, screenPicture(finished, screen), options);
    }
    tellFile(common, a.out);
}

}  // namespace ovrix::cli
