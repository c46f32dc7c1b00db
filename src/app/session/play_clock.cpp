#include "app/session/play_clock.h"

#include <QTimer>
#include <cmath>

namespace ovrix::app {

PlayClock::PlayClock(const Session& session, std::function<bool()> busy, QObject* parent)
    : QObject(parent), session_(session), busy_(std::move(busy)), timer_(new QTimer(this)) {
    timer_->setTimerType(Qt::PreciseTimer);
    connect(timer_, &QTimer::timeout, this, &PlayClock::playOn);
}

void PlayClock::setFrame(double frame) {
    if (frame == frame_) return;
    frame_ = frame;
    Q_EMIT frameChanged();
}

std::pair<int, int> PlayClock::range() const {
    const Document& document = session_.document();
    const auto [first, last] = document.frames();
    const int from = int(document.sceneSetting(kScene.loopFrom)),
              to = int(document.sceneSetting(kScene.loopTo));
    if (to <= from) return {first, last};
    return {std::clamp(from, first, last), std::clamp(to, first, last)};
}

bool PlayClock::playing() const { return timer_->isActive(); }

void PlayClock::setPlaying(bool on) {
    if (on == playing()) return;
    if (on) {
        const auto [first, last] = range();
        if (frame_ < first || frame_ >= last) setFrame(first);
        playFrom_ = frame_;
        played_.start();
        timer_->start(std::max(1, int(500.0 / session_.document().rate())));
    } else {
        timer_->stop();
        live_ = 0;
    }
    Q_EMIT playingChanged();
}

void PlayClock::takeHold() {
    if (playing() && live_ == 0) live_ = ++runs_;
}

void PlayClock::rewind() { frame_ = range().first; }

/// The next frame, or the one whose time has come.
void PlayClock::playOn() {
    if (busy_()) return;
    const auto [first, last] = range();
    const double length = last - first + 1;
    const bool inTime = session_.document().sceneSetting(kScene.play) == "in real time";
    double next = frame_ + 1;
    if (inTime) {
        next = playFrom_ + std::floor(double(played_.elapsed()) * 1e-3 * session_.document().rate());
        if (next == frame_) return;
    }
    if (next > last) next = first + std::fmod(next - first, length);
    if (next < frame_) live_ = 0;  // from the first frame on it is exact again
    setFrame(next);
}

}  // namespace ovrix::app
