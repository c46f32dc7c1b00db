#include "app/widgets/key_button.h"

#include <QPainter>

#include "app/theme/theme.h"
#include "document/edits/keying.h"

namespace ovrix::app {

KeyButton::KeyButton(QWidget* parent) : QAbstractButton(parent) {
    setObjectName("keyButton");
    setFixedSize(px(11), px(26));
    setFocusPolicy(Qt::TabFocus);
    setCursor(Qt::PointingHandCursor);
    setState(State::None);
}

void KeyButton::showParam(const Param& param, double frame) {
    setState(keyAt(param, frame) ? State::Here : !param.keys.empty() ? State::Keyed : State::None);
}

void KeyButton::setState(State state) {
    state_ = state;
    setToolTip(state == State::Here    ? "Takes the key at this frame away"
               : state == State::Keyed ? "Has keys; puts one at this frame"
                                       : "Puts a key at this frame, so that it changes over time");
    setAccessibleName(state == State::Here ? "Remove key" : "Set key");
    update();
}

void KeyButton::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Tokens& t = tokens();
    if (state_ == State::None && !underMouse() && !hasFocus()) return;
    const double middle = height() / 2.0, half = px(6), deep = px(7);
    const QPolygonF notch({{0.5, middle - half}, {deep, middle}, {0.5, middle + half}});
    // Over whatever it lies on, a colour too.
    p.setPen(QPen(state_ == State::None ? t.muted : t.violet, 1.4));
    p.setBrush(state_ == State::Here ? t.violet : t.panel);
    p.drawPolygon(notch);
    if (hasFocus()) {
        p.setPen(QPen(t.seaGlass, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 3, 3);
    }
}

}  // namespace ovrix::app
