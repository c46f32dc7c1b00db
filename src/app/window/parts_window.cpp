#include "app/window/parts_window.h"

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

namespace ovrix::app {

PartsFolders foldersOf(const PartsKind& kind) {
    const std::string name = kind.word + "s";
    return {pathOf(QCoreApplication::applicationDirPath()) / "demo" / name,
            pathOf(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation)) / name,
            pathOf(QStandardPaths::writableLocation(QStandardPaths::CacheLocation)) / name};
}

PartsWindow::PartsWindow(Controller& controller, QWidget* parent, const PartsKind& kind, const char* mime,
                         const Words& words, PictureMaker::Write write)
    : QDialog(parent),
      controller_(controller),
      kind_(kind),
      first_(words.first),
      whatToSave_(words.whatToSave),
      maker_(new PictureMaker(std::move(write), this)) {
    setObjectName(words.name);
    setWindowTitle(words.title);
    resize(px(580), px(540));
    build(words, mime);
}

void PartsWindow::build(const Words& words, const char* mime) {
    const QString word = QString::fromStdString(kind_.word), title = word.at(0).toUpper() + word.mid(1);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(px(14), px(14), px(14), px(14));
    box->setSpacing(px(8));
    search_ = new QLineEdit;
    search_->setObjectName("search" + title + "s");
    search_->setPlaceholderText("Search " + word + "s");
    box->addWidget(search_);
    list_ = new PictureList(mime);
    list_->setObjectName(word + "List");
    box->addWidget(list_, 1);
    about_ = new QLabel;
    about_->setWordWrap(true);
    about_->setProperty("muted", true);
    about_->setMinimumHeight(px(34));
    box->addWidget(about_);
    uses_ = new QHBoxLayout;
    remove_ = new QPushButton("Take out");
    remove_->setObjectName("remove" + title);
    remove_->setToolTip("Deletes the file of a " + word + " of your own");
    uses_->addWidget(remove_);
    box->addLayout(uses_);
    auto* line = new QFrame;
    line->setFixedHeight(1);
    line->setStyleSheet("background:" + tokens().line.name());
    box->addWidget(line);
    auto* own = new QHBoxLayout;
    name_ = new QLineEdit;
    name_->setObjectName(word + "Name");
    save_ = new QPushButton(words.save);
    save_->setObjectName("save" + title);
    own->addWidget(name_, 1);
    own->addWidget(save_);
    box->addLayout(own);
    for (QPushButton* b : {remove_, save_}) b->setAutoDefault(false);
}

QPushButton* PartsWindow::addUse(const char* name, const char* tip, const Use& use) {
    auto* button = new QPushButton;
    button->setObjectName(name);
    button->setToolTip(tip);
    button->setAutoDefault(false);
    uses_->insertWidget(uses_->count() - 1, button, 1);
    connect(button, &QPushButton::clicked, this, [this, use] {
        if (const LibraryEntry* entry = list_->chosen()) use(*entry);
    });
    if (!firstUse_) firstUse_ = button;
    return button;
}

void PartsWindow::begin() {
    connect(search_, &QLineEdit::textChanged, list_, &PictureList::search);
    connect(list_, &QListWidget::currentRowChanged, this, &PartsWindow::refreshActions);
    connect(list_, &QListWidget::itemActivated, firstUse_, &QPushButton::click);
    connect(remove_, &QPushButton::clicked, this, &PartsWindow::removeChosen);
    connect(save_, &QPushButton::clicked, this, &PartsWindow::saveChosen);
    connect(name_, &QLineEdit::textChanged, this, &PartsWindow::refreshActions);
    connect(&controller_.selection(), &Selection::selectionChanged, this, &PartsWindow::followSelection);
    connect(maker_, &PictureMaker::made, this, [this](const QString&, const QString& problem) {
        if (!problem.isEmpty()) controller_.say(problem, true);
        list_->fillPictures();
    });
    followSelection();
}

const Node* PartsWindow::savable() const {
    const Node* node = controller_.selection().node();
    return node && node->category() == kind_.first ? node : nullptr;
}

void PartsWindow::followSelection() {
    const Node* node = savable();
    name_->setText(node ? QString::fromStdString(node->name) : QString());
    refreshActions();
}

void PartsWindow::refresh() {
    const PartsFolders folders = foldersOf(kind_);
    list_->show(libraryOf(kind_, folders.builtIn, folders.own, folders.pictures));
    refreshActions();
    maker_->make(list_->entries());
}

void PartsWindow::bringUp() {
    refresh();
    show();
    raise();
    activateWindow();
}

void PartsWindow::refreshActions() {
    const LibraryEntry* entry = list_->chosen();
    const bool good = entry && entry->error.empty();
    const Node* node = controller_.selection().node();
    const QString name =
        node ? fontMetrics().elidedText(QString::fromStdString(node->name), Qt::ElideRight, px(110))
             : QString();
    showUses(node, name, good);
    remove_->setEnabled(entry && entry->own);
    name_->setPlaceholderText(savable() ? "Its name in the library" : first_);
    name_->setEnabled(savable());
    save_->setEnabled(savable() && !name_->text().trimmed().isEmpty());
    about_->setText(entry ? QString::fromStdString(good ? entry->about : entry->error)
                          : QString("No %1 is there yet: choose %2 and save it below.")
                                .arg(QString::fromStdString(kind_.word), whatToSave_));
}

void PartsWindow::saveChosen() {
    controller_.guarded([&] {
        PartsFile parts = partsOf(controller_.selection().id());
        parts.name = name_->text().trimmed().toStdString();
        parts.about = "Your own";
        const std::filesystem::path folder = foldersOf(kind_).own;
        std::filesystem::create_directories(folder);
        const auto file = freeFile(folder, parts.name, kind_.ending);
        writeFile(file, writeParts(parts, kind_));
        refresh();
        list_->choose(file);
        QStringList left;
        for (const std::string& what : parts.leftOut)
            if (!left.contains(QString::fromStdString(what))) left << QString::fromStdString(what);
        controller_.say(
            "Saved as " + textOf(file) +
            (left.isEmpty() ? QString() : "; left behind, as they belong to the scene: " + left.join(", ")));
    });
}

void PartsWindow::removeChosen() {
    const LibraryEntry* entry = list_->chosen();
    if (!entry || !entry->own) return;
    controller_.guarded([&] { removeFile(entry->file); });
    refresh();
}

}  // namespace ovrix::app
