// The thread that renders beside the view. A new request takes the place of the one that runs.
#pragma once
#include <QImage>
#include <functional>
#include <memory>
#include <optional>

#include "app/session/job_thread.h"
#include "deliver/pictures/finish_picture.h"
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
    uint64_t request = 0;  ///< which it belongs to: see RenderWorker::start()
    QImage image;
    int pass = 0, passes = 0;
    double seconds = 0;  ///< since the request
    QString state;       ///< what is being done, or what went wrong
    bool failed = false, done = false;
    bool clean = false;              ///< whether the noise was taken out of the image
    FilmLayout layout;               ///< what the film has to be looked at
    QSize film, shown;               ///< pixels of the film, and of the image
    PictureWindow window;            ///< what of it the image shows: the finish may crop
    std::vector<StepReport> finish;  ///< of the steps of the finish; empty where they did not run
    std::vector<std::string> problems;
    double cut = 0;  ///< the part of the light that the firefly limit took
    QString note;    ///< what went wrong beside the render, said once
};

/// How the picture is looked at on this screen alone: nothing that is saved knows of it.
struct PictureLook {
    float exposure = 0, gamma = 1;  ///< EV; above 1 brightens the dark
    bool stops = false;             ///< colours tell how many stops from middle grey light is
    bool operator==(const PictureLook&) const = default;
};

/// What there is after whole passes, and what it was made with.
struct RenderedFilm {
    std::shared_ptr<const Film> film;               ///< null before there is one
    std::shared_ptr<const std::vector<V3f>> clean;  ///< its light without noise; null where that is not known
    std::shared_ptr<const RenderJob> job;
    std::shared_ptr<const std::vector<float>> factors = nullptr;  ///< of its light: see lightsOf()
};

/// Makes what a screen shows of light: through the scene's finish, and as it is looked at. For one thread.
class ScreenMaker {
  public:
    explicit ScreenMaker(Evaluator& evaluator) : evaluator_(evaluator) {}
    struct Input {
        const Film& film;
        const RenderJob& job;
        FilmView view;                                  ///< of light
        std::shared_ptr<const std::vector<V3f>> clean;  ///< its light without noise; null for as it is
        std::shared_ptr<const SceneContext> scene;      ///< says the finish
        PictureLook look;
        HeatTable heat;
        double frame = 1;
        std::shared_ptr<const std::vector<float>> factors = nullptr;  ///< see lightsOf()
    };
    /// Fills in the image and what goes with it. Throws Cancelled.
    void make(const Input& in, RenderUpdate& update, Progress& progress);

  private:
    std::vector<V3f> lightOf(const Input& in, RenderUpdate& update, Progress& progress);
    Evaluator& evaluator_;
    std::vector<uint32_t> screen_;
    std::vector<std::vector<V3f>> cleanGroups_;              // of each group, where they are balanced
    std::shared_ptr<const std::vector<V3f>> cleanGroupsOf_;  // the picture that they are parts of
};

class RenderWorker {
  public:
    using Publish = std::function<void(RenderUpdate)>;
    RenderWorker(Evaluator& evaluator, Publish publish);
    /// @return  the number of the request: what is told of it bears it
    uint64_t start(RenderRequest request);
    void stop() {
        jobs_.clear();
        finishing_.clear();
    }
    bool busy() const { return jobs_.busy() || finishing_.busy(); }
    /// Takes the noise out of what is shown: after one pass, two, four and so on and the last; in between
    /// what was clean stays. Nothing is rendered again for it.
    void setDenoising(bool on);
    bool denoising() const { return denoising_; }
    /// Shows what filmViews() has of that id, by those colours where it is heat; the light where there is
    /// none of that id, and without one. Nothing is rendered again for it.
    void show(const std::string& id, const HeatTable& heat = {});
    /// Shows it so; nothing is rendered or finished again for it that need not be.
    void lookAs(const PictureLook& look);
    /// Finishes what is shown as this scene says; nothing is rendered again for it.
    void finishAs(const SceneContext& scene);
    /// What that is in a film.
    FilmView shownView(const Film& film) const;
    /// No older than a second or a pass. For saving and probing.
    RenderedFilm rendered() const;
    std::shared_ptr<const Film> film() const { return rendered().film; }
    void waitIdle() {
        jobs_.waitIdle();
        finishing_.waitIdle();
    }

  private:
    void tell(RenderUpdate update);
    void publishProblem(const std::exception& problem);
    void render(const RenderRequest& request, Progress& progress);
    using Factors = std::shared_ptr<const std::vector<float>>;
    void publish(const Film& film, const RenderJob& job, const Factors& factors, RenderUpdate update,
                 Progress& progress);
    void finishAgain();
    void refinish(Progress& progress);
    void keep(const Film& film, const std::shared_ptr<const RenderJob>& job, const Factors& factors,
              bool must);
    bool showFirst(const RenderRequest& request, const RenderJob& job, const Renderer& renderer, Film& film,
                   RenderUpdate& update, Progress& progress);
    bool showHalf(const RenderRequest& request, const RenderJob& job, RenderUpdate update,
                  Progress& progress);
    bool wantsCleaning(const Film& film, int pass, bool last) const;
    void clean(const Film& film, const Document& document, RenderUpdate& update, Progress& progress);
    void showAgain(Progress& progress);
    void postShowAgain();
    std::shared_ptr<Film> startFilm(const RenderRequest& request, const Rect& region,
                                    const FilmLayout& layout) const;

    RenderSceneBuilder builder_;
    ScreenMaker screens_, otherScreens_;  // of the thread that renders; of the one that finishes beside it
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
    RenderUpdate last_;  // under the mutex
    std::atomic<double> frame_{1};
    std::atomic<uint64_t> requests_{0}, request_{0};  // started; at work
    std::shared_ptr<const SceneContext> scene_;       // by which it is finished; under the mutex
    bool refinish_ = false;  // it is another than that of what is shown; under the mutex
    PictureLook look_;       // under the mutex
    std::chrono::steady_clock::time_point began_;
    JobThread finishing_;  // these last: they end before what they use
    JobThread jobs_;
};

}  // namespace ovrix::app
