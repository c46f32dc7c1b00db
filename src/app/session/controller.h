// What the panels share: the open session, what is chosen, the clock, the jobs, the files, and edits.
#pragma once
#include <QObject>
#include <QPointer>
#include <atomic>
#include <type_traits>

#include "app/session/bake_worker.h"
#include "app/session/eval_worker.h"
#include "app/session/play_clock.h"
#include "app/session/scene_files.h"
#include "app/session/selection.h"
#include "base/error.h"
#include "document/edits/edits.h"
#include "document/model/changes.h"

namespace ovrix::app {

/// Panels read here and edit through here. Of the interface's thread.
class Controller : public QObject {
    Q_OBJECT
  public:
    explicit Controller(QObject* parent = nullptr);
    ~Controller() override;

    Session& session() { return session_; }
    const Document& document() const { return session_.document(); }
    /// What there is now, for work that goes on while it is edited.
    SceneContext scene() const { return {session_.document(), session_.folder(), session_.path()}; }
    Selection& selection() { return selection_; }
    const Selection& selection() const { return selection_; }
    PlayClock& clock() { return clock_; }
    const PlayClock& clock() const { return clock_; }
    SceneFiles& files() { return files_; }
    const SceneFiles& files() const { return files_; }
    BakeWorker& bakes() { return bakes_; }
    Evaluator& evaluator() { return evaluator_; }

    const EvalSnapshot& results() const { return *results_; }
    /// Whether something is still on its way into the window.
    bool evaluating() const { return jobs().busy() || pending_ > 0; }
    /// The thread that evaluates for the view, and works for the window.
    JobThread& jobs() { return worker_.jobs(); }
    const JobThread& jobs() const { return worker_.jobs(); }
    /// Does @p work on that thread, and @p then with what it gave in the window, if @p receiver is still
    /// there. What it throws becomes a message; @p stopped is that of work that was cancelled, or empty for
    /// none.
    template <class Work>
    void runOnWorker(QObject* receiver, Work work,
                     std::function<void(const std::invoke_result_t<Work, Progress&>&)> then,
                     const QString& stopped = {}) {
        runOn(jobs(), receiver, std::move(work), std::move(then), {}, stopped);
    }
    /// The same on a thread of their own, for brushes: a touch does not wait behind an evaluation. @p failed
    /// is done where @p then is not: where the work threw, or another scene took the place of this one.
    template <class Work>
    void runOnBrushes(QObject* receiver, Work work,
                      std::function<void(const std::invoke_result_t<Work, Progress&>&)> then,
                      const std::function<void()>& failed) {
        ++brushing_;
        using Made = std::invoke_result_t<Work, Progress&>;
        runOn(
            brushes_, receiver, std::move(work),
            [this, then = std::move(then), failed, opened = opened_](const Made& made) {
                opened == opened_ ? then(made) : failed();
                brushed();
            },
            [this, failed] {
                failed();
                brushed();
            },
            {});
    }

    /// Applies an edit; Errors from @p change are shown and change nothing.
    void edit(const QString& label, const std::function<Document(const Document&)>& change,
              const std::string& mergeKey = {});
    void setValue(const ParamPath& path, const Value& value, bool dragging = false);
    void setParam(const ParamPath& path, const Param& param, bool dragging = false);
    void endDrag() { session_.endMerge(); }
    /// A key at this frame with the value that there is, or none any more.
    void toggleKey(const ParamPath& path);
    void setFormula(const ParamPath& path, int component, const std::string& text);
    /// All frames when the last is not after the first.
    void setPlayRange(int from, int to, bool dragging = false);
    /// A copy of the layer that follows its recipe, chosen.
    void duplicateLinked(const std::string& layer);
    void undo();
    void redo();
    /// The parameter as it is now; nothing when it is no longer there, which widgets that are about to go may
    /// meet.
    std::optional<Param> paramNow(const ParamPath& path) const;

    /// What the steps of the finish said of the picture that is shown.
    void setFinishReports(std::vector<StepReport> reports);
    const std::vector<StepReport>& finishReports() const { return finishReports_; }

