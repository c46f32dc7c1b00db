// Plays pictures that follow one another, from memory.
#pragma once
#include <QElapsedTimer>
#include <QImage>
#include <QWidget>
#include <filesystem>
#include <map>

#include "app/session/controller.h"
#include "app/session/job_thread.h"

class QLabel;
class QTimer;
class QToolButton;

namespace ovrix::app {

/// A line of frames under the picture: a press or a drag goes there. Frames are read once, on a thread of
/// their own, and played at the scene's rate again and again; those that are late are left out.
class SequencePlayer : public QWidget {
    Q_OBJECT
  public:
    explicit SequencePlayer(Controller& controller, QWidget* parent = nullptr);
    /// @param files  by frame, at least one
    void open(std::map<int, std::filesystem::path> files);
    void leave();
    bool isOpen() const { return !files_.empty(); }
    void goTo(int frame);
    int frame() const { return frame_; }
    void setPlaying(bool on);
    bool playing() const;
    size_t loaded() const { return images_.size(); }
    /// Until all are read that fit. For tests and pictures.
    void waitLoaded() { reading_.waitIdle(); }
    /// The first and the last one.
    std::pair<int, int> range() const;
    bool has(int frame) const { return images_.count(frame) > 0; }
    bool missing(int frame) const { return files_.count(frame) == 0; }

  Q_SIGNALS:
    void shown(const QImage& image);
    void left();

  protected:
    void keyPressEvent(QKeyEvent*) override;
    bool event(QEvent*) override;

  private:
    void read();
    void take(uint64_t reading, int frame, const QImage& image);
    void show();
    void playOn();

    Controller& controller_;
    std::map<int, std::filesystem::path> files_;
    std::map<int, QImage> images_;
    uint64_t reading_number_ = 0;  // which sequence is read: what comes late of another is not taken
    int frame_ = 1, playFrom_ = 1;
    QElapsedTimer played_;
    QTimer* timer_;
    QToolButton* play_;
    QWidget* line_;
    QLabel* facts_;
    JobThread reading_;  // last: it ends before what it uses
};

}  // namespace ovrix::app
