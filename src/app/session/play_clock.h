// The one clock: the frame that everything shows, and playing.
#pragma once
#include <QElapsedTimer>
#include <QObject>
#include <functional>

#include "document/file/session.h"

class QTimer;

namespace ovrix::app {

/// View, render, panels and cards listen to its signals. Of the interface's thread.
class PlayClock : public QObject {
    Q_OBJECT
  public:
    /// @param busy  whether the last frame is still being made: then the next waits, so that a slow
    /// simulation shows each frame that it gets to
    PlayClock(const Session& session, std::function<bool()> busy, QObject* parent);

    double frame() const { return frame_; }
    void setFrame(double frame);
    bool playing() const;
    /// Plays the range again and again, or stops.
    void setPlaying(bool on);
    /// The frames that are played: the scene's loop, or all of it.
    std::pair<int, int> range() const;

    /// While it plays, turned knobs take hold at once: see EvalOptions::live. 0 for exact frames.
    uint64_t live() const { return live_; }
    void takeHold();
    /// To the range's first frame. Tells nobody: all of the scene is another.
    void rewind();

  Q_SIGNALS:
    void frameChanged();
    void playingChanged();

  private:
    void playOn();

    const Session& session_;
    std::function<bool()> busy_;
    double frame_ = 1, playFrom_ = 1;
    uint64_t live_ = 0, runs_ = 0;
    QElapsedTimer played_;
    QTimer* timer_;
};

}  // namespace ovrix::app
