#include "app/session/controller.h"

#include <QApplication>
#include <QScopedValueRollback>
#include <QSettings>
#include <QTimer>

#include "app/theme/theme.h"
#include "base/error.h"
#include "base/file_sequence.h"
#include "base/files.h"
#include "document/edits/keying.h"
#include "document/edits/outside.h"
#include "document/file/scene_file.h"
#include "eval/pose.h"
#include "io/formats/elements_io.h"

namespace ovrix::app {

Controller::Controller(QObject* parent)
    : QObject(parent),
      playTimer_(new QTimer(this)),
      autosaveTimer_(new QTimer(this)),
      bakes_([this](const std::string& text, bool bad, bool ended) {
          QMetaObject::invokeMethod(
              this,
              [this, text, bad, ended] {
                  if (!text.empty()) say(QString::fromStdString(text), bad);
                  if (ended) requestResults();
                  Q_EMIT bakingChanged();
              },
              Qt::QueuedConnection);
      }),
      worker_(evaluator_, [this](const std::shared_ptr<const EvalSnapshot>& s) {
          QMetaObject::invokeMethod(
              this,
              [this, s] {
                  results_ = s;
                  Q_EMIT resultsChanged();
              },
              Qt::QueuedConnection);
      }) {
    session_.onChange = [this] { onDocumentChanged(); };
    autosaveTimer_->setSingleShot(true);
    autosaveTimer_->setInterval(3000);
    connect(autosaveTimer_, &QTimer::timeout, this, &Controller::writeAutosave);
    playTimer_->setTimerType(Qt::PreciseTimer);
    connect(playTimer_, &QTimer::timeout, this, &Controller::playOn);
    requestResults();
}

Controller::~Controller() { session_.onChange = nullptr; }

/// Whether what was painted on is still there, and still a painted source.
static bool paintable(const Document& document, ParamPath path) {
    const Node* node = document.find(path.node);
    if (!node) return false;
    const int source = std::exchange(path.source, -1);
    try {
        const Param param = paramAt(document, path);
        return param.field && size_t(source) < param.field->sources.size() &&
               param.field->sources[size_t(source)].type == "paint";
    } catch (const Error&) {
        return false;
    }
}

void Controller::onDocumentChanged() {
    if (changingScene_) return;
    if (!selected_.empty() && !document().find(selected_)) {
        selected_.clear();
        Q_EMIT selectionChanged();
    }
    if (!painting_.node.empty() && !paintable(document(), painting_)) setPainting({});
    Q_EMIT documentChanged();
    if (playing() && live_ == 0) live_ = ++liveRuns_;  // knobs that are turned take hold at once
    requestResults();
    if (autosave_) autosaveTimer_->start();
}

void Controller::requestResults() {
    worker_.request({scene(), full_, frame_, overlay_, painting_.node, live_, patient_});
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
        [&](const Document& d) { return withValueAt(d, path, frame_, value); },
        dragging ? path.text() : std::string());
}

void Controller::toggleKey(const ParamPath& path) {
    const Param param = paramAt(document(), path);
    if (keyAt(param, frame_))
        edit("Remove key", [&](const Document& d) { return withoutKey(d, path, frame_); });
    else
        edit("Set key",
             [&](const Document& d) { return withKey(d, path, frame_, param.at(frame_, d.rate())); });
}

void Controller::setFormula(const ParamPath& path, int component, const std::string& text) {
    edit("Set formula", [&](const Document& d) { return withFormula(d, path, component, text); });
}

void Controller::setFrame(double frame) {
    if (frame == frame_) return;
    frame_ = frame;
    Q_EMIT frameChanged();
    requestResults();
}

