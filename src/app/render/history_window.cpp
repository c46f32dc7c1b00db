#include "app/render/history_window.h"

#include <QDateTime>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QStandardPaths>
#include <QVBoxLayout>

#include "app/theme/theme.h"
#include "base/error.h"

namespace ovrix::app {

std::filesystem::path historyFolder() {
    const QString folder = QStandardPaths::writableLocation(QStandardPaths::AppDataLocation);
    return std::filesystem::path(folder.toStdString()) / "history";
}

HistoryWindow::HistoryWindow(Controller& controller, QWidget* parent)
    : QDialog(parent), controller_(controller), history_(historyFolder()) {
    setObjectName("history");
    setWindowTitle("Pictures of before");
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(px(14), px(12), px(14), px(12));
    box->setSpacing(px(8));
    list_ = new QListWidget;
    list_->setObjectName("historyList");
    list_->setViewMode(QListView::IconMode);
    list_->setMovement(QListView::Static);
    list_->setResizeMode(QListView::Adjust);
    list_->setIconSize({px(176), px(110)});
    list_->setGridSize({px(190), px(146)});
    list_->setWordWrap(true);
    connect(list_, &QListWidget::currentRowChanged, this, &HistoryWindow::showChosen);
    box->addWidget(list_, 1);
    facts_ = new QLabel;
    facts_->setProperty("muted", true);
    box->addWidget(facts_);
    auto* foot = new QHBoxLayout;
    note_ = new QLineEdit;
    note_->setObjectName("historyNote");
    note_->setPlaceholderText("A note: pictures with one are kept");
    connect(note_, &QLineEdit::editingFinished, this, [this] {
        const HistoryEntry* entry = chosen();
        const std::string note = note_->text().toStdString();
        if (!entry || entry->note == note) return;
        controller_.guarded([&] { history_.setNote(*entry, note); });
        refresh();
    });
    const auto button = [&](const char* name, const QString& text, const QString& tip, auto&& run) {
        auto* b = new QPushButton(text);
        b->setObjectName(name);
        b->setToolTip(tip);
        b->setAutoDefault(false);
        connect(b, &QPushButton::clicked, this, run);
        foot->addWidget(b);
        return b;
    };
    foot->addWidget(note_, 1);
    compare_ = button("historyCompare", "Compare", "Pins it beside the present picture", [this] {
        if (const HistoryEntry* e = chosen())
            Q_EMIT compareWanted(QImage(QString::fromStdString(e->picture.string())));
    });
    back_ =
        button("historyBack", "Take its numbers back",
               "Makes the scene what it was then; undo brings the present one back", [this] { takeBack(); });
    remove_ = button("historyRemove", "Remove", "Deletes it from the disk", [this] {
        if (const HistoryEntry* e = chosen()) history_.remove(*e);
        refresh();
    });
    box->addLayout(foot);
    resize(px(820), px(520));
    showChosen();
}

void HistoryWindow::setFolder(const std::filesystem::path& folder) {
    history_ = PictureHistory(folder);
    refresh();
}

void HistoryWindow::keep(const QImage& picture, HistoryEntry entry) {
    if (picture.isNull()) return;
    const QImage rgb = picture.convertToFormat(QImage::Format_RGB32);
    entry.width = rgb.width(), entry.height = rgb.height();
    const auto path = controller_.session().path();
    entry.name = path.empty() ? "New scene" : path.stem().string();
    controller_.runOnWorker(
        this,
        [history = history_, entry, rgb, scene = controller_.scene()](Progress&) {
            std::vector<uint32_t> screen(size_t(rgb.width()) * size_t(rgb.height()));
            for (int y = 0; y < rgb.height(); ++y)
                std::copy_n(reinterpret_cast<const uint32_t*>(rgb.constScanLine(y)), rgb.width(),
                            &screen[size_t(y) * size_t(rgb.width())]);
            history.add(entry, screen, scene.document, scene.resolve("."));
            return true;
        },
        [this](bool) {
            if (isVisible()) refresh();
        });
}

void HistoryWindow::showEvent(QShowEvent*) { refresh(); }

void HistoryWindow::refresh() {
    const HistoryEntry* before = chosen();
    const std::filesystem::path at = before ? before->picture : std::filesystem::path();
    entries_ = history_.all();
    list_->clear();
    int row = entries_.empty() ? -1 : 0;
    for (size_t i = 0; i < entries_.size(); ++i) {
        const HistoryEntry& e = entries_[i];
        auto* item = new QListWidgetItem(QString::fromStdString(e.note.empty() ? e.name : e.note), list_);
        item->setToolTip(QDateTime::fromSecsSinceEpoch(e.time).toString("yyyy-MM-dd hh:mm"));
        if (e.picture == at) row = int(i);
    }
    list_->setCurrentRow(row);
    showChosen();
    loadPictures();
}

/// A hundred of full size take a while.
void HistoryWindow::loadPictures() {
    QPixmap none(list_->iconSize());
    none.fill(tokens().field);
    std::vector<QString> files;
    for (size_t i = 0; i < entries_.size(); ++i) {
        list_->item(int(i))->setIcon(QIcon(none));  // its place
        files.push_back(QString::fromStdString(entries_[i].picture.string()));
    }
    const QSize size = list_->iconSize();
    controller_.runOnWorker(
        this,
        [files, size](Progress& progress) {
            std::map<QString, QImage> images;
            for (const QString& file : files) {
                progress.check();
                images[file] = QImage(file).scaled(size, Qt::KeepAspectRatio, Qt::SmoothTransformation);
            }
            return images;
        },
        [this](const std::map<QString, QImage>& images) {
            for (size_t i = 0; i < entries_.size(); ++i)
                if (const auto at = images.find(QString::fromStdString(entries_[i].picture.string()));
                    at != images.end())
                    list_->item(int(i))->setIcon(QIcon(QPixmap::fromImage(at->second)));
        });
}

const HistoryEntry* HistoryWindow::chosen() const {
    const int row = list_->currentRow();
    return row >= 0 && row < int(entries_.size()) ? &entries_[size_t(row)] : nullptr;
}

void HistoryWindow::showChosen() {
    const HistoryEntry* e = chosen();
    for (QPushButton* b : {compare_, back_, remove_}) b->setEnabled(e != nullptr);
    note_->setEnabled(e != nullptr);
    note_->setText(e ? QString::fromStdString(e->note) : QString());
    facts_->setText(e ? QString("%1 \u00b7 %2 x %3 \u00b7 frame %4 \u00b7 %5 passes in %6 s \u00b7 %7")
                            .arg(QString::fromStdString(e->name))
                            .arg(e->width)
                            .arg(e->height)
                            .arg(e->frame)
                            .arg(e->passes)
                            .arg(e->seconds, 0, 'f', 1)
                            .arg(QDateTime::fromSecsSinceEpoch(e->time).toString("d MMM hh:mm"))
                      : QString("Pictures come here when a render is done, or pinned"));
}

void HistoryWindow::takeBack() {
    const HistoryEntry* e = chosen();
    if (!e) return;
    controller_.edit("Take numbers back", [&](const Document&) {
        return history_.documentOf(*e, controller_.session().folder());
    });
    controller_.say("The scene is as it was for that picture; undo brings the present one back");
}

}  // namespace ovrix::app
