#include "app/widgets/ramp_bar.h"

#include <QContextMenuEvent>
#include <QMenu>
#include <QPainter>

#include "app/theme/theme.h"
#include "app/widgets/color_button.h"

namespace ovrix::app {

RampBar::RampBar(QWidget* parent) : QWidget(parent) {
    setFixedHeight(px(36));
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName("Ramp");
    setToolTip(
        "Double-click for a stop, or on one for its colour; drag it, or far off to take it out.\n"
        "Right-click for how colours go from stop to stop");
}

QSize RampBar::sizeHint() const { return {px(200), px(36)}; }

void RampBar::setRamp(const Ramp& ramp, const Color& low, const Color& high) {
    ramp_ = ramp, low_ = low, high_ = high;
    if (chosen_ >= int(ramp_.stops.size())) chosen_ = -1;
    update();
}

QRect RampBar::bar() const { return {px(6), px(2), width() - px(12), px(18)}; }

QPoint RampBar::stopAt(size_t i) const {
    return {bar().left() + int(std::lround(double(ramp_.stops[i].at) * (bar().width() - 1))), px(26)};
}

float RampBar::placeAt(double x) const {
    return float(std::clamp((x - bar().left()) / std::max(1, bar().width() - 1), 0.0, 1.0));
}

int RampBar::indexAt(const QPointF& p) const {
    for (int i = int(ramp_.stops.size()) - 1; i >= 0; --i)
        if (std::abs(stopAt(size_t(i)).x() - p.x()) <= px(6)) return i;
    return -1;
}

void RampBar::put(const Ramp& ramp, bool dragging) {
    ramp_ = ramp;
    update();
    Q_EMIT changed(ramp_, dragging);
    if (!dragging) Q_EMIT finished();
}

void RampBar::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const QRect r = bar();
    QImage line(std::max(1, r.width()), 1, QImage::Format_RGB32);
    for (int x = 0; x < line.width(); ++x)
        line.setPixel(x, 0,
                      toScreenColor(ramp_.at(low_, high_, (float(x) + 0.5f) / float(line.width()))).rgb());
    p.drawImage(r, line);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(hasFocus() && chosen_ < 0 ? tokens().seaGlass : tokens().line, 1));
    p.drawRoundedRect(QRectF(r).adjusted(-0.5, -0.5, 0.5, 0.5), px(2), px(2));
    for (size_t i = 0; i < ramp_.stops.size(); ++i) {
        const bool chosen = int(i) == chosen_;
        if (chosen && off_) continue;
        const QPoint at = stopAt(i);
        p.setPen(QPen(chosen ? tokens().seaGlass : tokens().text, chosen ? 2 : 1));
        p.drawLine(at.x(), r.bottom() + 1, at.x(), at.y() - px(3));
        p.setBrush(toScreenColor(ramp_.stops[i].color));
        p.drawEllipse(QPointF(at), px(5), px(5));
    }
}

void RampBar::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    chosen_ = indexAt(e->position());
    dragging_ = chosen_ >= 0;
    off_ = false;
    update();
}

/// Stops do not pass each other: each stays between its neighbours.
void RampBar::move(float to) {
    Ramp ramp = ramp_;
    const size_t i = size_t(chosen_);
    const float from = i > 0 ? ramp.stops[i - 1].at : 0.0f,
                until = i + 1 < ramp.stops.size() ? ramp.stops[i + 1].at : 1.0f;
    ramp.stops[i].at = std::clamp(to, from, until);
    put(ramp, true);
}

void RampBar::mouseMoveEvent(QMouseEvent* e) {
    if (!dragging_) return;
    const double away = std::max(-e->position().y(), e->position().y() - height());
    off_ = away > px(24);
    setCursor(off_ ? Qt::ForbiddenCursor : Qt::ArrowCursor);
    if (!off_) move(placeAt(e->position().x()));
    update();
}

void RampBar::mouseReleaseEvent(QMouseEvent*) {
    if (!std::exchange(dragging_, false)) return;
    setCursor(Qt::ArrowCursor);
    if (std::exchange(off_, false)) return remove();
    Q_EMIT finished();
}

void RampBar::remove() {
    if (chosen_ < 0) return;
    Ramp ramp = ramp_;
    ramp.stops.erase(ramp.stops.begin() + chosen_);
    chosen_ = -1;
    put(ramp, false);
}

void RampBar::add(float at) {
    Ramp ramp = ramp_;
    const auto next =
        std::find_if(ramp.stops.begin(), ramp.stops.end(), [&](const RampStop& s) { return s.at > at; });
    chosen_ = int(next - ramp.stops.begin());
    ramp.stops.insert(next, {at, ramp_.at(low_, high_, at)});
    put(ramp, false);
}

void RampBar::mouseDoubleClickEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    chosen_ = indexAt(e->position());
    if (chosen_ >= 0) return chooseColor();
    add(placeAt(e->position().x()));
}

void RampBar::chooseColor() {
    const size_t i = size_t(chosen_);
    const Color before = ramp_.stops[i].color;
    chooseColorOf(this, before, [this, i](const Color& color) {
        if (i >= ramp_.stops.size()) return;
        Ramp ramp = ramp_;
        ramp.stops[i].color = color;
        put(ramp, true);
    });
    Q_EMIT finished();
}

void RampBar::contextMenuEvent(QContextMenuEvent* e) {
    chosen_ = indexAt(e->pos());
    QMenu menu(this);
    if (chosen_ >= 0) {
        menu.addAction("Colour\u2026", this, &RampBar::chooseColor);
        menu.addAction("Take out", this, &RampBar::remove);
        menu.addSeparator();
    }
    const struct {
        const char* title;
        Ramp::Kind kind;
    } kinds[] = {{"Straight from stop to stop", Ramp::Kind::Linear},
                 {"Soft from stop to stop", Ramp::Kind::Smooth},
                 {"In steps", Ramp::Kind::Steps}};
    for (const auto& k : kinds) {
        QAction* a = menu.addAction(k.title, this, [this, kind = k.kind] {
            Ramp ramp = ramp_;
            ramp.kind = kind;
            put(ramp, false);
        });
        a->setCheckable(true);
        a->setChecked(ramp_.kind == k.kind);
    }
    menu.addSeparator();
    QAction* even = menu.addAction("Mix as the eye sees it", this, [this](bool on) {
        Ramp ramp = ramp_;
        ramp.perceptual = on;
        put(ramp, false);
    });
    even->setCheckable(true);
    even->setChecked(ramp_.perceptual);
    menu.exec(e->globalPos());
}

void RampBar::keyPressEvent(QKeyEvent* e) {
    const int count = int(ramp_.stops.size());
    const bool right = e->key() == Qt::Key_Right;
    if (e->key() == Qt::Key_Insert) return add(0.5f);
    if (count == 0) return QWidget::keyPressEvent(e);
    if (e->key() == Qt::Key_Up || e->key() == Qt::Key_Down) {
        chosen_ = chosen_ < 0 ? 0 : (chosen_ + (e->key() == Qt::Key_Up ? 1 : count - 1)) % count;
        return update();
    }
    if (chosen_ < 0) return QWidget::keyPressEvent(e);
    if (right || e->key() == Qt::Key_Left) {
        move(ramp_.stops[size_t(chosen_)].at + (right ? 0.01f : -0.01f));
        Q_EMIT finished();
    } else if (e->key() == Qt::Key_Delete) {
        remove();
    } else if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Space) {
        chooseColor();
    } else {
        QWidget::keyPressEvent(e);
    }
}

}  // namespace ovrix::app
