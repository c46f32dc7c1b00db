#include "app/window/picture_list.h"

#include <QMimeData>
#include <QPainter>

#include "app/session/controller.h"
#include "app/theme/theme.h"
#include "base/error.h"

namespace ovrix::app {

namespace {

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

PictureList::PictureList(const char* mime) : mime_(mime) {
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

QMimeData* PictureList::mimeData(const QList<QListWidgetItem*>& items) const {
    auto* data = new QMimeData;
    if (!items.isEmpty()) data->setData(mime_, items[0]->data(Qt::UserRole).toString().toUtf8());
    return data;
}

const LibraryEntry* PictureList::chosen() const {
    const int row = currentRow();
    return row >= 0 && size_t(row) < entries_.size() ? &entries_[size_t(row)] : nullptr;
}

void PictureList::choose(const std::filesystem::path& file) {
    for (size_t i = 0; i < entries_.size(); ++i)
        if (entries_[i].file == file) setCurrentRow(int(i));
}

void PictureList::show(std::vector<LibraryEntry> entries) {
    const LibraryEntry* before = chosen();
    const auto kept = before ? before->file : std::filesystem::path();
    entries_ = std::move(entries);
    clear();
    for (const LibraryEntry& e : entries_) {
        auto* item = new QListWidgetItem(QString::fromStdString(e.name), this);
        item->setData(Qt::UserRole, textOf(e.file));
        item->setToolTip(QString::fromStdString(e.error.empty() ? e.about : e.error));
    }
    choose(kept);
    if (!chosen() && !entries_.empty()) setCurrentRow(0);
    fillPictures();
}

void PictureList::search(const QString& text) {
    for (int i = 0; i < count(); ++i) {
        const LibraryEntry& e = entries_[size_t(i)];
        item(i)->setHidden(
            !QString::fromStdString(e.name + " " + e.about).contains(text.trimmed(), Qt::CaseInsensitive));
    }
}

void PictureList::fillPictures() {
    for (int i = 0; i < count(); ++i)
        item(i)->setIcon(pictureIcon(textOf(entries_[size_t(i)].picture),
                                     entries_[size_t(i)].error.empty() ? "picture comes" : "cannot be read"));
}

PictureMaker::PictureMaker(Write write, QObject* parent)
    : QObject(parent),
      write_(std::move(write)),
      jobs_([this](const std::exception& e) { Q_EMIT made({}, QString::fromStdString(problemOf(e))); }) {}

void PictureMaker::make(const std::vector<LibraryEntry>& entries) {
    stop();
    for (const LibraryEntry& entry : entries) {
        if (!entry.error.empty() || std::filesystem::exists(entry.picture)) continue;
        jobs_.post([this, entry](Progress& progress) {
            QString problem;
            try {
                write_(entry, progress);
            } catch (const Cancelled&) {
                return;
            } catch (const std::exception& e) {
                problem = QString::fromStdString(problemOf(e));
            }
            Q_EMIT made(textOf(entry.picture), problem);
        });
    }
}

}  // namespace ovrix::app
