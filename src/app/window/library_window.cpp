#include "app/window/library_window.h"

#include <QPushButton>

#include "deliver/pictures/recipe_picture.h"
#include "document/library/recipe_file.h"

namespace ovrix::app {

LibraryWindow::LibraryWindow(Controller& c, QWidget* parent)
    : PartsWindow(c, parent, kRecipes, kRecipeMime,
                  {.name = "library",
                   .title = "Recipe library",
                   .save = "Save the chosen layer's recipe",
                   .first = "Choose a layer to save its recipe",
                   .whatToSave = "a layer"},
                  [](const LibraryEntry& entry, Progress& progress) {
                      writeRecipePicture(loadRecipe(entry.file), entry.picture, progress);
                  }) {
    lay_ = addUse("layRecipe", "As a new layer; dragging the picture on a surface does the same",
                  [this](const LibraryEntry& entry) {
                      layRecipe(controller(), textOf(entry.file), controller().selection().id());
                  });
    use_ = addUse("useRecipe", "In place of the recipe that the layer has",
                  [this](const LibraryEntry& entry) { useInLayer(entry); });
    begin();
}

void LibraryWindow::showUses(const Node* node, const QString& name, bool good) {
    const bool layer = node && node->category() == Category::Layer;
    const bool surface = layer || (node && node->category() == Category::Object);
    lay_->setText(surface ? (layer ? "Lay on the copies of " : "Lay on ") + name
                          : "Choose a surface to lay it on");
    lay_->setEnabled(good && surface);
    use_->setText(layer ? "Use in " + name : "Use in a layer");
    use_->setEnabled(good && layer);
}

PartsFile LibraryWindow::partsOf(const std::string& layer) const {
    return recipeOfLayer(controller().document(), layer, controller().session().folder());
}

void LibraryWindow::useInLayer(const LibraryEntry& entry) {
    controller().guarded([&] {
        const RecipeFile recipe = loadRecipe(entry.file);
        controller().edit("Use a recipe", [&](const Document& d) {
            return withRecipeOf(d, recipe, controller().selection().id());
        });
    });
}

void layRecipe(Controller& controller, const QString& file, const std::string& surface,
               const std::function<bool(const Document&)>& mayBe) {
    controller.guarded([&] {
        const RecipeFile recipe = loadRecipe(pathOf(file));
        std::string made;
        if (mayBe && !mayBe(withRecipe(controller.document(), recipe, surface))) return;
        controller.edit("Lay a recipe",
                        [&](const Document& d) { return withRecipe(d, recipe, surface, &made); });
        if (!made.empty()) controller.selection().select(made);
    });
}

}  // namespace ovrix::app
