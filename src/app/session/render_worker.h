// The thread that renders beside the view. A new request takes the place of the one that runs.
#pragma once
#include <QImage>
#include <functional>
#include <memory>
#include <optional>

#include "app/session/job_thread.h"
#include "deliver/render_scene_builder.h"
#include "render/finish/pass_view.h"

namespace ovrix::app {

struct RenderRequest {
    SceneContext scene;
    double frame = 1;
    int width = 640, height = 400;
    std::optional<CameraOptions> camera;  ///< the view's own; else the scene's
    bool draft = false;
    std::optional<Rect> region;
    int samples = 0;  ///< 0 for the scene's own number
};

/// What the pane shows. The image is finished for a screen.
struct RenderUpdate {
    QImage image;
    int pass = 0, passes = 0;
    double seconds = 0;  ///< since the request
    QString state;       ///< what is being done, or what went wrong
    bool failed = false, done = false;
    bool clean = false;  ///< whether the noise was taken out of the image
    FilmLayout layout;   ///< what the film has to be looked at
    std::vector<std::string> problems;
    QString note;  ///< what went wrong beside the render, said once
};

/// What there is after whole passes, and what it was made with.
struct RenderedFilm {
    std::shared_ptr<const Film> film;               ///< null before there is one
    std::shared_ptr<const std::vector<V3f>> clean;  ///< its light without noise; null where that is not known
    std::shared_ptr<const RenderJob> job;
};

class RenderWorker {
  public:
    using Publish = std::function<void(RenderUpdate)>;
    RenderWorker(Evaluator& evaluator, Publish publish);
    void start(RenderRequest request);
    void stop() { jobs_.clear(); }
    bool busy() const { return jobs_.busy(); }
    /// Takes the noise out of what is shown: after one pass, two, four and so on and the last; in between
    /// what was clean stays. Nothing is rendered again for it.
    void setDenoising(bool on);
    bool denoising() const { return denoising_; }
    /// Shows what filmViews() has of that id, by those colours where it is heat; the light where there is
    /// none of that id, and without one. Nothing is rendered again for it.
    void show(const std::string& id, const HeatTable& heat = {});
    /// What that is in a film.
    FilmView shownView(const Film& film) const;
    /// No older than a second or a pass. For saving and probing.
    RenderedFilm rendered() const;
    std::shared_ptr<const Film> film() const { return rendered().film; }
    void waitIdle() { jobs_.waitIdle(); }

  private:
    void publishProblem(const std::exception& problem);
    void render(const RenderRequest& request, Progress& progress);
    void publish(const Film& film, const FinishOptions& finish, RenderUpdate update);
    void keep(const Film& film, const std::shared_ptr<const RenderJob>& job, bool must);
    bool wantsCleaning(const Film& film, int pass, bool last) const;
    void clean(const Film& film, const Document& document, RenderUpdate& update, Progress& progress);
    void showAgain(Progress& progress);
    void postShowAgain();
    std::shared_ptr<Film> startFilm(const RenderRequest& request, const Rect& region,
                                    const FilmLayout& layout) const;

    RenderSceneBuilder builder_;
    Publish publish_;
    mutable std::mutex mutex_;
    RenderedFilm rendered_;
    mutable bool wanted_ = false;
    std::string shownId_;  // of what is looked at
    HeatTable heat_{};
    std::chrono::steady_clock::time_point kept_;
    std::atomic<bool> denoising_{false};
    // Of the thread that renders: what is shown, and what it was asked for.
    std::shared_ptr<const std::vector<V3f>> shownClean_;
    int cleanGroup_ = kAllLights;  // whose light that is
    FilmView publishedView_;
    RenderUpdate last_;
    Document document_;
    std::vector<uint32_t> screen_;
    std::chrono::steady_clock::time_point began_;
    JobThread jobs_;  // last: it ends before what it uses
};

}  // namespace ovrix::app
