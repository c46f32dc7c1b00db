#include "app/widgets/key_button.h"

#include <QPainter>

#include "app/theme/theme.h"
#include "app/widgets/marks.h"
#include "scene/keying.h"

namespace ovrix::app {

KeyButton::KeyButton(QWidget* parent) : QAbstractButton(parent) {
    setObjectName("keyButton");
    setFixedSize(px(14), px(22));
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
    const bool hot = underMouse() || hasFocus();
    const double r = state_ == State::None && !hot ? px(2.5) : px(4);
    const QPointF c(width() / 2.0, height() / 2.0);
    p.setPen(QPen(state_ == State::None ? (hot ? t.violet : t.line) : t.violet, 1.2));
    p.setBrush(state_ == State::Here ? QBrush(t.violet) : Qt::NoBrush);
    paintDiamond(p, c, r);
    if (state_ == State::Keyed) {  // else it would look as one without keys does under the pointer
        p.setBrush(t.violet);
        paintDiamond(p, c, px(1));
    }
    if (hasFocus()) {
        p.setPen(QPen(t.seaGlass, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 2.5, -0.5, -2.5), 3, 3);
    }
}

}  // namespace ovrix::app
