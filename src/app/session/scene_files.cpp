#include "app/session/scene_files.h"

#include <QSettings>
#include <QTimer>

#include "app/session/controller.h"
#include "app/theme/theme.h"
#include "base/file_sequence.h"
#include "base/files.h"
#include "document/edits/first_look.h"
#include "document/edits/outside.h"
#include "document/file/scene_file.h"
#include "document/model/values.h"
#include "eval/pose.h"
#include "io/formats/elements_io.h"

namespace ovrix::app {

SceneFiles::SceneFiles(Controller& controller) : controller_(controller), autosaveTimer_(new QTimer(this)) {
    autosaveTimer_->setSingleShot(true);
    autosaveTimer_->setInterval(3000);
    connect(autosaveTimer_, &QTimer::timeout, this, &SceneFiles::writeAutosave);
}

QString fileFilter(const char* title, Use use) {
    return QString("%1 (%2)").arg(title, QString::fromStdString(patternsFor(use)));
}

static QString nameOf(const std::filesystem::path& path) {
    return QString::fromStdString(path.filename().string());
}

void SceneFiles::openScene(
    const QString& file,
    const std::function<bool(const Document&, const std::filesystem::path& folder)>& may) {
    controller_.guarded([&] {
        const std::filesystem::path path = std::filesystem::absolute(file.toStdString());
        const Document opened = loadScene(path);
        if (may && !may(opened, path.parent_path())) return;
        controller_.toScene([&] { controller_.session().reset(opened, path); });
        if (autosave_) autosave_->clear();
        addRecent(QString::fromStdString(controller_.session().path().string()));
    });
}

bool SceneFiles::saveScene(const QString& file) {
    return controller_.guarded([&] {
        Session& session = controller_.session();
        session.save(file.toStdString());
        if (autosave_) autosave_->clear();
        autosaveTimer_->stop();
        addRecent(QString::fromStdString(session.path().string()));
        Q_EMIT controller_.fileChanged();
        controller_.say("Saved " + nameOf(session.path()));
    });
}

void SceneFiles::newScene(double memoryGb) {
    controller_.toScene([&] {
        controller_.session().reset(withValue(Document::fresh(), {"scene", "", "memory"}, memoryGb));
    });
}

void SceneFiles::recover(const Autosave::Found& found) {
    controller_.guarded([&] {
        const Document kept = Autosave::read(found);
        controller_.toScene([&] { controller_.session().recover(kept, found.original); });
        Autosave::discard(found);
        controller_.say("Recovered what was not saved");
    });
}

void SceneFiles::measureMesh(const std::string& layer, std::function<void(double)> then) {
    controller_.runOnWorker(
        this,
        [this, layer, now = controller_.scene(), frame = controller_.clock().frame()](Progress& progress) {
            return meshBytes(now, layer, controller_.evaluator(), {frame, Purpose::Render, true}, progress);
        },
        std::move(then), "Not written: stopped");
}

void SceneFiles::exportLayerTo(const std::string& layer, ExportAs what, const QString& file) {
    const std::filesystem::path path = file.toStdString();
    controller_.say("Writing " + nameOf(path));
    controller_.runOnWorker(
        this,
        [this, layer, what, path, now = controller_.scene(),
         frame = controller_.clock().frame()](Progress& progress) {
            const EvalOptions options{frame, Purpose::Render, true};
            const LayerResult made =
                exportLayer(now, layer, what, path, controller_.evaluator(), options, progress);
            return elementCount(made.geometry);
        },
        [this, path](size_t count) {
            controller_.say(QString("Wrote %1 elements to %2").arg(shortCount(double(count)), nameOf(path)));
        },
        "Not written: stopped");
}

void SceneFiles::startAsNow(const std::string& layer, const std::string& step) {
    if (controller_.session().path().empty())
        return controller_.say("Save the scene first: poses lie beside it", true);
    controller_.say("Keeping the pose of this frame");
    controller_.runOnWorker(
        this,
        [this, layer, now = controller_.scene(), frame = controller_.clock().frame()](Progress& progress) {
            return writePose(controller_.evaluator(), now, layer, frame, progress);
        },
        [this, layer, step](const std::filesystem::path& file) {
            controller_.edit("Start as it is now", [&](const Document& d) {
                return withValue(d, {layer, step, "starts_as"}, pathInScene(file));
            });
        },
        "The pose was not kept: stopped");
}

/// Relative to the scene when it has a place.
std::string SceneFiles::pathInScene(const std::filesystem::path& path) const {
    const Session& session = controller_.session();
    const auto whole = std::filesystem::absolute(path);
    const auto relative = whole.lexically_relative(session.folder());
    return (session.path().empty() || relative.empty() ? whole : relative).string();
}

void SceneFiles::importFile(const QString& file) {
    const std::filesystem::path path = file.toStdString();
    const Format* format = formatOf(path);
    if (!format || !format->can(Use::ReadElements)) return importMesh(file);
    controller_.say("Looking at " + nameOf(path));
    controller_.runOnWorker(
        this,
        [path](Progress&) -> std::string {  // the step that reads it; none for a mesh
            return holdsStrands(path) ? "strand_file" : holdsElements(path) ? "from_file" : "";
        },
        [this, path, file](const std::string& step) {
            if (step.empty()) return importMesh(file);
            addElements(path, step);
        });
}

/// A layer of what a file holds, on the chosen surface or on that of the chosen layer.
void SceneFiles::addElements(const std::filesystem::path& path, const std::string& step) {
    std::string surface = controller_.selection().id(), id;
    if (const Node* node = controller_.selection().node(); node && node->category() == Category::Layer)
        surface = controller_.document().value(node->id, kLayer.surface);
    const Node* on = controller_.document().find(surface);
    if (!on || on->category() != Category::Object) surface.clear();  // points lie where the file says
    if (surface.empty() && step == "strand_file")
        return controller_.say("Choose the surface that " + QString::fromStdString(path.filename().string()) +
                                   " belongs to, then drop it again",
                               true);
    controller_.edit("Add " + QString::fromStdString(path.filename().string()), [&](const Document& d) {
        const std::string sequence = sequenceOf(path);  // a frame stands for all of them
        std::string name = path.stem().string();
        if (isSequence(sequence)) name.erase(name.find_last_not_of("0123456789._-") + 1);
        Node layer = makeNode(d, "layer", name);
        layer.params[kLayer.surface.id()].value = surface;
        layer.steps.push_back(makeStep(step, layer));
        setValue(layer.steps[0], "file", pathInScene(sequence));
        id = layer.id;
        return withNode(d, std::move(layer));
    });
    controller_.selection().select(id);
    if (surface.empty())
        controller_.say("Added as a layer where the file says; choose a surface for it if it belongs on one");
}

void SceneFiles::readOther(const QString& file, std::function<void(Document)> then) {
    const std::filesystem::path path = std::filesystem::absolute(file.toStdString());
    const Session& session = controller_.session();
    const std::filesystem::path here = session.path().empty() ? std::filesystem::path() : session.folder();
    controller_.say("Reading " + nameOf(path));
    controller_.runOnWorker(
        this, [path, here](Progress&) { return rebasePaths(loadScene(path), path.parent_path(), here); },
        std::move(then));
}

namespace {

struct ReadMesh {
    FileMesh mesh;
    std::vector<std::string> dropped;  ///< images outside of the mesh's folder and the scene's
};

QString addedText(const std::filesystem::path& path, const ReadMesh& read) {
    QString text = QString("Added %1 with %2 triangles")
                       .arg(nameOf(path), shortCount(double(read.mesh.mesh->triangles().size())));
    if (read.dropped.empty()) return text;
    const size_t more = read.dropped.size() - 1;
    return text + QString(", without %1 that %2 outside of its folder: choose what you trust in its material")
                      .arg(QString::fromStdString(read.dropped[0]),
                           more ? QString("and %1 more lie").arg(more) : "lies");
}

}  // namespace

void SceneFiles::importMesh(const QString& file) {
    const std::filesystem::path path = file.toStdString();
    controller_.say("Reading " + nameOf(path));
    controller_.runOnWorker(
        this,
        [path, home = controller_.session().folder()](Progress& progress) {
            ReadMesh read{readMesh(path, progress), {}};
            read.dropped =
                dropImagesOutside(read.mesh, {std::filesystem::absolute(path).parent_path(), home});
            return read;
        },
        [this, path](const ReadMesh& read) {
            std::string id;
            bool first = false;
            controller_.edit("Add " + nameOf(path), [&](const Document& d) {
                const Document added = withMeshFile(d, pathInScene(path), read.mesh, &id);
                Document looked = withFirstLook(added, id, read.mesh.mesh->bounds());
                first = !(looked == added);
                return looked;
            });
            controller_.selection().select(id);
            if (first) Q_EMIT firstThingAdded();
            controller_.say(addedText(path, read));
        },
        "Not added: stopped");
}

void SceneFiles::setAutosaveFolder(const std::filesystem::path& folder) {
    autosave_ = std::make_unique<Autosave>(folder);
}

void SceneFiles::noteEdit() {
    if (autosave_) autosaveTimer_->start();
}

void SceneFiles::writeAutosave() {
    if (!autosave_) return;
    const Session& session = controller_.session();
    if (!session.dirty()) return autosave_->clear();
    controller_.guarded([&] { autosave_->write(controller_.document(), session.folder(), session.path()); });
}

QStringList SceneFiles::recentFiles() const { return QSettings().value("recentFiles").toStringList(); }

void SceneFiles::addRecent(const QString& file) {
    QStringList files = recentFiles();
    files.removeAll(file);
    files.prepend(file);
    QSettings().setValue("recentFiles", QStringList(files.mid(0, 10)));
}

}  // namespace ovrix::app