    /// What is to be noted of the last picture that was rendered, beside what the scene itself has to note.
    void setRenderChecks(std::vector<Check> checks);
    /// All there is to note.
    std::vector<Check> checks() const;

    bool full() const { return full_; }
    void setFull(bool full);
    /// Whether simulations that take minutes are waited for in the view; nobody waits in a scene just opened.
    void setPatient(bool patient);
    /// Looks again at what lies on the disk.
    void refreshResults() { requestResults(); }
    /// Bakes the layer's simulation over the scene's range, on a worker. The scene must have a file.
    void bakeLayer(const std::string& layer);
    /// What the chosen layer lies on, ready for rays, while tools aim at it; null when no layer is chosen, it
    /// lies on nothing, or it is still being made.
    SurfacePtr surfaceOfChosen() const;

    /// All that belongs to one scene ends, and begins anew with another that @p change opens.
    void toScene(const std::function<void()>& change);

    /// Runs @p body; an Error from it becomes a message. True when it went through.
    bool guarded(const std::function<void()>& body);
    void say(const QString& text, bool bad = false) { Q_EMIT message(text, bad); }

  Q_SIGNALS:
    /// @param changes  what differs from the document of the last time
    void documentChanged(const DocumentChanges& changes);
    void resultsChanged();
    void finishChanged();
    void checksChanged();
    /// A sheet over what a parameter could be is asked for; or over all seeds of a node, where it names none.
    /// @param second  beside the one that is varied already
    void variationsWanted(const ParamPath& path, bool second);
    void modeChanged();
    void bakingChanged();
    void fileChanged();
    /// Another scene took the place of this one.
    void sceneChanged();
    void message(const QString& text, bool bad);

  private:
    template <class Work>
    void runOn(JobThread& thread, QObject* receiver, Work work,
               std::function<void(const std::invoke_result_t<Work, Progress&>&)> then,
               std::function<void()> failed, const QString& stopped);
    void brushed();
    void requestResults();
    void onDocumentChanged();
    void tellDocument();
    void inWindow(std::function<void()> what);

    Evaluator evaluator_;
    Session session_;
    Document told_;  ///< as it was when documentChanged() was last told
    std::shared_ptr<const EvalSnapshot> results_ = std::make_shared<EvalSnapshot>();
    Selection selection_;
    PlayClock clock_;
    SceneFiles files_;
    std::vector<StepReport> finishReports_;
    std::vector<Check> renderChecks_;
    bool full_ = false, patient_ = false;
    bool changingScene_ = false;
    uint64_t opened_ = 0;          ///< counts scenes
    std::atomic<int> pending_{0};  ///< runs and results that have not come back into the window
    int brushing_ = 0;             ///< those of brushes among them
    std::vector<std::function<void()>> afterBrushes_;  ///< what was asked for meanwhile
    BakeWorker bakes_;                                 // these last: they end before what they use
    JobThread brushes_;
    EvalWorker worker_;
};

template <class Work>
void Controller::runOn(JobThread& thread, QObject* receiver, Work work,
                       std::function<void(const std::invoke_result_t<Work, Progress&>&)> then,
                       std::function<void()> failed, const QString& stopped) {
    ++pending_;
    thread.post([this, to = QPointer<QObject>(receiver), work = std::move(work), then = std::move(then),
                 failed = std::move(failed), stopped](Progress& progress) {
        const auto back = [this, to](std::function<void()> what) {
            inWindow([this, to, what = std::move(what)] {
                --pending_;
                if (to) what();
            });
        };
        QString problem;
        try {
            auto made = std::make_shared<const std::invoke_result_t<Work, Progress&>>(work(progress));
            return back([then, made] { then(*made); });
        } catch (const Cancelled&) {
            problem = stopped;
        } catch (const std::exception& e) {
            problem = QString::fromStdString(problemOf(e));
        }
        back([failed] {
            if (failed) failed();
        });
        if (!problem.isEmpty()) inWindow([this, problem] { say(problem, true); });
    });
}

}  // namespace ovrix::app
