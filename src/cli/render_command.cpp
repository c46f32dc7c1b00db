// ovrix-cli render.
#include <fmt/format.h>
#include <tbb/global_control.h>

#include <signal.h>

#include <chrono>
#include <csignal>
#include <ostream>
#include <sstream>
#include <thread>

#include "base/error.h"
#include "base/files.h"
#include "cli/commands.h"
#include "cli/scene_command.h"
#include "deliver/pictures/frame_render.h"
#include "deliver/pictures/preflight.h"
#include "deliver/pictures/render_file.h"
#include "deliver/render_scene_builder.h"
#include "deliver/shutter.h"
#include "eval/checks/checks.h"
#include "io/denoiser/denoiser.h"
#include "io/formats/format.h"
#include "io/image/image_io.h"
#include "io/video/video_writer.h"
#include "render/shade/bsdf.h"

namespace ovrix::cli {

namespace {

std::pair<int, int> frameRange(const RenderArgs& a) {
    if (a.frames.empty()) return {int(a.frame), int(a.frame)};
    return framesIn(a.frames);
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

WriteOptions writeOptions(const std::string& out, const std::string& depth) {
    WriteOptions o = defaultWriteOptions(out);
    if (depth == "8") o.depth = PixelDepth::Bits8;
    if (depth == "16") o.depth = PixelDepth::Bits16;
    if (depth == "half") o.depth = PixelDepth::Half;
    if (depth == "float") o.depth = PixelDepth::Float;
    return o;
}

/// Set when the program is asked to end: what has a film ends after the pass that is under way.
volatile std::sig_atomic_t stopAsked = 0;

void askForStop() {
    struct sigaction action = {};
    action.sa_handler = [](int) { stopAsked = 1; };
    action.sa_flags = SA_RESETHAND;  // asked twice it ends at once
    for (const int signal : {SIGINT, SIGTERM}) sigaction(signal, &action, nullptr);
}

/// Frames of an opened scene, one after another, with what is said of them.
class Frames {
  public:
    Frames(const Common& common, const RenderArgs& args)
        : common_(common),
          args_(args),
          opened_(args.scene),
          renderer_(sceneOf(opened_.scene, args), opened_.evaluator) {}

    /// What the render will be like.
    Preflight ahead(int first, int last) {
        const RenderJob job = args_.pieces ? renderer_.wholeJob(options(first), Progress::none())
                                           : renderer_.jobFor(options(first), Progress::none());
        return lookAhead(job, args_.out, last - first + 1, Progress::none());
    }
    std::vector<Check> checks(int frame) {
        return findChecks(opened_.scene, {}, opened_.evaluator, frame, Progress::none());
    }

    RenderedFrame render(int frame) {
        auto rendered = renderer_.render(options(frame), Progress::none());
        if (!rendered)
            throw Error("stopped; what there is of the picture is kept", args_.film,
                        "The same command goes on with it");
        common_.err << "\n";
        if (const std::string cut = cutText(cutShare(rendered->file.film)); !cut.empty())
            common_.err << cut << "\n";
        for (const std::string& p : rendered->job.problems) common_.err << "left out: " << p << "\n";
        if (rendered->finished) tellFinish(common_, opened_.scene.document, rendered->finished->steps);
        return std::move(*rendered);
    }

    /// Writes a picture of a frame, in pieces where it is larger than memory.
    void save(int frame, const std::string& file, const WriteOptions& options) {
        const FrameOptions o = this->options(frame);
        if (args_.pieces && !renderer_.fits(o, Progress::none())) {
            common_.err << "the picture is larger than the memory limit: it is rendered in pieces\n";
            const RenderJob job = renderer_.writeInPieces(o, file, options, Progress::none());
            common_.err << "\n";
            for (const std::string& p : job.problems) common_.err << "left out: " << p << "\n";
            return;
        }
        const RenderedFrame rendered = render(frame);
        WriteOptions noted = options;
        noted.notes.merge(pictureNotes(rendered.facts));
        saveRender(file, rendered.picture(), rendered.job, noted);
    }

    double rate() const { return opened_.scene.document.rate(); }

  private:
    static SceneContext sceneOf(SceneContext scene, const RenderArgs& args) {
        if (args.steady) scene.document = withMotion(scene.document);
        return scene;
    }
    FrameOptions options(int frame) const {
        const auto [width, height] = sizeIn(args_.size);
        FrameOptions out{.frame = frame,
                         .camera = args_.camera,
                         .width = width,
                         .height = height,
                         .samples = args_.samples,
                         .draft = args_.draft,
                         .denoise = args_.denoise,
                         .steady = args_.steady,
                         .screen = endingOf(args_.out) != ".exr",
                         .parts = endingOf(args_.out) == ".exr",
                         .film = args_.film};
        if (!args_.passes.empty()) out.passes = framesIn(args_.passes);
        if (!args_.region.empty()) out.region = [this](const RenderJob& job) { return regionOf(args_, job); };
        out.stop = [] { return stopAsked != 0; };
        out.told = [this, frame](int pass, int last, const Film&, const RenderJob&) {
            common_.err << fmt::format("\rframe {}: pass {} of {}", frame, pass, last) << std::flush;
        };
        return out;
    }

    const Common& common_;
    const RenderArgs& args_;
    Opened opened_;
    FrameRenderer renderer_;
};

std::vector<std::string> renderPictures(const Common& common, const RenderArgs& a, Frames& frames) {
    const WriteOptions options = writeOptions(a.out, a.depth);
    const auto [first, last] = frameRange(a);
    std::vector<std::string> files;
    for (int frame = first; frame <= last; ++frame) {
        files.push_back(frameName(a.out, frame, first != last));
        if (a.missing && std::filesystem::exists(files.back())) {  // whole: see writeImage()
            files.pop_back();
            continue;
        }
        frames.save(frame, files.back(), options);
        if (!common.json) common.out << files.back() << "\n";
    }
    return files;
}

VideoOptions videoOptions(const RenderArgs& a, const RenderedFrame& frame, double rate) {
    const auto [width, height] = frame.size();
    return {.width = width,
            .height = height,
            .rate = rate,
            .codec = a.codec.empty() ? usualCodec(a.out) : videoCodec(a.codec),
            .alpha = frame.job.options.clearBackground};
}

std::vector<std::string> renderVideo(const Common& common, const RenderArgs& a, Frames& frames) {
    const auto [first, last] = frameRange(a);
    writeAtomically(a.out, [&, from = first, to = last](const std::filesystem::path& temporary) {
        std::unique_ptr<VideoWriter> video;
        for (int frame = from; frame <= to; ++frame) {
            const RenderedFrame rendered = frames.render(frame);
            if (!video) video = openVideo(temporary, a.out, videoOptions(a, rendered, frames.rate()));
            video->addDeep(rendered.deepScreen());
        }
        video->finish();
    });
    if (!common.json) common.out << a.out << "\n";
    return {a.out};
}

}  // namespace

/// Says what the render will be like, and what would make it useless: that is an Error.
static void tellAhead(const Common& common, const RenderArgs& a, Frames& frames) {
    const auto [first, last] = frameRange(a);
    Preflight found = frames.ahead(first, last);
    for (const Check& check : frames.checks(first))
        if (check.severity == Severity::Error) found.problems.push_back(check.text);
    if (common.json)
        common.out << jsonText(Json{{"seconds", found.seconds},
                                    {"frames", last - first + 1},
                                    {"film_bytes", found.filmBytes},
                                    {"file_bytes", found.fileBytes},
                                    {"cut", found.cut},
                                    {"problems", found.problems}})
                   << "\n";
    else
        common.out << aheadText(found, last - first + 1) << "\n";
    if (found.problems.empty()) return;
    for (const std::string& p : found.problems) common.err << p << "\n";
    throw Error("the render would be of no use", a.scene, "Mend what is said above");
}

void render(const Common& common, const RenderArgs& a) {
    std::optional<tbb::global_control> limit;
    if (a.threads > 0) limit.emplace(tbb::global_control::max_allowed_parallelism, size_t(a.threads));
    if (!a.verify.empty()) return verify(common, a.scene, a.verify);
    const bool video = canUse(a.out, Use::WriteVideo);
    // What is wrong with the request is said before the work.
    const auto [first, last] = frameRange(a);
    if (video && a.missing)
        throw Error("a video is written whole", a.out,
                    "Render the frames as pictures, or leave --missing out");
    if (video && !a.depth.empty()) throw Error("a video has 8 bits", a.out, "Leave --depth out");
    if (!video) writeOptions(a.out, a.depth), frameName(a.out, first, first != last);
    if (a.pieces && (video || endingOf(a.out) != ".exr"))
        throw Error("only EXR is rendered in pieces", a.out, "Choose the ending .exr, or leave --pieces out");
    if (!a.film.empty() && first != last) throw Error("a film is of one frame", a.film, "Render one frame");
    if (!a.passes.empty()) framesIn(a.passes);
    if (!a.film.empty()) askForStop();
    if (a.denoise) denoiser();
    const std::jthread warming([] { prepareImages(), prepareShading(); });  // beside the reading of meshes
    Frames frames(common, a);
    if (a.ahead) return tellAhead(common, a, frames);
    const auto files = video ? renderVideo(common, a, frames) : renderPictures(common, a, frames);
    if (common.json) common.out << jsonText(Json{{"files", files}}) << "\n";
}

/// What a film has, in words and as JSON.
static void tellFilm(const Common& common, const FilmFile& f) {
    if (!common.json) common.out << fmt::format("{} x {} pixels\n", f.film.width(), f.film.height());
    Json ranges = Json::array();
    for (const PassRange& p : f.notes.ranges) {
        const Rect& r = p.region;
        ranges.push_back(
            {{"region", {r.x, r.y, r.width, r.height}}, {"passes", {p.first + 1, p.first + p.count}}});
        if (!common.json)
            common.out << fmt::format("passes {} to {} of {},{},{},{}\n", p.first + 1, p.first + p.count, r.x,
                                      r.y, r.width, r.height);
    }
    Json passes = Json::array();
    for (const PassInfo& info : passTable())
        if (f.film.has(info.pass)) passes.push_back(info.id);
    if (common.json)
        common.out << jsonText(Json{{"width", f.film.width()},
                                    {"height", f.film.height()},
                                    {"passes", passes},
                                    {"groups", f.film.groups()},
                                    {"ranges", ranges}})
                   << "\n";
}

void film(const Common& common, const FilmArgs& a) {
    const bool isFilm = endingOf(a.out) == kFilmEnding;
    if (!a.out.empty() && !isFilm) writeOptions(a.out, a.depth);
    if (a.denoise) denoiser();
    std::optional<FilmFile> sum;
    for (const std::string& name : a.films) {
        FilmFile one = readFilm(name, kMemoryOfFile, Progress::none());
        if (sum)
            addFilm(*sum, one, name);
        else
            sum = std::move(one);
    }
    if (a.out.empty()) return tellFilm(common, *sum);
    if (isFilm) {
        writeFilm(a.out, *sum);
    } else {
        std::optional<std::vector<V3f>> clean;
        if (a.denoise) clean = denoise(sum->film, kMemoryOfFile, Progress::none());
        std::optional<CleanParts> parts;
        if (clean && endingOf(a.out) == ".exr" && keepsParts(sum->film.layout()))
            parts = denoisedParts(sum->film, *clean, kMemoryOfFile, Progress::none());
        saveRender(
            a.out,
            {.film = sum->film, .clean = clean ? &*clean : nullptr, .parts = parts ? &*parts : nullptr},
            sum->notes, writeOptions(a.out, a.depth));
    }
    tellFile(common, a.out);
}

}  // namespace ovrix::cli
