// The notch at the left edge of a number: whether it has keys, and whether one is at this frame.
#pragma once
#include <QAbstractButton>

#include "params/param.h"

namespace ovrix::app {

/// Lies over its parent's left edge. Where there are no keys it is seen only under the pointer or in focus,
/// so that what does not move stays quiet; hollow it has keys, filled there is one at this frame.
class KeyButton : public QAbstractButton {
    Q_OBJECT
  public:
    enum class State { None, Keyed, Here };
    explicit KeyButton(QWidget* parent = nullptr);
    /// How a parameter stands at a frame.
    void showParam(const Param& param, double frame);
    State state() const { return state_; }

  protected:
    void paintEvent(QPaintEvent*) override;
    void enterEvent(QEnterEvent*) override { update(); }
    void leaveEvent(QEvent*) override { update(); }

  private:
    void setState(State state);
    State state_ = State::None;
};

}  // namespace ovrix::app
