#include "deliver/pictures/frame_render.h"

#include <fmt/format.h>

#include <chrono>

#include "base/error.h"
#include "base/files.h"
#include "deliver/shutter.h"
#include "document/model/params.h"

namespace ovrix::deliver {

std::map<std::string, std::string> pictureNotes(const RenderFacts& f) {
    return {{"ovrix:picture", fmt::format("{:016x}", f.picture)},
            {"ovrix:frame", std::to_string(f.frame)},
            {"ovrix:camera", f.camera},
            {"ovrix:draft", f.draft ? "1" : "0"},
            {"ovrix:seed", std::to_string(f.seed)},
            {"ovrix:passes", std::to_string(f.passes)},
            {"ovrix:log2_passes", std::to_string(f.log2Passes)},
            {"ovrix:seconds", fmt::format("{:.1f}", f.seconds)},
            {"ovrix:version", OVRIX_VERSION}};
}

std::vector<uint16_t> RenderedFrame::deepScreen() const {
    std::vector<V3f> light = finished ? finished->light : clean ? *clean : lightsOf(file.film);
    std::vector<float> alpha = finished ? finished->alpha : file.film.plane(Pass::Alpha);
    const size_t count = light.size();
    for (size_t i = 0; i < count; ++i) {
        alpha[i] = std::clamp(alpha[i], 0.0f, 1.0f);
        if (alpha[i] > 0.0f) light[i] /= alpha[i];
    }
    toDisplay(light, job.finish);
    std::vector<uint16_t> out(count * 4);
    const auto deep = [](float x) { return uint16_t(std::lround(65535.0f * std::clamp(x, 0.0f, 1.0f))); };
    for (size_t i = 0; i < count; ++i) {
        for (int k = 0; k < 3; ++k) out[4 * i + size_t(k)] = deep(light[i][k]);
        out[4 * i + 3] = deep(alpha[i]);
    }
    return out;
}

JobOptions jobOptions(const FrameOptions& o) {
    return {
        .frame = double(o.frame), .camera = o.camera, .draft = o.draft, .width = o.width, .height = o.height};
}

RenderJob FrameRenderer::wholeJob(const FrameOptions& o, Progress& progress) {
    RenderJob job = builder_.build(scene_, jobOptions(o), progress);
    if (o.width > 0) job.width = o.width, job.height = o.height;
    if (o.samples > 0) job.samples = o.samples;
    if (o.noise) job.goal.noise = *o.noise;
    return job;
}

bool FrameRenderer::fits(const FrameOptions& o, Progress& progress) {
    const RenderJob job = wholeJob(o, progress);
    const double bytes = double(job.width) * job.height * bytesOfPicture(scene_.document, job.layout);
    return bytes <= double(scene_.document.memoryLimit());
}

RenderJob FrameRenderer::jobFor(const FrameOptions& o, Progress& progress) {
    RenderJob job = wholeJob(o, progress);
    requireFilmMemory(scene_.document, job.width, job.height, job.layout);
    return job;
}

std::optional<RenderedFrame> FrameRenderer::render(const FrameOptions& o, Progress& progress) {
    if (o.denoise && o.steady && !prepareSteady(o, progress)) return {};
    RenderedFrame out;
    out.job = jobFor(o, progress);
    RenderJob& job = out.job;
    out.file = filmOf(job, jobOptions(o), o);
    job.options.log2Passes = out.file.notes.log2Passes;
    const auto start = std::chrono::steady_clock::now();
    if (!addPasses(job, out.file, o, progress)) return {};
    out.facts = {.picture = out.file.notes.picture,
                 .frame = o.frame,
                 .camera = o.camera,
                 .draft = o.draft,
                 .seed = job.options.seed,
                 .passes = out.file.notes.passesOf({0, 0, job.width, job.height}),
                 .log2Passes = job.options.log2Passes,
                 .seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count()};
    if (o.denoise) out.clean = denoise(out.file.film, scene_.document.memoryLimit(), progress);
    if (o.denoise && o.steady) makeSteady(out);
    if (o.denoise && o.parts && keepsParts(out.file.film.layout()))
        out.parts = denoisedParts(out.file.film, *out.clean, scene_.document.memoryLimit(), progress);
    if (o.screen && hasFinish(scene_.document)) out.finished = finishedOf(out, progress);
    return out;
}

SteadyFrame FrameRenderer::steadyOf(const RenderedFrame& frame) const {
    return steadyFrameOf(frame.file.film, *frame.clean,
                         float(motionFrames(scene_.document, double(frame.facts.frame))));
}

/// Renders the frames before that are not known. False where it was stopped.
bool FrameRenderer::prepareSteady(const FrameOptions& o, Progress& progress) {
    if (!keepsMotion(scene_.document, o.frame))
        throw Error("steady frames need to know how things move", scene_.file.string(),
                    "Add Motion to the passes of the render settings");
    if (o.passes || o.region)
        throw Error("steady frames are rendered whole", {}, "Leave out the passes and the region");
    const auto side = [&](int own, const auto& setting) {
        return double(own > 0 ? own : scene_.document.renderSetting(setting, o.frame));
    };
    const double bytes =
        side(o.width, kRender.width) * side(o.height, kRender.height) * kSteadyBytes * (kSteadyFrames + 1);
    if (bytes > double(scene_.document.memoryLimit()) / 2)  // the film takes the rest
        throw Error(fmt::format("the frames that steady ones go by take {}", byteText(bytes)), {},
                    "Make the picture smaller, raise the memory limit, or denoise each frame by itself");
    const std::string made = fmt::format("{} {} {} {} {} {}", o.camera, o.width, o.height, o.samples,
                                         o.noise.value_or(-1.0f), o.draft);
    if (std::exchange(beforeOf_, made) != made) before_.clear();
    std::erase_if(before_, [&](const auto& known) {
        return known.first >= o.frame || known.first < o.frame - kSteadyFrames;
    });
    for (int frame = std::max(scene_.document.frames().first, o.frame - kSteadyFrames); frame < o.frame;
         ++frame) {
        if (before_.count(frame)) continue;
        FrameOptions alone = o;
        alone.frame = frame, alone.film.clear();
        alone.steady = alone.screen = alone.parts = false;
        const auto rendered = render(alone, progress);
        if (!rendered) return false;
        before_[frame] = {steadyOf(*rendered), rendered->job.cameras.back()};
    }
    return true;
}

void FrameRenderer::makeSteady(RenderedFrame& frame) {
    SteadyFrame own = steadyOf(frame);
    const CameraOptions& camera = frame.job.cameras.back();
    std::vector<const SteadyFrame*> before;
    bool still = true;
    for (int f = frame.facts.frame - 1; before_.count(f); --f) {
        before.push_back(&before_[f].picture);
        still = still && before_[f].camera == camera;
    }
    frame.clean = steadied(own, before, still);
    before_[frame.facts.frame] = {std::move(own), camera};
}

/// What is there of it, or a new one.
FilmFile FrameRenderer::filmOf(const RenderJob& job, const JobOptions& options, const FrameOptions& o) const {
    FilmFile fresh = beginFilm(job, pictureHash(scene_, options, job), job.width, job.height);
    if (o.film.empty() || !std::filesystem::exists(o.film)) return fresh;
    FilmFile known = readFilm(o.film, scene_.document.memoryLimit(), Progress::none());
    fresh.notes.log2Passes = known.notes.log2Passes;
    addFilm(fresh, known, o.film.string());
    return fresh;
}

/// Before any work: passes that are there in part, and noise that nobody can tell.
static void requireFitting(const RenderJob& job, const FilmNotes& notes, const Rect& region, int first,
                           int last, const FrameOptions& o) {
    for (int number = first; number <= last; ++number)
        if (const auto pass = uint32_t(number - 1); notes.meets(region, pass) && !notes.has(region, pass))
            throw Error(fmt::format("it has pass {} of a part of that region", number), o.film.string(),
                        "Render regions that do not overlap, or the same one");
    if (job.goal.noise > 0.0f && uint32_t(first - 1) > notes.passesOf(region))
        throw Error("noise is told from the first pass on", fmt::format("{}-{}", first, last),
                    "Render from the first pass, or set Noise to 0 to render passes apart");
}

bool FrameRenderer::addPasses(const RenderJob& job, FilmFile& file, const FrameOptions& o,
                              Progress& progress) const {
    using Clock = std::chrono::steady_clock;
    constexpr auto kEach = std::chrono::seconds(30);  // so much is lost at most
    const Rect region = o.region ? o.region(job) : Rect{0, 0, job.width, job.height};
    const auto [first, last] = o.passes.value_or(std::pair(1, job.samples));
    if (first < 1 || last > 1048576)
        throw Error("passes are numbered from 1 to 1048576", fmt::format("{}-{}", first, last));
    requireFitting(job, file.notes, region, first, last, o);
    const Renderer renderer(*job.scene, job.cameraFor(job.width, job.height), job.options, job.lights);
    SampleBlocks blocks(file.film, job.goal, file.notes.passesOf(region));
    auto saved = Clock::now();
    bool stopped = false;
    for (int number = first; number <= last && !stopped; ++number) {
        const auto pass = uint32_t(number - 1);
        if (file.notes.has(region, pass)) continue;
        if (!blocks.left(region)) break;
        renderer.renderPass(file.film, pass, region, progress, &blocks);
        file.notes.add(region, pass);
        if (o.told) o.told(number, last, file.film, job);
        stopped = o.stop && o.stop();
        if (o.film.empty() || Clock::now() - saved < kEach) continue;
        writeFilm(o.film, file);
        saved = Clock::now();
    }
    if (!o.film.empty()) writeFilm(o.film, file);
    return !stopped;
}

std::optional<FinishedPicture> FrameRenderer::finishedOf(const RenderedFrame& frame, Progress& progress) {
    const RenderJob& job = frame.job;
    std::vector<std::vector<V3f>> groups;
    if (frame.clean && balancesLights(scene_.document))
        groups = denoisedGroups(frame.file.film, *frame.clean, scene_.document.memoryLimit(), progress);
    const std::vector<float> factors = fireflyFactors(frame.file.film);
    const FilmPasses passes(frame.file.film, job.objectNames, job.layerNames, job.materialNames,
                            groups.empty() ? nullptr : &groups, &factors);
    return finishPicture(scene_,
                         toFinish(frame.file.film, frame.clean ? &*frame.clean : nullptr, passes, job,
                                  double(frame.facts.frame), &factors),
                         evaluator_, false, progress);
}

}  // namespace ovrix::deliver
