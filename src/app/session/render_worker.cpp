#include "app/session/render_worker.h"

#include <bit>

#include "base/error.h"
#include "deliver/render_file.h"

namespace ovrix::app {

using Clock = std::chrono::steady_clock;

static double secondsSince(Clock::time_point start) {
    return std::chrono::duration<double>(Clock::now() - start).count();
}

RenderWorker::RenderWorker(Evaluator& evaluator, Publish publish)
    : builder_(evaluator),
      publish_(std::move(publish)),
      jobs_([this](const std::exception& e) { publishProblem(e); }) {}

void RenderWorker::start(RenderRequest request) {
    const auto work = [this, r = std::move(request)](Progress& progress) {
        began_ = Clock::now();
        try {
            render(r, progress);
        } catch (const Cancelled&) {
            RenderUpdate update;
            update.state = "stopped";
            update.done = true;
            publish_(std::move(update));
        }
    };
    jobs_.postNewest(work, JobThread::Forerunner::Cancel);
}

void RenderWorker::publishProblem(const std::exception& problem) {
    RenderUpdate update;
    update.state = QString::fromStdString(problemOf(problem));
    update.failed = update.done = true;
    publish_(std::move(update));
}

RenderedFilm RenderWorker::rendered() const {
    std::lock_guard lock(mutex_);
    wanted_ = true;
    return rendered_;
}

/// A film is large: it is copied when somebody asked since the last time, once a second, or must be.
void RenderWorker::keep(const Film& film, const std::shared_ptr<const RenderJob>& job, bool must) {
    {
        std::lock_guard lock(mutex_);
        if (!must && !std::exchange(wanted_, false) && Clock::now() - kept_ < std::chrono::seconds(1)) return;
    }
    auto copy = std::make_shared<const Film>(film);
    std::lock_guard lock(mutex_);
    rendered_ = {std::move(copy), nullptr, job};
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
    if (view == publishedView_ && (!light || denoising_ == (shownClean_ != nullptr))) return;
    // What was cleaned stays while another pass is looked at.
    const bool same = shownClean_ && shownClean_ == kept.clean && view.group == cleanGroup_;
    if (!denoising_ || !same) shownClean_.reset();
    RenderUpdate update = last_;
    update.done = true;  // one that was stopped is not waited for
    if (denoising_ && light && !shownClean_) clean(*kept.film, document_, update, progress);
    publish(*kept.film, kept.job->finish, std::move(update));
}

void RenderWorker::publish(const Film& film, const FinishOptions& finish, RenderUpdate update) {
    publishedView_ = shownView(film);
    const bool light = publishedView_.kind == FilmView::Kind::Light;
    update.clean = light && shownClean_ && cleanGroup_ == publishedView_.group;
    if (update.clean) {
        toScreen(*shownClean_, finish, screen_);
    } else {
        const HeatTable heat = [&] {
            std::lock_guard lock(mutex_);
            return heat_;
        }();
        toScreen(film, publishedView_, finish, heat, screen_);
    }
    update.image = QImage(reinterpret_cast<const uchar*>(screen_.data()), film.width(), film.height(),
                          QImage::Format_RGB32)
                       .copy();
    publish_(std::move(update));
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
    document_ = r.scene.document;
    RenderUpdate update;
    update.passes = passes;
    update.problems = job->problems;
    update.layout = job->layout;
    for (int step : {8, 4, 2}) {  // coarse first, so that a change is seen at once
        renderer.renderPreview(*film, step, region, progress);
        update.state = "first look";
        update.seconds = secondsSince(began_);
        publish(*film, job->finish, update);
    }
    clearRegion(*film, region);
    update.state.clear();
    SampleBlocks blocks(*film, job->goal);
    bool last = false;
    for (int pass = 0; !last; ++pass) {
        renderer.renderPass(*film, uint32_t(pass), region, progress, &blocks);
        last = pass + 1 == passes || !blocks.left(region);
        const bool cleaning = wantsCleaning(*film, pass + 1, last);
        keep(*film, job, pass == 0 || last || cleaning);
        update.pass = pass + 1;
        update.seconds = secondsSince(began_);
        if (!denoising_ || cleanGroup_ != shownView(*film).group) shownClean_.reset();
        if (cleaning && pass == 0) publish(*film, job->finish, update);  // the first at once
        if (cleaning) clean(*film, r.scene.document, update, progress);
        update.done = last;
        update.seconds = secondsSince(began_);
        last_ = update;
        publish(*film, job->finish, update);
        update.note.clear();
    }
}

}  // namespace ovrix::app
