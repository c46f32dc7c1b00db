#include "app/window/materials_window.h"

#include <QCoreApplication>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QStandardPaths>
#include <QVBoxLayout>

#include "app/theme/theme.h"
#include "base/error.h"
#include "base/files.h"
#include "deliver/material_picture.h"
#include "document/edits/edits.h"

namespace ovrix::app {

namespace {

PartsFile loadMaterial(const std::filesystem::path& path) {
    return readParts(readFile(path), path.string(), kMaterials);
}

bool wears(const Node* node) {
    return node && (node->category() == Category::Object || node->category() == Category::Layer);
}

}  // namespace

std::filesystem::path MaterialsWindow::builtInFolder() {
    return pathOf(QCoreApplication::applicationDirPath()) / "demo" / "materials";
}

std::filesystem::path MaterialsWindow::ownFolder() {
    return pathOf(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation)) / "materials";
}

std::filesystem::path MaterialsWindow::pictureFolder() {
    return pathOf(QStandardPaths::writableLocation(QStandardPaths::CacheLocation)) / "materials";
}

MaterialsWindow::MaterialsWindow(Controller& controller, QWidget* parent)
    : QDialog(parent),
      controller_(controller),
      maker_(new PictureMaker(
          [](const LibraryEntry& entry, Progress& progress) {
              writeMaterialPicture(loadMaterial(entry.file), entry.picture, progress);
          },
          this)) {
    setObjectName("materials");
    setWindowTitle("Materials");
    resize(px(580), px(560));
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(px(14), px(14), px(14), px(14));
    box->setSpacing(px(8));
    search_ = new QLineEdit;
    search_->setObjectName("searchMaterials");
    search_->setPlaceholderText("Search materials");
    box->addWidget(search_);
    list_ = new PictureList(kMaterialMime);
    list_->setObjectName("materialList");
    box->addWidget(list_, 1);
    about_ = new QLabel;
    about_->setWordWrap(true);
    about_->setProperty("muted", true);
    about_->setMinimumHeight(px(34));
    box->addWidget(about_);
    auto* use = new QHBoxLayout;
    wear_ = new QPushButton;
    wear_->setObjectName("wearMaterial");
    wear_->setToolTip("Dragging the picture on a thing in the view or the outline does the same");
    add_ = new QPushButton("Add to the scene");
    add_->setObjectName("addMaterial");
    add_->setToolTip("Nothing wears it yet");
    remove_ = new QPushButton("Take out");
    remove_->setObjectName("removeMaterial");
    remove_->setToolTip("Deletes the file of a material of your own");
    use->addWidget(wear_, 1);
    use->addWidget(add_, 1);
    use->addWidget(remove_);
    box->addLayout(use);
    auto* line = new QFrame;
    line->setFixedHeight(1);
    line->setStyleSheet("background:" + tokens().line.name());
    box->addWidget(line);
    auto* own = new QHBoxLayout;
    name_ = new QLineEdit;
    name_->setObjectName("materialName");
    save_ = new QPushButton("Save the chosen material");
    save_->setObjectName("saveMaterial");
    own->addWidget(name_, 1);
    own->addWidget(save_);
    box->addLayout(own);
    for (QPushButton* b : {wear_, add_, remove_, save_}) b->setAutoDefault(false);
    follow();
    followSelection();
}

void MaterialsWindow::follow() {
    connect(search_, &QLineEdit::textChanged, list_, &PictureList::search);
    connect(list_, &QListWidget::currentRowChanged, this, &MaterialsWindow::refreshActions);
    connect(list_, &QListWidget::itemActivated, this, [this] {
        if (wear_->isEnabled()) wear();
    });
    connect(wear_, &QPushButton::clicked, this, &MaterialsWindow::wear);
    connect(add_, &QPushButton::clicked, this, &MaterialsWindow::add);
    connect(remove_, &QPushButton::clicked, this, &MaterialsWindow::removeChosen);
    connect(save_, &QPushButton::clicked, this, &MaterialsWindow::saveChosen);
    connect(name_, &QLineEdit::textChanged, this, &MaterialsWindow::refreshActions);
    connect(&controller_.selection(), &Selection::selectionChanged, this, &MaterialsWindow::followSelection);
    connect(maker_, &PictureMaker::made, this, [this](const QString&, const QString& problem) {
        if (!problem.isEmpty()) controller_.say(problem, true);
        list_->fillPictures();
    });
}

void MaterialsWindow::followSelection() {
    const Node* node = controller_.selection().node();
    const bool material = node && node->category() == Category::Material;
    name_->setText(material ? QString::fromStdString(node->name) : QString());
    refreshActions();
}

void MaterialsWindow::refresh() {
    list_->show(libraryOf(kMaterials, builtInFolder(), ownFolder(), pictureFolder()));
    refreshActions();
    maker_->make(list_->entries());
}

void MaterialsWindow::refreshActions() {
    const LibraryEntry* entry = list_->chosen();
    const bool good = entry && entry->error.empty();
    const Node* node = controller_.selection().node();
    const bool material = node && node->category() == Category::Material;
    const QString name =
        node ? fontMetrics().elidedText(QString::fromStdString(node->name), Qt::ElideRight, px(110))
             : QString();
    wear_->setText(wears(node) ? "Wear it on " + name : "Choose what shall wear it");
    wear_->setEnabled(good && wears(node));
    add_->setEnabled(good);
    remove_->setEnabled(entry && entry->own);
    name_->setPlaceholderText(material ? "Its name in the library" : "Choose a material to save it");
    name_->setEnabled(material);
    save_->setEnabled(material && !name_->text().trimmed().isEmpty());
    about_->setText(!entry ? "No material is there yet: choose one of the scene and save it below."
                           : QString::fromStdString(good ? entry->about : entry->error));
}

void MaterialsWindow::wear() {
    if (const LibraryEntry* entry = list_->chosen())
        wearMaterial(controller_, textOf(entry->file), controller_.selection().id());
}

void MaterialsWindow::add() {
    if (const LibraryEntry* entry = list_->chosen()) wearMaterial(controller_, textOf(entry->file), {});
}

void MaterialsWindow::saveChosen() {
    controller_.guarded([&] {
        PartsFile material = materialFileOf(controller_.document(), controller_.selection().id(),
                                            controller_.session().folder());
        material.name = name_->text().trimmed().toStdString();
        material.about = "Your own";
        std::filesystem::create_directories(ownFolder());
        const auto file = freePartsPath(kMaterials, ownFolder(), material.name);
        writeFile(file, writeParts(material, kMaterials));
        refresh();
        list_->choose(file);
        QStringList left;
        for (const std::string& what : material.leftOut)
            if (!left.contains(QString::fromStdString(what))) left << QString::fromStdString(what);
        controller_.say(
            "Saved as " + textOf(file) +
            (left.isEmpty() ? QString() : "; left behind, as they belong to the scene: " + left.join(", ")));
    });
}

void MaterialsWindow::removeChosen() {
    const LibraryEntry* entry = list_->chosen();
    if (!entry || !entry->own) return;
    std::error_code failed;
    std::filesystem::remove(entry->file, failed);
    if (failed)
        controller_.say(
            textOf(entry->file) + " could not be deleted: " + QString::fromStdString(failed.message()), true);
    refresh();
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
