// What the panels share: the session, the selection, the results. Panels read here and edit through here.
#pragma once
#include <QElapsedTimer>
#include <QObject>
#include <QStringList>

#include "app/session/bake_worker.h"
#include "app/session/eval_worker.h"
#include "deliver/export.h"
#include "document/edits/edits.h"
#include "document/file/session.h"
#include "io/formats/format.h"

class QTimer;

namespace ovrix::app {

/// What a file dialog offers: the title, with the endings of the formats that can be used so.
QString fileFilter(const char* title, Use use);

class Controller : public QObject {
    Q_OBJECT
  public:
    explicit Controller(QObject* parent = nullptr);
    ~Controller() override;

    Session& session() { return session_; }
    const Document& document() const { return session_.document(); }
    /// What there is now, for work that goes on while it is edited.
    SceneContext scene() const { return {session_.document(), session_.folder(), session_.path()}; }
    Evaluator& evaluator() { return evaluator_; }
    const EvalSnapshot& results() const { return *results_; }
    bool evaluating() const { return worker_.busy(); }
    EvalWorker& worker() { return worker_; }
    const EvalWorker& worker() const { return worker_; }

    /// Applies an edit; Errors from @p change are shown and change nothing.
    void edit(const QString& label, const std::function<Document(const Document&)>& change,
              const std::string& mergeKey = {});
    void setValue(const ParamPath& path, const Value& value, bool dragging = false);
    void setParam(const ParamPath& path, const Param& param, bool dragging = false);
    void endDrag() { session_.endMerge(); }
    /// A copy of the layer that follows its recipe, chosen.
    void duplicateLinked(const std::string& layer);
    void undo();
    void redo();

    const std::string& selected() const { return selected_; }
    /// The parameter as it is now; nothing when it is no longer there, which widgets that are about to go may
    /// meet.
    std::optional<Param> paramNow(const ParamPath& path) const;
    /// Null when nothing is selected.
    const Node* selectedNode() const { return document().find(selected_); }
    void select(const std::string& id);
    /// What the chosen layer lies on, as it was made for the layer; null when no layer is chosen or it lies
    /// on nothing.
    SurfacePtr surfaceOfChosen();

    bool full() const { return full_; }
    void setFull(bool full);
    double frame() const { return frame_; }
    void setFrame(double frame);
    bool playing() const;
    /// Plays the range again and again, or stops.
    void setPlaying(bool on);
    /// The frames that are played: the scene's loop, or all of it.
    std::pair<int, int> playRange() const;
    /// All frames when the last is not after the first.
    void setPlayRange(int from, int to, bool dragging = false);

    /// A key at this frame with the value that there is, or none any more.
    void toggleKey(const ParamPath& path);
    void setFormula(const ParamPath& path, int component, const std::string& text);

    BakeWorker& bakes() { return bakes_; }
    /// Whether simulations that take minutes are waited for in the view; nobody waits in a scene just opened.
    void setPatient(bool patient);
    /// Looks again at what lies on the disk.
    void refreshResults() { requestResults(); }
    /// Bakes the layer's simulation over the scene's range, on a worker. The scene must have a file.
    void bakeLayer(const std::string& layer);

    /// The field whose heat map lies on the surface; an empty node for none.
    const ParamPath& overlay() const { return overlay_; }
    void setOverlay(const ParamPath& path);

    /// The painted source that the view's brush works on; an empty node for none.
    const ParamPath& painting() const { return painting_; }
    void setPainting(const ParamPath& source);

    /// Runs @p body; an Error from it becomes a message. True when it went through.
    bool guarded(const std::function<void()>& body);
    void say(const QString& text, bool bad = false) { Q_EMIT message(text, bad); }

    /// @param may  is asked with what was read and its folder before it takes the place of what is open
    void openScene(const QString& file,
                   const std::function<bool(const Document&, const std::filesystem::path& folder)>& may = {});
    bool saveScene(const QString& file);
    /// @param memoryGb  the limit that the new scene gets
    void newScene(double memoryGb);
    void recover(const Autosave::Found& found);
    /// Reads another scene on the worker, with its paths as seen from this one; @p then runs in the window.
    void readOther(const QString& file, std::function<void(Document)> then);
    /// Reads a mesh on the worker and adds it as an object.
    void importMesh(const QString& file);
    /// Reads a dropped file on the worker: a mesh becomes an object, strands and points a layer on the chosen
    /// surface.
    void importFile(const QString& file);
    /// Works out, on the worker, the bytes that all copies of a layer take as one mesh; @p then runs in the
    /// window.
    void measureMesh(const std::string& layer, std::function<void(double)> then);
    /// Keeps the pose of a layer's simulated strands at this frame beside the scene, and starts from it.
    void startAsNow(const std::string& layer, const std::string& step);
    /// Writes what the layer makes at Full, on the worker.
    void exportLayerTo(const std::string& layer, ExportAs what, const QString& file);
    void setAutosaveFolder(const std::filesystem::path& folder);
    Autosave* autosave() { return autosave_.get(); }
    void writeAutosave();

    QStringList recentFiles() const;
    void addRecent(const QString& file);

  Q_SIGNALS:
    void documentChanged();
    void selectionChanged();
    void resultsChanged();
    void modeChanged();
    void frameChanged();
    void playingChanged();
    void bakingChanged();
    void overlayChanged();
    void paintingChanged();
    void fileChanged();
    /// Another scene took the place of this one.
    void sceneChanged();
    void message(const QString& text, bool bad);

  private:
    void requestResults();
    void addElements(const std::filesystem::path& path, const std::string& step);
    std::string pathInScene(const std::filesystem::path& path) const;
    void toScene(const std::function<void()>& change);
    void onDocumentChanged();
    void playOn();
    Evaluator evaluator_;
    Session session_;
    std::shared_ptr<const EvalSnapshot> results_ = std::make_shared<EvalSnapshot>();
    std::string selected_;
    bool full_ = false, patient_ = false;
    double frame_ = 1, playFrom_ = 1;
    uint64_t live_ = 0, liveRuns_ = 0;  ///< see EvalOptions::live
    QElapsedTimer played_;
    QTimer* playTimer_;
    ParamPath overlay_, painting_;
    std::unique_ptr<Autosave> autosave_;
    QTimer* autosaveTimer_;
    bool changingScene_ = false;
    BakeWorker bakes_;  // these two last: they end before what they use
    EvalWorker worker_;
};

}  // namespace ovrix::app
