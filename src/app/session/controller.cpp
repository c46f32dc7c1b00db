#include "app/session/controller.h"

#include <QScopedValueRollback>

#include "document/edits/keying.h"

namespace ovrix::app {

Controller::Controller(QObject* parent)
    : QObject(parent),
      told_(session_.document()),
      selection_(session_, this),
      clock_(
          session_, [this] { return evaluating(); }, this),
      files_(*this),
      bakes_([this](const std::string& text, bool bad, bool ended) {
          inWindow([this, text, bad, ended] {
              if (!text.empty()) say(QString::fromStdString(text), bad);
              if (ended) requestResults();
              Q_EMIT bakingChanged();
          });
      }),
      brushes_([this](const std::exception& e) {
          inWindow([this, problem = QString::fromStdString(problemOf(e))] { say(problem, true); });
      }),
      worker_(evaluator_, [this](const std::shared_ptr<const EvalSnapshot>& s) {
          ++pending_;
          inWindow([this, s] {
              --pending_;
              if (s->opened != opened_) return;  // of a scene that was open before
              results_ = s;
              Q_EMIT resultsChanged();
          });
      }) {
    session_.onChange = [this] { onDocumentChanged(); };
    connect(&clock_, &PlayClock::frameChanged, this, &Controller::requestResults);
    connect(&clock_, &PlayClock::playingChanged, this, [this] {
        if (!clock_.playing()) requestResults();  // exact again, and looked at closely
    });
    connect(&selection_, &Selection::overlayChanged, this, &Controller::requestResults);
    connect(&selection_, &Selection::aimingChanged, this, &Controller::requestResults);
    connect(&selection_, &Selection::selectionChanged, this, [this] {
        if (selection_.aiming()) requestResults();
    });
    requestResults();
}

Controller::~Controller() { session_.onChange = nullptr; }

/// Later, on the interface's thread.
void Controller::inWindow(std::function<void()> what) {
    QMetaObject::invokeMethod(this, std::move(what), Qt::QueuedConnection);
}

void Controller::onDocumentChanged() {
    if (changingScene_) return;
    selection_.followDocument();
    tellDocument();
    clock_.takeHold();
    requestResults();
    files_.noteEdit();
}

void Controller::tellDocument() {
    const DocumentChanges changes = changesBetween(told_, document());
    told_ = document();
    Q_EMIT documentChanged(changes);
}

void Controller::requestResults() {
    if (changingScene_) return;
    worker_.request({.scene = scene(),
                     .full = full_,
                     .frame = clock_.frame(),
                     .overlay = selection_.overlay(),
                     .painted = selection_.painting().node,
                     .live = clock_.live(),
                     .patient = patient_,
                     .opened = opened_,
                     .playing = clock_.playing(),
                     .aimedFrom = selection_.aiming() ? selection_.id() : std::string()});
}

void Controller::setPatient(bool patient) {
    if (std::exchange(patient_, patient) != patient) requestResults();
}

bool Controller::guarded(const std::function<void()>& body) {
    try {
        body();
        return true;
    } catch (const Cancelled&) {
    } catch (const std::bad_alloc&) {
        say("There was not enough memory. Lower the count, or work in Draft.", true);
    } catch (const std::exception& e) {
        say(QString::fromStdString(problemOf(e)), true);
    }
    return false;
}

void Controller::edit(const QString& label, const std::function<Document(const Document&)>& change,
                      const std::string& mergeKey) {
    guarded([&] { session_.apply(label.toStdString(), change(document()), mergeKey); });
}

void Controller::setParam(const ParamPath& path, const Param& param, bool dragging) {
    edit(
        "Change " + QString::fromStdString(specAt(document(), path).title),
        [&](const Document& d) { return withParam(d, path, param); }, dragging ? path.text() : std::string());
}

void Controller::setValue(const ParamPath& path, const Value& value, bool dragging) {
    edit(
        "Change " + QString::fromStdString(specAt(document(), path).title),
        [&](const Document& d) { return withValueAt(d, path, clock_.frame(), value); },
        dragging ? path.text() : std::string());
}

void Controller::toggleKey(const ParamPath& path) {
    const Param param = paramAt(document(), path);
    if (keyAt(param, clock_.frame()))
        edit("Remove key", [&](const Document& d) { return withoutKey(d, path, clock_.frame()); });
    else
        edit("Set key", [&](const Document& d) {
            return withKey(d, path, clock_.frame(), param.at(clock_.frame(), d.rate()));
        });
}

void Controller::setFormula(const ParamPath& path, int component, const std::string& text) {
    edit("Set formula", [&](const Document& d) { return withFormula(d, path, component, text); });
}

void Controller::setPlayRange(int from, int to, bool dragging) {
    edit(
        "Set what is played",
        [&](const Document& d) {
            return withValue(withValue(d, {"scene", "", "loop_from"}, int64_t(from)),
                             {"scene", "", "loop_to"}, int64_t(to));
        },
        dragging ? "loop" : "");
}

void Controller::bakeLayer(const std::string& layer) {
    if (session_.path().empty()) return say("Save the scene first: bakes lie beside it", true);
    const auto [first, last] = document().frames();
    bakes_.start({scene(), layer, first, last});
    Q_EMIT bakingChanged();
}

std::optional<Param> Controller::paramNow(const ParamPath& path) const {
    try {
        return paramAt(document(), path);
    } catch (const Error&) {
        return std::nullopt;
    }
}

/// What was asked for while a stroke was still on its way comes when it is there.
void Controller::brushed() {
    if (--brushing_ > 0) return;
    for (const auto& what : std::exchange(afterBrushes_, {})) what();
}

void Controller::undo() {
    if (brushing_ > 0) {
        afterBrushes_.emplace_back([this] { undo(); });
        return;
    }
    if (!session_.canUndo()) return;
    const auto label = QString::fromStdString(session_.undoLabel());
    session_.undo();
    say("Took back: " + label);
}

void Controller::redo() {
    if (brushing_ > 0) {
        afterBrushes_.emplace_back([this] { redo(); });
        return;
    }
    if (!session_.canRedo()) return;
    const auto label = QString::fromStdString(session_.redoLabel());
    session_.redo();
    say("Did again: " + label);
}

void Controller::setFinishReports(std::vector<StepReport> reports) {
    if (reports.empty() && finishReports_.empty()) return;
    finishReports_ = std::move(reports);
    Q_EMIT finishChanged();
}

void Controller::setRenderChecks(std::vector<Check> checks) {
    if (checks.empty() && renderChecks_.empty()) return;
    renderChecks_ = std::move(checks);
    Q_EMIT checksChanged();
}

std::vector<Check> Controller::checks() const {
    std::vector<Check> all = results_->checks;
    all.insert(all.end(), renderChecks_.begin(), renderChecks_.end());
    return all;
}

void Controller::setFull(bool full) {
    if (full == full_) return;
    full_ = full;
    Q_EMIT modeChanged();
    requestResults();
}

void Controller::duplicateLinked(const std::string& layer) {
    std::string made;
    edit("Duplicate with a shared recipe",
         [&](const Document& d) { return withLinkedLayer(d, layer, d.value(layer, kLayer.surface), &made); });
    if (!made.empty()) selection_.select(made);
}

/// Nothing of the old scene is asked for in the frame of the new one, and nothing of the new in that of the
/// old.
void Controller::toScene(const std::function<void()>& change) {
    {
        const QScopedValueRollback changing(changingScene_, true);
        clock_.setPlaying(false);
        patient_ = false;
        jobs().cancel();
        evaluator_.forgetLast();
        renderChecks_.clear();
        selection_.clear();
        change();
        ++opened_;
        afterBrushes_.clear();
        clock_.rewind();
        tellDocument();
        Q_EMIT clock_.frameChanged();
        Q_EMIT selection_.selectionChanged();
        Q_EMIT selection_.paintingChanged();
        Q_EMIT selection_.overlayChanged();
        Q_EMIT fileChanged();
    }
    requestResults();
    Q_EMIT sceneChanged();
}

SurfacePtr Controller::surfaceOfChosen() const {
    return results_->aimedFrom == selection_.id() ? results_->aimedAt : nullptr;
}

}  // namespace ovrix::app
