// What is dragged into the window: files, recipes, materials.
#include <QDragEnterEvent>
#include <QMimeData>

#include "app/outline/outline.h"
#include "app/view/view_widget.h"
#include "app/window/finishings_window.h"
#include "app/window/library_window.h"
#include "app/window/main_window.h"
#include "app/window/materials_window.h"
#include "document/edits/edits.h"
#include "document/edits/outside.h"
#include "document/library/finish_file.h"
#include "document/library/material_file.h"

namespace ovrix::app {

void MainWindow::dragEnterEvent(QDragEnterEvent* e) {
    for (const char* mime : {kRecipeMime, kMaterialMime, kFinishMime})
        if (e->mimeData()->hasFormat(mime)) return e->acceptProposedAction();
    const Node* node = controller_.document().find(e->mimeData()->data(kNodeMime).toStdString());
    if (node && node->category() == Category::Material) return e->acceptProposedAction();
    for (const QUrl& url : e->mimeData()->urls())
        if (url.isLocalFile()) return e->acceptProposedAction();
}

/// The object or layer under the mouse, in the view or the outline; empty for none.
std::string MainWindow::dropTarget(const QPoint& at) const {
    std::string target;
    if (view_ && view_->rect().contains(view_->mapFrom(this, at)))
        target = view_->pick(view_->mapFrom(this, at));
    else
        target = outline_->idAt(outline_->viewport()->mapFrom(this, at));
    const Node* node = controller_.document().find(target);
    const bool fits = node && (node->category() == Category::Object || node->category() == Category::Layer);
    return fits ? target : std::string();
}

/// Whether the artist lets a file of a library bring the files that it names along.
std::function<bool(const Document&)> MainWindow::asksAbout(const char* what, const QString& file) {
    return [this, what, file](const Document& after) {
        const std::filesystem::path from = std::filesystem::absolute(file.toStdString()).parent_path();
        for (const PartsKind* kind : {&kRecipes, &kMaterials, &kFinishings}) {
            const PartsFolders known = foldersOf(*kind);
            if (from == known.own || from == known.builtIn) return true;
        }
        return mayRead(what, filesAdded(controller_.document(), after, controller_.session().folder(), from),
                       from);
    };
}

/// A recipe that is dropped lies on what is under the mouse.
void MainWindow::dropRecipe(const QString& file, const QPoint& at) {
    const std::string target = dropTarget(at);
    if (target.empty())
        return controller_.say("Drop a recipe on a surface, in the view or in the outline", true);
    layRecipe(controller_, file, target, asksAbout("recipe", file));
}

/// What is under the mouse wears it.
void MainWindow::dropMaterial(const QString& file, const QPoint& at) {
    const std::string target = dropTarget(at);
    if (target.empty())
        return controller_.say("Drop a material on a thing, in the view or in the outline", true);
    wearMaterial(controller_, file, target, asksAbout("material", file));
}

/// A material of the scene that is dropped in the view.
void MainWindow::dropNode(const std::string& id, const QPoint& at) {
    const Node* node = controller_.document().find(id);
    const std::string target = dropTarget(at);
    if (!node || node->category() != Category::Material || target.empty()) return;
    controller_.edit("Wear a material", [&](const Document& d) { return withWorn(d, target, id); });
}

void MainWindow::dropEvent(QDropEvent* e) {
    if (e->mimeData()->hasFormat(kRecipeMime))
        dropRecipe(QString::fromUtf8(e->mimeData()->data(kRecipeMime)), e->position().toPoint());
    if (e->mimeData()->hasFormat(kMaterialMime))
        dropMaterial(QString::fromUtf8(e->mimeData()->data(kMaterialMime)), e->position().toPoint());
    if (e->mimeData()->hasFormat(kFinishMime)) {
        const QString file = QString::fromUtf8(e->mimeData()->data(kFinishMime));
        useFinish(controller_, file, asksAbout("finish", file));
    }
    if (e->mimeData()->hasFormat(kNodeMime))
        dropNode(e->mimeData()->data(kNodeMime).toStdString(), e->position().toPoint());
    for (const QUrl& url : e->mimeData()->urls()) {
        const QString file = url.toLocalFile();
        if (file.endsWith(".ovrix", Qt::CaseInsensitive)) {
            openScene(file);
        } else if (file.endsWith(".recipe", Qt::CaseInsensitive)) {
            dropRecipe(file, e->position().toPoint());
        } else if (file.endsWith(".material", Qt::CaseInsensitive)) {
            dropMaterial(file, e->position().toPoint());
        } else if (file.endsWith(".finish", Qt::CaseInsensitive)) {
            useFinish(controller_, file, asksAbout("finish", file));
        } else {
            controller_.files().importFile(file);
        }
    }
    e->acceptProposedAction();
}

}  // namespace ovrix::app
