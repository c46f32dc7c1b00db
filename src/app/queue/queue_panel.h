// The queue beside time: renders that wait, work and are done, by a program of their own.
#pragma once
#include <QDialog>
#include <QWidget>
#include <chrono>

#include "app/session/controller.h"
#include "deliver/queue/queue_run.h"

class QCheckBox;
class QComboBox;
class QDialogButtonBox;
class QDoubleSpinBox;
class QFormLayout;
class QLabel;
class QLineEdit;
class QListWidget;
class QPlainTextEdit;
class QPushButton;
class QSpinBox;
class QTimer;

namespace ovrix::app {

/// Asks what of the open scene shall be rendered, and where to.
class QueueDialog : public QDialog {
    Q_OBJECT
  public:
    QueueDialog(Controller& controller, QWidget* parent);
    QueueJob job() const;

  private:
    void makeWhat();
    void makeHow();
    void makeWhere();
    QFormLayout* makeForm();
    QDialogButtonBox* makeButtons();
    void showFrames();
    void showOut();
    void lookAheadSoon();
    void look();
    Controller& controller_;
    QLineEdit *name_, *out_;
    QComboBox *frames_, *camera_, *codec_;
    QSpinBox *first_, *last_, *width_, *height_, *samples_;
    QDoubleSpinBox* noise_;
    QCheckBox *denoise_, *steady_, *finish_;
    QPlainTextEdit* changes_;
    QLabel* ahead_;  ///< what the render will be like
    QTimer* later_;
    uint64_t looks_ = 0;
};

class QueuePanel : public QWidget {
    Q_OBJECT
  public:
    explicit QueuePanel(Controller& controller, QWidget* parent = nullptr);
    /// Another file than the user's own.
    void setFile(const std::filesystem::path& file);
    const std::filesystem::path& file() const { return file_; }
    /// Asks, and puts what was asked for at the end.
    void addScene();
    void add(const QueueJob& job);
    /// Begins to work it off, in a program of its own; or ends that.
    void setRunning(bool on);
    bool running() const { return running_; }
    const Queue& queue() const { return queue_; }
    QListWidget* list() const { return list_; }

  Q_SIGNALS:
    /// Frames of a job that are there, to be played.
    void playWanted(const std::map<int, std::filesystem::path>& files);

  protected:
    void showEvent(QShowEvent*) override;

  private:
    void look();
    void showJobs();
    void showRows();
    void showNow();
    int partOf(const QueueJob& job) const;
    QWidget* rowOf(const QueueJob& job);
    void fillMenu(class QMenu& menu, const std::string& id);
    void playOrOpen(const QueueJob& job);
    void change(const std::function<void(Queue&)>& edit);
    void changeJob(const std::string& id, const std::function<void(QueueJob&)>& edit);
    void move(const std::string& id, int by);
    uint64_t staleKey() const;
    void findStale();
    QString stateOf(const QueueJob& job) const;

    Controller& controller_;
    std::filesystem::path file_;
    Queue queue_;
    std::optional<QueueProgress> progress_;
    std::map<std::string, std::vector<int>> stale_;  ///< frames of a job that are
    uint64_t staleKey_ = 1;                          ///< what they were found by, and when
    std::chrono::steady_clock::time_point staleAt_{};
    bool running_ = false;
    uint64_t stamp_ = 1, picture_ = 0;
    QLabel *facts_, *now_;
    QPushButton *run_, *add_;
    QListWidget* list_;
    QTimer* timer_;
};

}  // namespace ovrix::app
