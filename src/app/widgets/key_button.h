// The small diamond beside a number: whether it has keys, and whether one is at this frame.
#pragma once
#include <QAbstractButton>

#include "field/param.h"

namespace ovrix::app {

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
