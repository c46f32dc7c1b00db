// Files of a library as pictures, to choose and to drag.
#pragma once
#include <QListWidget>

#include "app/session/job_thread.h"
#include "document/library/parts_file.h"

namespace ovrix::app {

inline std::filesystem::path pathOf(const QString& text) { return {text.toStdString()}; }
inline QString textOf(const std::filesystem::path& path) { return QString::fromStdString(path.string()); }

class PictureList : public QListWidget {
    Q_OBJECT
  public:
    /// @param mime  what a dragged one is called between windows; the data is the file's path
    explicit PictureList(const char* mime);
    /// The one that was chosen stays so where it is still there.
    void show(std::vector<LibraryEntry> entries);
    using QListWidget::show;
    const std::vector<LibraryEntry>& entries() const { return entries_; }
    /// Null for none.
    const LibraryEntry* chosen() const;
    void choose(const std::filesystem::path& file);
    /// Hides those whose name and description have not this in them.
    void search(const QString& text);
    /// Shows the pictures that are there by now.
    void fillPictures();

  protected:
    QStringList mimeTypes() const override { return {mime_}; }
    QMimeData* mimeData(const QList<QListWidgetItem*>& items) const override;

  private:
    const char* mime_;
    std::vector<LibraryEntry> entries_;
};

/// Makes pictures one after another, on a thread of its own.
class PictureMaker : public QObject {
    Q_OBJECT
  public:
    using Write = std::function<void(const LibraryEntry&, Progress&)>;
    PictureMaker(Write write, QObject* parent);
    /// Begins on those that have none; what runs is stopped.
    void make(const std::vector<LibraryEntry>& entries);
    void stop() { jobs_.clear(); }

  Q_SIGNALS:
    /// @p problem is empty when the picture is there.
    void made(const QString& picture, const QString& problem);

  private:
    Write write_;
    JobThread jobs_;
};

}  // namespace ovrix::app
