#include "app/window/library_window.h"

#include <QCoreApplication>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMimeData>
#include <QPainter>
#include <QPushButton>
#include <QStandardPaths>
#include <QVBoxLayout>

#include "app/theme/theme.h"
#include "base/error.h"
#include "deliver/recipe_picture.h"

namespace ovrix::app {

namespace {

std::filesystem::path pathOf(const QString& text) { return {text.toStdString()}; }
QString textOf(const std::filesystem::path& path) { return QString::fromStdString(path.string()); }

/// Pictures that can be dragged to the view or the outline.
class RecipeList : public QListWidget {
  public:
    RecipeList() {
        setViewMode(QListView::IconMode);
        setResizeMode(QListView::Adjust);
        setMovement(QListView::Static);
        setIconSize({px(156), px(104)});
        setGridSize({px(172), px(136)});
        setUniformItemSizes(true);
        setWordWrap(false);
        setDragEnabled(true);
        setDragDropMode(QAbstractItemView::DragOnly);
    }

  protected:
    QStringList mimeTypes() const override { return {kRecipeMime}; }
    QMimeData* mimeData(const QList<QListWidgetItem*>& items) const override {
        auto* data = new QMimeData;
        if (!items.isEmpty()) data->setData(kRecipeMime, items[0]->data(Qt::UserRole).toString().toUtf8());
        return data;
    }
};

QIcon pictureIcon(const QString& file, const QString& word) {
    QPixmap picture(file);
    if (picture.isNull()) {
        picture = QPixmap(px(156), px(104));
        picture.fill(tokens().raised);
        QPainter p(&picture);
        p.setPen(tokens().muted);
        p.setFont(textFont(8.75));
        p.drawText(picture.rect(), Qt::AlignCenter, word);
    }
    return QIcon(picture);
}

}  // namespace

PictureMaker::PictureMaker(QObject* parent)
    : QObject(parent),
      jobs_([this](const std::exception& e) { Q_EMIT made({}, QString::fromStdString(problemOf(e))); }) {}

void PictureMaker::make(std::vector<LibraryEntry> entries) {
    stop();
    for (const LibraryEntry& entry : entries) {
        if (!entry.error.empty() || std::filesystem::exists(entry.picture)) continue;
        jobs_.post([this, entry](Progress& progress) {
            QString problem;
            try {
                writeRecipePicture(loadRecipe(entry.file), entry.picture, progress);
            } catch (const Cancelled&) {
                return;
            } catch (const std::exception& e) {
                problem = QString::fromStdString(problemOf(e));
            }
            Q_EMIT made(textOf(entry.picture), problem);
        });
    }
}

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
    : QDialog(parent), controller_(controller), maker_(new PictureMaker(this)) {
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
    list_ = new RecipeList;
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
    connect(search_, &QLineEdit::textChanged, this, [this](const QString& text) {
        for (int i = 0; i < list_->count(); ++i) {
            const LibraryEntry& e = entries_[size_t(i)];
            list_->item(i)->setHidden(!QString::fromStdString(e.name + " " + e.about)
                                           .contains(text.trimmed(), Qt::CaseInsensitive));
        }
    });
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
        fillPictures();
    });
}

void LibraryWindow::followSelection() {
    const Node* node = controller_.selection().node();
    const bool layer = node && node->category() == Category::Layer;
    name_->setText(layer ? QString::fromStdString(node->name) : QString());
    refreshActions();
}

const LibraryEntry* LibraryWindow::chosen() const {
    const int row = list_->currentRow();
    return row >= 0 && size_t(row) < entries_.size() ? &entries_[size_t(row)] : nullptr;
}

void LibraryWindow::refresh() {
    const LibraryEntry* before = chosen();
    const auto kept = before ? before->file : std::filesystem::path();
    entries_ = libraryOf(builtInFolder(), ownFolder(), pictureFolder());
    list_->clear();
    for (const LibraryEntry& e : entries_) {
        auto* item = new QListWidgetItem(QString::fromStdString(e.name), list_);
        item->setData(Qt::UserRole, textOf(e.file));
        item->setToolTip(e.error.empty() ? QString::fromStdString(e.about) : QString::fromStdString(e.error));
    }
    for (size_t i = 0; i < entries_.size(); ++i)
        if (entries_[i].file == kept) list_->setCurrentRow(int(i));
    if (!chosen() && !entries_.empty()) list_->setCurrentRow(0);
    fillPictures();
    refreshActions();
    maker_->make(entries_);
}

void LibraryWindow::fillPictures() {
    for (int i = 0; i < list_->count(); ++i)
        list_->item(i)->setIcon(
            pictureIcon(textOf(entries_[size_t(i)].picture),
                        entries_[size_t(i)].error.empty() ? "picture comes" : "cannot be read"));
}

void LibraryWindow::refreshActions() {
    const LibraryEntry* entry = chosen();
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
    if (const LibraryEntry* entry = chosen())
        layRecipe(controller_, textOf(entry->file), controller_.selection().id());
}

void LibraryWindow::useInLayer() {
    const LibraryEntry* entry = chosen();
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
        const auto file = freeRecipePath(ownFolder(), recipe.name);
        saveRecipe(recipe, file);
        refresh();
        for (size_t i = 0; i < entries_.size(); ++i)
            if (entries_[i].file == file) list_->setCurrentRow(int(i));
        QStringList left;
        for (const std::string& what : recipe.leftOut)
            if (!left.contains(QString::fromStdString(what))) left << QString::fromStdString(what);
        controller_.say(
            "Saved as " + textOf(file) +
            (left.isEmpty() ? QString() : "; left behind, as they belong to the scene: " + left.join(", ")));
    });
}

void LibraryWindow::removeChosen() {
    const LibraryEntry* entry = chosen();
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
