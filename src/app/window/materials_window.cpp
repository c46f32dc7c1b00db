#include "app/window/materials_window.h"

#include <QPushButton>

#include "base/files.h"
#include "deliver/pictures/material_picture.h"
#include "document/edits/edits.h"
#include "document/library/material_file.h"

namespace ovrix::app {

static PartsFile loadMaterial(const std::filesystem::path& path) {
    return readParts(readFile(path), path.string(), kMaterials);
}

MaterialsWindow::MaterialsWindow(Controller& c, QWidget* parent)
    : PartsWindow(c, parent, kMaterials, kMaterialMime,
                  {.name = "materials",
                   .title = "Materials",
                   .save = "Save the chosen material",
                   .first = "Choose a material to save it",
                   .whatToSave = "one of the scene"},
                  [](const LibraryEntry& entry, Progress& progress) {
                      writeMaterialPicture(loadMaterial(entry.file), entry.picture, progress);
                  }) {
    wear_ = addUse("wearMaterial", "Dragging the picture on a thing in the view or the outline does the same",
                   [this](const LibraryEntry& entry) {
                       wearMaterial(controller(), textOf(entry.file), controller().selection().id());
                   });
    add_ = addUse("addMaterial", "Nothing wears it yet",
                  [this](const LibraryEntry& entry) { wearMaterial(controller(), textOf(entry.file), {}); });
    add_->setText("Add to the scene");
    begin();
}

void MaterialsWindow::showUses(const Node* node, const QString& name, bool good) {
    const bool wears = node && (node->category() == Category::Object || node->category() == Category::Layer);
    wear_->setText(wears ? "Wear it on " + name : "Choose what shall wear it");
    wear_->setEnabled(good && wears);
    add_->setEnabled(good);
}

PartsFile MaterialsWindow::partsOf(const std::string& material) const {
    return materialFileOf(controller().document(), material, controller().session().folder());
}

void wearMaterial(Controller& controller, const QString& file, const std::string& wearer,
                  const std::function<bool(const Document&)>& mayBe) {
    controller.guarded([&] {
        const PartsFile material = loadMaterial(pathOf(file));
        std::string made;
        const auto after = [&](const Document& d) {
            const Document with = withMaterialFile(d, material, &made);
            return wearer.empty() ? with : withWorn(with, wearer, made);
        };
        if (mayBe && !mayBe(after(controller.document()))) return;
        controller.edit(wearer.empty() ? "Add a material" : "Wear a material", after);
        if (wearer.empty() && !made.empty()) controller.selection().select(made);
    });
}

}  // namespace ovrix::app
