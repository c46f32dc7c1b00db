#include "app/session/render_worker.h"

#include <bit>

#include "base/error.h"
#include "deliver/pictures/render_file.h"

namespace ovrix::app {

using Clock = std::chrono::steady_clock;

static double secondsSince(Clock::time_point start) {
    return std::chrono::duration<double>(Clock::now() - start).count();
}

RenderWorker::RenderWorker(Evaluator& evaluator, Publish publish)
    : builder_(evaluator),
      screens_(evaluator),
      otherScreens_(evaluator),
      publish_(std::move(publish)),
      finishing_([this](const std::exception& e) { publishProblem(e); }),
      jobs_([this](const std::exception& e) { publishProblem(e); }) {}

void RenderWorker::tell(RenderUpdate update) {
    update.request = request_;
    publish_(std::move(update));
}

uint64_t RenderWorker::start(RenderRequest request) {
    const uint64_t number = ++requests_;
    {
        std::lock_guard lock(mutex_);
        scene_ = std::make_shared<const SceneContext>(request.scene);
    }
    const auto work = [this, number, r = std::move(request)](Progress& progress) {
        began_ = Clock::now();
        request_ = number;
        try {
            render(r, progress);
        } catch (const Cancelled&) {
            RenderUpdate update;
            update.state = "stopped";
            update.done = true;
            tell(std::move(update));
        }
    };
    jobs_.postNewest(work, JobThread::Forerunner::Cancel);
    return number;
}

void RenderWorker::publishProblem(const std::exception& problem) {
    RenderUpdate update;
    update.state = QString::fromStdString(problemOf(problem));
    update.failed = update.done = true;
    tell(std::move(update));
}

RenderedFilm RenderWorker::rendered() const {
    std::lock_guard lock(mutex_);
    wanted_ = true;
    return rendered_;
}

/// A film is large: it is copied when somebody asked since the last time, once a second, or must be.
void RenderWorker::keep(const Film& film, const std::shared_ptr<const RenderJob>& job, const Factors& factors,
                        bool must) {
    {
        std::lock_guard lock(mutex_);
        if (!must && !std::exchange(wanted_, false) && Clock::now() - kept_ < std::chrono::seconds(1)) return;
    }
    auto copy = std::make_shared<const Film>(film);
    std::lock_guard lock(mutex_);
    rendered_ = {std::move(copy), nullptr, job, factors};
    kept_ = Clock::now();
}

void RenderWorker::setDenoising(bool on) {
    if (denoising_.exchange(on) != on) postShowAgain();
}

void RenderWorker::show(const std::string& id, const HeatTable& heat) {
    {
        std::lock_guard lock(mutex_);
        if (shownId_ == id && heat_ == heat) return;
        shownId_ = id, heat_ = heat;
    }
    postShowAgain();
}

void RenderWorker::finishAs(const SceneContext& scene) {
    {
        std::lock_guard lock(mutex_);
        scene_ = std::make_shared<const SceneContext>(scene);
        refinish_ = true;
    }
    finishAgain();
}

/// While passes come, beside them: nobody waits for one.
void RenderWorker::finishAgain() {
    if (!jobs_.busy()) return postShowAgain();
    finishing_.postNewest(
        [this](Progress& progress) {
            try {
                refinish(progress);
            } catch (const Cancelled&) {  // a newer one comes
            }
        },
        JobThread::Forerunner::CancelIfLong);
}

/// What was kept last, finished as it is asked for now.
void RenderWorker::refinish(Progress& progress) {
    const RenderedFilm kept = rendered();
    if (!kept.film) return;
    const FilmView view = shownView(*kept.film);
    if (view.kind != FilmView::Kind::Light) return;
    RenderUpdate update;
    ScreenMaker::Input in{*kept.film, *kept.job, view, nullptr, nullptr, {}, {}, frame_, kept.factors};
    {
        std::lock_guard lock(mutex_);
        update = last_;
        update.note.clear();  // was said
        in.scene = scene_, in.look = look_, in.heat = heat_;
    }
    if (denoising_ && view.group == kAllLights) in.clean = kept.clean;
    update.clean = in.clean != nullptr;
    otherScreens_.make(in, update, progress);
    tell(std::move(update));
}

void RenderWorker::lookAs(const PictureLook& look) {
    {
        std::lock_guard lock(mutex_);
        if (look_ == look) return;
        look_ = look;
        refinish_ = true;
    }
    finishAgain();
}

FilmView RenderWorker::shownView(const Film& film) const {
    std::lock_guard lock(mutex_);
    if (shownId_.empty()) return {};
    for (const FilmViewEntry& entry : filmViews(film.layout(), [](size_t) { return std::string(); }))
        if (entry.id == shownId_) return entry.view;
    return {};
}

void RenderWorker::postShowAgain() {
    // A render that runs sees it at its next pass; this comes after it, or at once where none runs.
    jobs_.post([this](Progress& progress) {
        try {
            showAgain(progress);
        } catch (const Cancelled&) {  // a render comes, and shows another picture
        }
    });
}

bool RenderWorker::wantsCleaning(const Film& film, int pass, bool last) const {
    return denoising_ && shownView(film).kind == FilmView::Kind::Light &&
           (!shownClean_ || std::has_single_bit(unsigned(pass)) || last);
}

/// What goes wrong is said, and the picture stays as noisy as it is.
void RenderWorker::clean(const Film& film, const Document& document, RenderUpdate& update,
                         Progress& progress) {
    try {
        const int group = shownView(film).group;
        shownClean_ =
            std::make_shared<const std::vector<V3f>>(denoise(film, document.memoryLimit(), progress, group));
        cleanGroup_ = group;
        std::lock_guard lock(mutex_);
        if (group == kAllLights) rendered_.clean = shownClean_;
    } catch (const Cancelled&) {
        throw;
    } catch (const std::exception& e) {
        denoising_ = false;
        shownClean_.reset();
        update.note = QString::fromStdString(problemOf(e));
    }
}

/// What is kept, once more, with or without its noise, or of other lights.
void RenderWorker::showAgain(Progress& progress) {
    const RenderedFilm kept = rendered();
    if (!kept.film) return;
    const FilmView view = shownView(*kept.film);
    const bool light = view.kind == FilmView::Kind::Light;
    std::shared_ptr<const SceneContext> scene;
    bool refinish = false;
    {
        std::lock_guard lock(mutex_);
        scene = scene_, refinish = refinish_;
    }
    if (view == publishedView_ && !(refinish && light) && (!light || denoising_ == (shownClean_ != nullptr)))
        return;
    // What was cleaned stays while another pass is looked at.
    const bool same = shownClean_ && shownClean_ == kept.clean && view.group == cleanGroup_;
    if (!denoising_ || !same) shownClean_.reset();
    RenderUpdate update;
    {
        std::lock_guard lock(mutex_);
        update = last_;
        update.note.clear();  // was said
    }
    update.done = true;  // one that was stopped is not waited for
    if (denoising_ && light && !shownClean_) clean(*kept.film, scene->document, update, progress);
    publish(*kept.film, *kept.job, kept.factors, std::move(update), progress);
}

/// All of the light is; that of a group is shown as it is.
static bool isFinished(const ScreenMaker::Input& in) {
    return in.view.group == kAllLights && hasFinish(in.scene->document);
}

std::vector<V3f> ScreenMaker::lightOf(const Input& in, RenderUpdate& update, Progress& progress) {
    if (isFinished(in)) {
        const bool groups = in.clean && balancesLights(in.scene->document);
        if (groups && cleanGroupsOf_ != in.clean) {  // once for a picture: then a change costs a sum
            cleanGroups_ = denoisedGroups(in.film, *in.clean, in.scene->document.memoryLimit(), progress);
            cleanGroupsOf_ = in.clean;
        }
        const FilmPasses passes(in.film, in.job.objectNames, in.job.layerNames, in.job.materialNames,
                                groups ? &cleanGroups_ : nullptr, in.factors.get());
        FinishedPicture done = finishPicture(
            *in.scene, toFinish(in.film, in.clean.get(), passes, in.job, in.frame, in.factors.get()),
            evaluator_, true, progress);
        update.window = done.window;
        update.finish = std::move(done.steps);
        update.shown = {done.width, done.height};
        return std::move(done.light);
    }
    return in.clean ? *in.clean : lightsOf(in.film, in.view.group, in.factors.get());
}

void ScreenMaker::make(const Input& in, RenderUpdate& update, Progress& progress) {
    update.film = update.shown = {in.film.width(), in.film.height()};
    update.window = {0, 0, double(in.film.width()), double(in.film.height())};
    update.finish.clear();
    std::vector<std::string> problems;
    const FinishOptions screen =
        finishOptions(*in.scene, in.frame, in.job.finish.exposure + in.look.exposure, problems);
    if (!problems.empty() && update.note.isEmpty()) update.note = QString::fromStdString(problems[0]);
    if (!in.look.stops && !in.clean && !isFinished(in))
        toScreen(in.film, screen, screen_, in.view.group, in.factors.get());  // as it is: nothing is copied
    else if (const std::vector<V3f> light = lightOf(in, update, progress); in.look.stops)
        stopsToScreen(light, screen.exposure, in.heat, screen_);
    else
        toScreen(light, screen, screen_);
    if (in.look.gamma != 1.0f) bend(screen_, in.look.gamma);
    update.image = QImage(reinterpret_cast<const uchar*>(screen_.data()), update.shown.width(),
                          update.shown.height(), QImage::Format_RGB32)
                       .copy();
}

void RenderWorker::publish(const Film& film, const RenderJob& job, const Factors& factors,
                           RenderUpdate update, Progress& progress) {
    publishedView_ = shownView(film);
    const bool light = publishedView_.kind == FilmView::Kind::Light;
    update.clean = light && shownClean_ && cleanGroup_ == publishedView_.group;
    ScreenMaker::Input in{film, job,    publishedView_, update.clean ? shownClean_ : nullptr, nullptr, {},
                          {},   frame_, factors};
    {
        std::lock_guard lock(mutex_);
        in.scene = scene_, in.look = look_, in.heat = heat_;
        if (light) refinish_ = false;
    }
    if (light) {
        screens_.make(in, update, progress);
        return tell(std::move(update));
    }
    update.film = update.shown = {film.width(), film.height()};
    update.window = {0, 0, double(film.width()), double(film.height())};
    update.finish.clear();
    std::vector<uint32_t> screen;
    toScreen(film, publishedView_, job.finish, in.heat, screen);
    update.image = QImage(reinterpret_cast<const uchar*>(screen.data()), film.width(), film.height(),
                          QImage::Format_RGB32)
                       .copy();
    tell(std::move(update));
}

static void clearRegion(Film& film, const Rect& region) {
    for (int y = region.y; y < region.y + region.height; ++y)
        for (int x = region.x; x < region.x + region.width; ++x) film.clear(film.indexOf(x, y));
}

/// A region goes into what was there; a whole picture starts anew.
std::shared_ptr<Film> RenderWorker::startFilm(const RenderRequest& r, const Rect& region,
                                              const FilmLayout& layout) const {
    std::shared_ptr<const Film> last = film();
    if (!r.region || !last || last->width() != r.width || last->height() != r.height ||
        last->layout() != layout)
        return std::make_shared<Film>(r.width, r.height, layout);
    auto film = std::make_shared<Film>(*last);
    clearRegion(*film, region);
    return film;
}

/// A pass of half the size without its noise, shown as large: a clean picture long before the first whole
/// pass. False where that is not what is shown, or would save little.
bool RenderWorker::showHalf(const RenderRequest& r, const RenderJob& job, RenderUpdate update,
                            Progress& progress) {
    constexpr int kWorthIt = 100'000;  // pixels
    {
        std::lock_guard lock(mutex_);
        if (!denoising_ || r.region || !shownId_.empty() || r.width * r.height < kWorthIt) return false;
    }
    const int width = std::max(1, r.width / 2), height = std::max(1, r.height / 2);
    FilmLayout layout = job.layout;
    layout.bins = false;
    Film film(width, height, layout);
    const Renderer renderer(*job.scene, job.cameraFor(width, height), job.options, job.lights);
    renderer.renderPass(film, 0, {0, 0, width, height}, progress);
    std::shared_ptr<const std::vector<V3f>> light;
    try {
        light =
            std::make_shared<const std::vector<V3f>>(denoise(film, r.scene.document.memoryLimit(), progress));
    } catch (const Error&) {  // the first pass says it
        return false;
    }
    ScreenMaker::Input in{film, job, {}, light, nullptr, {}, {}, frame_, nullptr};
    {
        std::lock_guard lock(mutex_);
        in.scene = scene_, in.look = look_, in.heat = heat_;
    }
    screens_.make(in, update, progress);
    const double across = double(r.width) / width, down = double(r.height) / height;
    update.film = {r.width, r.height};
    update.window = {update.window.x * across, update.window.y * down, update.window.width * across,
                     update.window.height * down};
    update.shown = {int(std::lround(update.shown.width() * across)),
                    int(std::lround(update.shown.height() * down))};
    update.image = update.image.scaled(update.shown, Qt::IgnoreAspectRatio, Qt::SmoothTransformation);
    update.seconds = secondsSince(began_);
    update.clean = true;
    tell(std::move(update));
    return true;
}

/// Coarse first, so that a change is seen at once. Whether what was shown last is without noise.
bool RenderWorker::showFirst(const RenderRequest& r, const RenderJob& job, const Renderer& renderer,
                             Film& film, RenderUpdate& update, Progress& progress) {
    const Rect region = r.region.value_or(Rect{0, 0, r.width, r.height});
    update.state = "first look";
    for (int step : {8, 4, 2}) {
        if (step == 4 && showHalf(r, job, update, progress)) return true;
        renderer.renderPreview(film, step, region, progress);
        update.seconds = secondsSince(began_);
        publish(film, job, nullptr, update, progress);
    }
    return false;
}

void RenderWorker::render(const RenderRequest& r, Progress& progress) {
    requireFilmMemory(r.scene.document, r.width, r.height);
    auto job = std::make_shared<RenderJob>(builder_.build(r.scene,
                                                          {.frame = r.frame,
                                                           .camera = {},
                                                           .draft = r.draft,
                                                           .width = r.width,
                                                           .height = r.height,
                                                           .view = r.camera},
                                                          progress));
    requireFilmMemory(r.scene.document, r.width, r.height, job->layout);
    if (r.camera) job->cameras = {*r.camera};
    const int passes = r.samples > 0 ? r.samples : job->samples;
    const Renderer renderer(*job->scene, job->cameraFor(r.width, r.height), job->options, job->lights);
    const Rect region = r.region.value_or(Rect{0, 0, r.width, r.height});
    auto film = startFilm(r, region, job->layout);
    shownClean_.reset();
    frame_ = r.frame;
    RenderUpdate update;
    update.passes = passes;
    update.problems = job->problems;
    update.layout = job->layout;
    const bool half = showFirst(r, *job, renderer, *film, update, progress);
    clearRegion(*film, region);
    update.state.clear();
    SampleBlocks blocks(*film, job->goal);
    bool last = false;
    Factors factors;
    int evenedAt = 0;
    for (int pass = 0; !last; ++pass) {
        renderer.renderPass(*film, uint32_t(pass), region, progress, &blocks);
        last = pass + 1 == passes || !blocks.left(region);
        const bool cleaning = wantsCleaning(*film, pass + 1, last);
        // A look for fireflies takes as long as a thirtieth of a pass: not after each of many.
        if (pass < 4 || last || cleaning || pass + 1 >= evenedAt + evenedAt / 4) {
            factors = std::make_shared<const std::vector<float>>(fireflyFactors(*film));
            evenedAt = pass + 1;
        }
        keep(*film, job, factors, pass == 0 || last || cleaning);
        update.pass = pass + 1;
        update.seconds = secondsSince(began_);
        if (!denoising_ || cleanGroup_ != shownView(*film).group) shownClean_.reset();
        if (cleaning && pass == 0 && !half)
            publish(*film, *job, factors, update, progress);  // the first at once
        if (cleaning) clean(*film, r.scene.document, update, progress);
        update.done = last;
        if (last) update.cut = cutShare(*film);
        update.seconds = secondsSince(began_);
        {
            std::lock_guard lock(mutex_);
            last_ = update;
        }
        publish(*film, *job, factors, update, progress);
        update.note.clear();
    }
}

}  // namespace ovrix::app
