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
#include "deliver/film_file.h"
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

/// Renders one frame after another of an opened scene.
class FrameRenderer {
  public:
    struct Rendered {
        RenderJob job;
        FilmFile file;
        std::optional<std::vector<V3f>> clean;
        RenderFacts facts;
    };

    FrameRenderer(const Common& common, const RenderArgs& args)
        : common_(common), args_(args), opened_(args.scene), builder_(opened_.evaluator) {}

    Rendered render(int frame) {
        const auto [width, height] = sizeOf(args_);
        const JobOptions options{.frame = double(frame),
                                 .camera = args_.camera,
                                 .draft = args_.draft,
                                 .width = width,
                                 .height = height};
        RenderJob job = builder_.build(opened_.scene, options, Progress::none());
        if (width > 0) job.width = width, job.height = height;
        for (const std::string& p : job.problems) common_.err << "left out: " << p << "\n";
        if (args_.samples > 0) job.samples = args_.samples;
        requireFilmMemory(opened_.scene.document, job.width, job.height, job.layout);
        FilmFile file = filmOf(job, options);
        job.options.log2Passes = file.notes.log2Passes;
        const auto start = std::chrono::steady_clock::now();
        addPasses(job, file, frame);
        const RenderFacts facts{
            .picture = file.notes.picture,
            .frame = frame,
            .camera = args_.camera,
            .draft = args_.draft,
            .seed = job.options.seed,
            .passes = file.notes.passesOf({0, 0, job.width, job.height}),
            .log2Passes = job.options.log2Passes,
            .seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count()};
        std::optional<std::vector<V3f>> clean;
        if (args_.denoise) clean = denoise(file.film, opened_.scene.document.memoryLimit(), Progress::none());
        common_.err << "\n";
        return {std::move(job), std::move(file), std::move(clean), facts};
    }

    double rate() const { return opened_.scene.document.rate(); }

  private:
    /// What is there of it, or a new one.
    FilmFile filmOf(const RenderJob& job, const JobOptions& options) const {
        FilmFile fresh = beginFilm(job, pictureHash(opened_.scene, options, job), job.width, job.height);
        if (args_.film.empty() || !std::filesystem::exists(args_.film)) return fresh;
        FilmFile known = readFilm(args_.film, opened_.scene.document.memoryLimit(), Progress::none());
        fresh.notes.log2Passes = known.notes.log2Passes;
        FilmFile both = std::move(fresh);
        addFilm(both, known, args_.film);
        return both;
    }

    /// Before any work: passes that are there in part, and noise that nobody can tell.
    void requireFitting(const RenderJob& job, const FilmNotes& notes, const Rect& region, int first,
                        int last) const {
        for (int number = first; number <= last; ++number)
            if (const auto pass = uint32_t(number - 1); notes.meets(region, pass) && !notes.has(region, pass))
                throw Error(fmt::format("it has pass {} of a part of that region", number), args_.film,
                            "Render regions that do not overlap, or the same one");
        if (job.goal.noise > 0.0f && uint32_t(first - 1) > notes.passesOf(region))
            throw Error("noise is told from the first pass on", args_.passes,
                        "Render from the first pass, or set Noise to 0 to render passes apart");
    }

    void addPasses(const RenderJob& job, FilmFile& file, int frame) {
        using Clock = std::chrono::steady_clock;
        constexpr auto kEach = std::chrono::seconds(30);  // so much is lost at most
        const Rect region = regionOf(args_, job);
        const auto [first, last] = args_.passes.empty() ? std::pair(1, job.samples) : framesIn(args_.passes);
        if (first < 1 || last > 1048576) throw Error("passes are numbered from 1 to 1048576", args_.passes);
        requireFitting(job, file.notes, region, first, last);
        const Renderer renderer(*job.scene, job.cameraFor(job.width, job.height), job.options, job.lights);
        SampleBlocks blocks(file.film, job.goal, file.notes.passesOf(region));
        auto saved = Clock::now();
        for (int number = first; number <= last && !stopAsked; ++number) {
            const auto pass = uint32_t(number - 1);
            if (file.notes.has(region, pass)) continue;
            if (!blocks.left(region)) break;
            renderer.renderPass(file.film, pass, region, Progress::none(), &blocks);
            file.notes.add(region, pass);
            common_.err << fmt::format("\rframe {}: pass {} of {}", frame, number, last) << std::flush;
            if (args_.film.empty() || Clock::now() - saved < kEach) continue;
            writeFilm(args_.film, file);
            saved = Clock::now();
        }
        if (!args_.film.empty()) writeFilm(args_.film, file);
        if (stopAsked)
            throw Error("stopped; what there is of the picture is kept", args_.film,
                        "The same command goes on with it");
    }

    const Common& common_;
    const RenderArgs& args_;
    Opened opened_;
    RenderSceneBuilder builder_;
};

std::vector<std::string> renderPictures(const Common& common, const RenderArgs& a, FrameRenderer& frames) {
    const WriteOptions options = writeOptions(a.out, a.depth);
    const auto [first, last] = frameRange(a);
    std::vector<std::string> files;
    for (int frame = first; frame <= last; ++frame) {
        const auto [job, file, clean, facts] = frames.render(frame);
        files.push_back(frameName(a.out, frame, first != last));
        WriteOptions noted = options;
        noted.notes.merge(pictureNotes(facts));
        saveRender(files.back(), {file.film, clean ? &*clean : nullptr}, job, noted);
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
            const auto [job, file, clean, facts] = frames.render(frame);
            if (!video) video = openVideo(temporary, a.out, {job.width, job.height, frames.rate()});
            if (clean)
                toScreen(*clean, job.finish, screen);
            else
                toScreen(file.film, job.finish, screen);
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
    if (!a.verify.empty()) return verify(common, a.scene, a.verify);
    const bool video = isVideo(a.out);
    // What is wrong with the request is said before the work.
    const auto [first, last] = frameRange(a);
    if (video && !a.depth.empty()) throw Error("a video has 8 bits", a.out, "Leave --depth out");
    if (!video) writeOptions(a.out, a.depth), frameName(a.out, first, first != last);
    if (!a.film.empty() && first != last) throw Error("a film is of one frame", a.film, "Render one frame");
    if (!a.passes.empty()) framesIn(a.passes);
    if (!a.film.empty()) askForStop();
    if (a.denoise) denoiser();
    const std::jthread warming([] { prepareImages(), prepareShading(); });  // beside the reading of meshes
    FrameRenderer frames(common, a);
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
        saveRender(a.out, {sum->film, clean ? &*clean : nullptr}, sum->notes, writeOptions(a.out, a.depth));
    }
    tellFile(common, a.out);
}

}  // namespace ovrix::cli
