#include "app/window/library_window.h"

#include <QCoreApplication>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QStandardPaths>
#include <QVBoxLayout>

#include "app/theme/theme.h"
#include "base/error.h"
#include "deliver/recipe_picture.h"

namespace ovrix::app {

std::filesystem::path LibraryWindow::builtInFolder() {
    return pathOf(QCoreApplication::applicationDirPath()) / "demo" / "recipes";
}

std::filesystem::path LibraryWindow::ownFolder() {
    return pathOf(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation)) / "recipes";
}

std::filesystem::path LibraryWindow::pictureFolder() {
    return pathOf(QStandardPaths::writableLocation(QStandardPaths::CacheLocation)) / "recipes";
}

LibraryWindow::LibraryWindow(Controller& controller, QWidget* parent)
    : QDialog(parent),
      controller_(controller),
      maker_(new PictureMaker(
          [](const LibraryEntry& entry, Progress& progress) {
              writeRecipePicture(loadRecipe(entry.file), entry.picture, progress);
          },
          this)) {
    setObjectName("library");
    setWindowTitle("Recipe library");
    resize(px(580), px(520));
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(px(14), px(14), px(14), px(14));
    box->setSpacing(px(8));
    search_ = new QLineEdit;
    search_->setObjectName("searchRecipes");
    search_->setPlaceholderText("Search recipes");
    box->addWidget(search_);
    list_ = new PictureList(kRecipeMime);
    list_->setObjectName("recipes");
    box->addWidget(list_, 1);
    about_ = new QLabel;
    about_->setWordWrap(true);
    about_->setProperty("muted", true);
    about_->setMinimumHeight(px(34));
    box->addWidget(about_);
    auto* use = new QHBoxLayout;
    lay_ = new QPushButton;
    lay_->setObjectName("layRecipe");
    lay_->setToolTip("As a new layer; dragging the picture on a surface does the same");
    use_ = new QPushButton;
    use_->setObjectName("useRecipe");
    use_->setToolTip("In place of the recipe that the layer has");
    remove_ = new QPushButton("Take out");
    remove_->setObjectName("removeRecipe");
    remove_->setToolTip("Deletes the file of a recipe of your own");
    use->addWidget(lay_, 1);
    use->addWidget(use_, 1);
    use->addWidget(remove_);
    box->addLayout(use);
    auto* line = new QFrame;
    line->setFixedHeight(1);
    line->setStyleSheet("background:" + tokens().line.name());
    box->addWidget(line);
    auto* own = new QHBoxLayout;
    name_ = new QLineEdit;
    name_->setObjectName("recipeName");
    save_ = new QPushButton("Save the chosen layer's recipe");
    save_->setObjectName("saveRecipe");
    own->addWidget(name_, 1);
    own->addWidget(save_);
    box->addLayout(own);
    follow();
    for (QPushButton* b : {lay_, use_, remove_, save_}) b->setAutoDefault(false);
    followSelection();
}

void LibraryWindow::follow() {
    connect(search_, &QLineEdit::textChanged, list_, &PictureList::search);
    connect(list_, &QListWidget::currentRowChanged, this, &LibraryWindow::refreshActions);
    connect(list_, &QListWidget::itemActivated, this, [this] {
        if (lay_->isEnabled()) layOn();
    });
    connect(lay_, &QPushButton::clicked, this, &LibraryWindow::layOn);
    connect(use_, &QPushButton::clicked, this, &LibraryWindow::useInLayer);
    connect(remove_, &QPushButton::clicked, this, &LibraryWindow::removeChosen);
    connect(save_, &QPushButton::clicked, this, &LibraryWindow::saveChosenLayer);
    connect(name_, &QLineEdit::textChanged, this, &LibraryWindow::refreshActions);
    connect(&controller_.selection(), &Selection::selectionChanged, this, &LibraryWindow::followSelection);
    connect(maker_, &PictureMaker::made, this, [this](const QString&, const QString& problem) {
        if (!problem.isEmpty()) controller_.say(problem, true);
        list_->fillPictures();
    });
}

void LibraryWindow::followSelection() {
    const Node* node = controller_.selection().node();
    const bool layer = node && node->category() == Category::Layer;
    name_->setText(layer ? QString::fromStdString(node->name) : QString());
    refreshActions();
}

void LibraryWindow::refresh() {
    list_->show(libraryOf(kRecipes, builtInFolder(), ownFolder(), pictureFolder()));
    refreshActions();
    maker_->make(list_->entries());
}

void LibraryWindow::refreshActions() {
    const LibraryEntry* entry = list_->chosen();
    const bool good = entry && entry->error.empty();
    const Node* node = controller_.selection().node();
    const bool layer = node && node->category() == Category::Layer;
    const bool surface = layer || (node && node->category() == Category::Object);
    const QString name =
        node ? fontMetrics().elidedText(QString::fromStdString(node->name), Qt::ElideRight, px(110))
             : QString();
    lay_->setText(surface ? (layer ? "Lay on the copies of " : "Lay on ") + name
                          : "Choose a surface to lay it on");
    lay_->setEnabled(good && surface);
    use_->setText(layer ? "Use in " + name : "Use in a layer");
    use_->setEnabled(good && layer);
    remove_->setEnabled(entry && entry->own);
    name_->setPlaceholderText(layer ? "Its name in the library" : "Choose a layer to save its recipe");
    name_->setEnabled(layer);
    save_->setEnabled(layer && !name_->text().trimmed().isEmpty());
    about_->setText(!entry ? "No recipe is there yet: choose a layer and save its recipe below."
                    : good ? QString::fromStdString(entry->about)
                           : QString::fromStdString(entry->error));
}

void LibraryWindow::layOn() {
    if (const LibraryEntry* entry = list_->chosen())
        layRecipe(controller_, textOf(entry->file), controller_.selection().id());
}

void LibraryWindow::useInLayer() {
    const LibraryEntry* entry = list_->chosen();
    if (!entry) return;
    controller_.guarded([&] {
        const RecipeFile recipe = loadRecipe(entry->file);
        controller_.edit("Use a recipe", [&](const Document& d) {
            return withRecipeOf(d, recipe, controller_.selection().id());
        });
    });
}

void LibraryWindow::saveChosenLayer() {
    controller_.guarded([&] {
        RecipeFile recipe = recipeOfLayer(controller_.document(), controller_.selection().id(),
                                          controller_.session().folder());
        recipe.name = name_->text().trimmed().toStdString();
        recipe.about = "Your own";
        std::filesystem::create_directories(ownFolder());
        const auto file = freePartsPath(kRecipes, ownFolder(), recipe.name);
        saveRecipe(recipe, file);
        refresh();
        list_->choose(file);
        QStringList left;
        for (const std::string& what : recipe.leftOut)
            if (!left.contains(QString::fromStdString(what))) left << QString::fromStdString(what);
        controller_.say(
            "Saved as " + textOf(file) +
            (left.isEmpty() ? QString() : "; left behind, as they belong to the scene: " + left.join(", ")));
    });
}

void LibraryWindow::removeChosen() {
    const LibraryEntry* entry = list_->chosen();
    if (!entry || !entry->own) return;
    std::error_code failed;
    std::filesystem::remove(entry->file, failed);
    if (failed)
        controller_.say(
            textOf(entry->file) + " could not be deleted: " + QString::fromStdString(failed.message()), true);
    refresh();
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
