// Pictures that were looked at, with notes and the scenes that they came from.
#pragma once
#include <QDialog>

#include "app/session/controller.h"
#include "deliver/pictures/history.h"

class QLabel;
class QLineEdit;
class QListWidget;
class QPushButton;

namespace ovrix::app {

/// Where the user's own are kept.
std::filesystem::path historyFolder();

class HistoryWindow : public QDialog {
    Q_OBJECT
  public:
    explicit HistoryWindow(Controller& controller, QWidget* parent = nullptr);
    /// Another folder than the user's own.
    void setFolder(const std::filesystem::path& folder);
    /// Keeps a picture as it is shown; says where that failed.
    void keep(const QImage& picture, HistoryEntry entry);
    void refresh();
    const std::vector<HistoryEntry>& entries() const { return entries_; }
    QListWidget* list() const { return list_; }

  Q_SIGNALS:
    /// The picture is to be compared with the present one.
    void compareWanted(const QImage& picture);

  protected:
    void showEvent(QShowEvent*) override;

  private:
    const HistoryEntry* chosen() const;
    void loadPictures();
    void showChosen();
    void takeBack();

    Controller& controller_;
    PictureHistory history_;
    std::vector<HistoryEntry> entries_;
    QListWidget* list_;
    QLabel* facts_;
    QLineEdit* note_;
    QPushButton *compare_, *back_, *remove_;
};

}  // namespace ovrix::app