std::pair<int, int> Controller::playRange() const {
    const auto whole = [&](const char* id) {
        return int(std::get<int64_t>(document().setting("scene", id)));
    };
    const auto [first, last] = document().frames();
    const int from = whole("loop_from"), to = whole("loop_to");
    if (to <= from) return {first, last};
    return {std::clamp(from, first, last), std::clamp(to, first, last)};
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

bool Controller::playing() const { return playTimer_->isActive(); }

void Controller::setPlaying(bool on) {
    if (on == playing()) return;
    if (on) {
        const auto [first, last] = playRange();
        if (frame_ < first || frame_ >= last) setFrame(first);
        playFrom_ = frame_;
        played_.start();
        playTimer_->start(std::max(1, int(500.0 / document().rate())));
    } else {
        playTimer_->stop();
        if (std::exchange(live_, 0) != 0) requestResults();
    }
    Q_EMIT playingChanged();
}

/// The next frame, or the one whose time has come. Nothing is asked for while the last is still being made:
/// so a slow simulation shows each frame that it gets to.
void Controller::playOn() {
    if (worker_.busy()) return;
    const auto [first, last] = playRange();
    const double length = last - first + 1;
    const bool inTime = std::get<std::string>(document().setting("scene", "play")) == "in real time";
    double next = frame_ + 1;
    if (inTime) {
        next = playFrom_ + std::floor(double(played_.elapsed()) * 1e-3 * document().rate());
        if (next == frame_) return;
    }
    if (next > last) next = first + std::fmod(next - first, length);
    if (next < frame_) live_ = 0;  // from the first frame on it is exact again
    setFrame(next);
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

void Controller::undo() {
    if (!session_.canUndo()) return;
    const auto label = QString::fromStdString(session_.undoLabel());
    session_.undo();
    say("Took back: " + label);
}

void Controller::redo() {
    if (!session_.canRedo()) return;
    const auto label = QString::fromStdString(session_.redoLabel());
    session_.redo();
    say("Did again: " + label);
}

void Controller::select(const std::string& id) {
    if (id == selected_) return;
    selected_ = id;
    if (!painting_.node.empty() && painting_.node != id) setPainting({});
    if (!overlay_.node.empty() && overlay_.node != id) setOverlay({});
    Q_EMIT selectionChanged();
}

void Controller::setFull(bool full) {
    if (full == full_) return;
    full_ = full;
    Q_EMIT modeChanged();
    requestResults();
}

void Controller::setOverlay(const ParamPath& path) {
    if (path == overlay_) return;
    overlay_ = path;
    Q_EMIT overlayChanged();
    requestResults();
}

void Controller::duplicateLinked(const std::string& layer) {
    std::string made;
    edit("Duplicate with a shared recipe", [&](const Document& d) {
        return withLinkedLayer(d, layer, std::get<std::string>(d.value(layer, "surface")), &made);
    });
    if (!made.empty()) select(made);
}

void Controller::setPainting(const ParamPath& source) {
    if (source == painting_) return;
    painting_ = source;
    Q_EMIT paintingChanged();
    if (source.node.empty()) return;
    ParamPath owner = source;
    owner.source = -1;
    owner.sourceParam.clear();
    setOverlay(owner);
}

void Controller::openScene(
    const QString& file,
    const std::function<bool(const Document&, const std::filesystem::path& folder)>& may) {
    guarded([&] {
        const std::filesystem::path path = std::filesystem::absolute(file.toStdString());
        const Document opened = loadScene(path);
        if (may && !may(opened, path.parent_path())) return;
        toScene([&] { session_.reset(opened, path); });
        if (autosave_) autosave_->clear();
        addRecent(QString::fromStdString(session_.path().string()));
    });
}

/// All that belongs to one scene ends, and begins anew with another: nothing of the old one is asked for in
/// its frame, and nothing of the new one in that of the old.
void Controller::toScene(const std::function<void()>& change) {
    setPlaying(false);
    live_ = 0;
    patient_ = false;
    worker_.cancel();
    evaluator_.forgetLast();
    selected_.clear();
    overlay_ = painting_ = {};
    {
        const QScopedValueRollback changing(changingScene_, true);
        change();
    }
    frame_ = playRange().first;
    requestResults();
    Q_EMIT documentChanged();
    Q_EMIT frameChanged();
    Q_EMIT selectionChanged();
    Q_EMIT paintingChanged();
    Q_EMIT overlayChanged();
    Q_EMIT fileChanged();
    Q_EMIT sceneChanged();
}

bool Controller::saveScene(const QString& file) {
    return guarded([&] {
        session_.save(file.toStdString());
        if (autosave_) autosave_->clear();
        autosaveTimer_->stop();
        addRecent(QString::fromStdString(session_.path().string()));
        Q_EMIT fileChanged();
        say("Saved " + QString::fromStdString(session_.path().filename().string()));
    });
}

void Controller::newScene(double memoryGb) {
    toScene([&] { session_.reset(withValue(Document::fresh(), {"scene", "", "memory"}, memoryGb)); });
}

void Controller::recover(const Autosave::Found& found) {
    guarded([&] {
        const Document kept = Autosave::read(found);
        toScene([&] { session_.recover(kept, found.original); });
        Autosave::discard(found);
        say("Recovered what was not saved");
    });
}

void Controller::measureMesh(const std::string& layer, std::function<void(double)> then) {
    worker_.post([this, layer, then = std::move(then), now = scene(), frame = frame_](Progress& progress) {
        double bytes = 0;
        QString problem;
        try {
            bytes = meshBytes(now, layer, evaluator_, {frame, Purpose::Render, true}, progress);
        } catch (const Cancelled&) {
            problem = "Not written: stopped";
        } catch (const std::exception& e) {
            problem = QString::fromStdString(problemOf(e));
        }
        QMetaObject::invokeMethod(
            this,
            [this, bytes, problem, then] {
                if (problem.isEmpty())
                    then(bytes);
                else
                    say(problem, true);
            },
            Qt::QueuedConnection);
    });
}

void Controller::exportLayerTo(const std::string& layer, ExportAs what, const QString& file) {
    const std::filesystem::path path = file.toStdString();
    const SceneContext now = scene();
    say("Writing " + QString::fromStdString(path.filename().string()));
    worker_.post([this, layer, what, path, now, frame = frame_](Progress& progress) {
        QString text;
        bool bad = false;
        try {
            const LayerResult result =
                exportLayer(now, layer, what, path, evaluator_, {frame, Purpose::Render, true}, progress);
            text = QString("Wrote %1 elements to %2")
                       .arg(shortCount(double(elementCount(result.geometry))),
                            QString::fromStdString(path.filename().string()));
        } catch (const Cancelled&) {
            text = "Not written: stopped";
        } catch (const std::exception& e) {
            text = QString::fromStdString(problemOf(e));
            bad = true;
        }
        QMetaObject::invokeMethod(
            this, [this, text, bad] { say(text, bad); }, Qt::QueuedConnection);
    });
}

void Controller::startAsNow(const std::string& layer, const std::string& step) {
    if (session_.path().empty()) return say("Save the scene first: poses lie beside it", true);
    say("Keeping the pose of this frame");
    worker_.post([this, layer, step, now = scene(), frame = frame_](Progress& progress) {
        QString problem;
        std::filesystem::path file;
        try {
            file = writePose(evaluator_, now, layer, frame, progress);
        } catch (const std::exception& e) {
            problem = QString::fromStdString(problemOf(e));
        }
        QMetaObject::invokeMethod(
            this,
            [this, layer, step, file, problem] {
                if (!problem.isEmpty()) return say(problem, true);
                edit("Start as it is now", [&](const Document& d) {
                    return withValue(d, {layer, step, "starts_as"}, pathInScene(file));
                });
            },
            Qt::QueuedConnection);
    });
}

SurfacePtr Controller::surfaceOfChosen() {
    const Node* node = selectedNode();
    if (!node || node->category() != Category::Layer) return nullptr;
    const auto id = std::get<std::string>(document().value(node->id, "surface"));
    if (id.empty()) return nullptr;
    SurfacePtr surface;
    guarded([&] {  // it was made for the layer: this only finds it again
        surface = evaluator_.surface(scene(), id, {frame_, Purpose::Viewport, full_}, Progress::none());
    });
    return surface;
}

QString fileFilter(const char* title, Use use) {
    return QString("%1 (%2)").arg(title, QString::fromStdString(patternsFor(use)));
}

/// Relative to the scene when it has a place.
std::string Controller::pathInScene(const std::filesystem::path& path) const {
    const auto whole = std::filesystem::absolute(path);
    const auto relative = whole.lexically_relative(session_.folder());
    return (session_.path().empty() || relative.empty() ? whole : relative).string();
}

void Controller::importFile(const QString& file) {
    const std::filesystem::path path = file.toStdString();
    const Format* format = formatOf(path);
    if (!format || !format->can(Use::ReadElements)) return importMesh(file);
    say("Looking at " + QString::fromStdString(path.filename().string()));
    worker_.post([this, path, file](Progress&) {
        QString problem;
        std::string step;  // none for a mesh
        try {
            if (holdsStrands(path))
                step = "strand_file";
            else if (holdsElements(path))
                step = "from_file";
        } catch (const std::exception& e) {
            problem = QString::fromStdString(problemOf(e));
        }
        QMetaObject::invokeMethod(
            this,
            [this, path, file, step, problem] {
                if (!problem.isEmpty()) return say(problem, true);
                if (step.empty()) return importMesh(file);
                addElements(path, step);
            },
            Qt::QueuedConnection);
    });
}

/// A layer of what a file holds, on the chosen surface or on that of the chosen layer.
void Controller::addElements(const std::filesystem::path& path, const std::string& step) {
    std::string surface = selected_, id;
    if (const Node* node = selectedNode(); node && node->category() == Category::Layer)
        surface = std::get<std::string>(document().value(node->id, "surface"));
    const Node* on = document().find(surface);
    if (!on || on->category() != Category::Object) surface.clear();  // points lie where the file says
    if (surface.empty() && step == "strand_file")
        return say("Choose the surface that " + QString::fromStdString(path.filename().string()) +
                       " belongs to, then drop it again",
                   true);
    edit("Add " + QString::fromStdString(path.filename().string()), [&](const Document& d) {
        const std::string sequence = sequenceOf(path);  // a frame stands for all of them
        std::string name = path.stem().string();
        if (isSequence(sequence)) name.erase(name.find_last_not_of("0123456789._-") + 1);
        Node layer = makeNode(d, "layer", name);
        layer.params["surface"].value = surface;
        layer.steps.push_back(makeStep(step, layer));
        layer.steps[0].params["file"].value = pathInScene(sequence);
        id = layer.id;
        return withNode(d, std::move(layer));
    });
    select(id);
    if (surface.empty())
        say("Added as a layer where the file says; choose a surface for it if it belongs on one");
}

void Controller::readOther(const QString& file, std::function<void(Document)> then) {
    const std::filesystem::path path = std::filesystem::absolute(file.toStdString());
    const std::filesystem::path here = session_.path().empty() ? std::filesystem::path() : session_.folder();
    say("Reading " + QString::fromStdString(path.filename().string()));
    worker_.post([this, path, here, then = std::move(then)](Progress&) {
        try {
            const Document other = rebasePaths(loadScene(path), path.parent_path(), here);
            QMetaObject::invokeMethod(
                this, [then, other] { then(other); }, Qt::QueuedConnection);
        } catch (const std::exception& e) {
            QMetaObject::invokeMethod(
                this, [this, problem = QString::fromStdString(problemOf(e))] { say(problem, true); },
                Qt::QueuedConnection);
        }
    });
}

void Controller::importMesh(const QString& file) {
    const std::filesystem::path path = file.toStdString();
    say("Reading " + QString::fromStdString(path.filename().string()));
    worker_.post([this, path, home = session_.folder()](Progress& progress) {
        QString problem;
        FileMesh mesh;
        std::vector<std::string> dropped;
        try {
            mesh = readMesh(path, progress);
            dropped = dropImagesOutside(mesh, {std::filesystem::absolute(path).parent_path(), home});
        } catch (const std::exception& e) {
            problem = QString::fromStdString(problemOf(e));
        }
        QMetaObject::invokeMethod(
            this,
            [this, path, mesh, dropped, problem] {
                if (!problem.isEmpty()) return say(problem, true);
                std::string id;
                edit("Add " + QString::fromStdString(path.filename().string()),
                     [&](const Document& d) { return withMeshFile(d, pathInScene(path), mesh, &id); });
                select(id);
                QString added = QString("Added %1 with %2 triangles")
                                    .arg(QString::fromStdString(path.filename().string()),
                                         shortCount(double(mesh.mesh->triangles().size())));
                if (!dropped.empty())
                    added += QString(
                                 ", without %1 that %2 outside of its folder: choose what you trust in its "
                                 "material")
                                 .arg(QString::fromStdString(dropped[0]),
                                      dropped.size() > 1 ? QString("and %1 more lie").arg(dropped.size() - 1)
                                                         : "lies");
                say(added);
            },
            Qt::QueuedConnection);
    });
}

void Controller::setAutosaveFolder(const std::filesystem::path& folder) {
    autosave_ = std::make_unique<Autosave>(folder);
}

void Controller::writeAutosave() {
    if (!autosave_) return;
    if (!session_.dirty()) return autosave_->clear();
    guarded([&] { autosave_->write(document(), session_.folder(), session_.path()); });
}

QStringList Controller::recentFiles() const { return QSettings().value("recentFiles").toStringList(); }

void Controller::addRecent(const QString& file) {
    QStringList files = recentFiles();
    files.removeAll(file);
    files.prepend(file);
    QSettings().setValue("recentFiles", QStringList(files.mid(0, 10)));
}

}  // namespace ovrix::app
