// The small diamond beside a number: whether it has keys, and whether one is at this frame.
#pragma once
#include <QAbstractButton>

namespace ovrix::app {

class KeyButton : public QAbstractButton {
    Q_OBJECT
  public:
    enum class State { None, Keyed, Here };
    explicit KeyButton(QWidget* parent = nullptr);
    void setState(State state);
    State state() const { return state_; }

  protected:
    void paintEvent(QPaintEvent*) override;
    void enterEvent(QEnterEvent*) override { update(); }
    void leaveEvent(QEvent*) override { update(); }

  private:
    State state_ = State::None;
};

}  // namespace ovrix::app
