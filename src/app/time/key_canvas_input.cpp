// What the mouse and the keyboard do on the curves.
#include <QMouseEvent>

#include "app/theme/theme.h"
#include "app/time/key_canvas.h"

namespace ovrix::app {

void KeyCanvas::mousePressEvent(QMouseEvent* e) {
    press_ = last2_ = e->position();
    if (e->button() == Qt::MiddleButton) {
        drag_ = Drag::Pan;
        return;
    }
    if (e->button() != Qt::LeftButton) return;
    const QRectF box = chosenBox();
    if (press_.y() < px(16)) {
        drag_ = Drag::Frame;
        controller_.clock().setFrame(std::round(frameOf(press_.x())));
        return;
    }
    if (handleNear(press_)) return beginChange();
    if (const auto key = keyNear(press_)) {
        if (e->modifiers() & Qt::ShiftModifier) {
            if (!chosen_.erase(*key)) chosen_.insert(*key);
        } else if (!chosen_.count(*key)) {
            chosen_ = {*key};
        }
        drag_ = Drag::Keys;
        beginChange();
        Q_EMIT chosenChanged();
        return update();
    }
    if (!box.isNull() && std::abs(press_.x() - box.right()) < px(6) &&
        box.contains(box.center().x(), press_.y())) {
        drag_ = Drag::ScaleFrames, scaled_ = box;
        return beginChange();
    }
    if (!box.isNull() && std::abs(press_.y() - box.top()) < px(6) &&
        box.contains(press_.x(), box.center().y())) {
        drag_ = Drag::ScaleValues, scaled_ = box;
        return beginChange();
    }
    if (!(e->modifiers() & Qt::ShiftModifier)) chosen_.clear();
    drag_ = Drag::Box;
    box_ = QRectF(press_, press_);
    Q_EMIT chosenChanged();
    update();
}

void KeyCanvas::panTo(const QPointF& at) {
    const double f = frameOf(last2_.x()) - frameOf(at.x()), v = valueOf(last2_.y()) - valueOf(at.y());
    first_ += f, last_ += f, low_ += v, high_ += v;
    update();
}

/// Mostly along one axis: along that one only, so that nothing shifts by accident.
void KeyCanvas::dragKeys(const QPointF& moved, double frames, double by, bool free) {
    if (std::hypot(moved.x(), moved.y()) < 3) return;
    const bool onlyFrames = !free && std::abs(moved.x()) > 3 * std::abs(moved.y());
    const bool onlyValues = std::abs(moved.y()) > 3 * std::abs(moved.x());
    moveKeys(
        [&](Key& k, int c) {
            if (!onlyValues) k.frame += frames;
            if (!onlyFrames) setComponent(k.value, c, component(k.value, c) + by);
        },
        "Move keys");
}

void KeyCanvas::scaleFrames(double frames) {
    const double left = frameOf(scaled_.left() + px(9)), right = frameOf(scaled_.right() - px(9));
    const double factor = std::max(0.01, (right - left + frames) / std::max(1e-9, right - left));
    moveKeys([&](Key& k, int) { k.frame = left + std::round((k.frame - left) * factor); }, "Scale keys");
}

void KeyCanvas::scaleValues(double by) {
    const double bottom = valueOf(scaled_.bottom() - px(9)), top = valueOf(scaled_.top() + px(9));
    const double factor = (top - bottom + by) / std::max(1e-12, top - bottom);
    moveKeys(
        [&](Key& k, int c) { setComponent(k.value, c, bottom + (component(k.value, c) - bottom) * factor); },
        "Scale keys");
}

/// Both handles of a key stay in one line, unless @p alone.
void KeyCanvas::bendKey(const QPointF& at, bool alone) {
    const ParamPath path = tracks_[handle_.first].path;
    const int c = tracks_[handle_.first].component;
    std::vector<Key> keys = before_[path.text()];
    Key& k = keys[handle_.second];
    const bool first = drag_ == Drag::HandleBefore;
    KeyHandle& h = first ? k.before : k.after;
    h.frames = std::max(0.0, (first ? -1 : 1) * (frameOf(at.x()) - k.frame));
    h.by[size_t(c)] = valueOf(at.y()) - component(k.value, c);
    KeyHandle& other = first ? k.after : k.before;
    if (!alone && h.frames > 1e-6 && other.frames > 0)
        other.by[size_t(c)] = -h.by[size_t(c)] * other.frames / h.frames;
    controller_.edit(
        "Bend keys", [&](const Document& d) { return withKeys(d, path, keys); }, "key curves");
    update();
}

void KeyCanvas::mouseMoveEvent(QMouseEvent* e) {
    const QPointF at = e->position();
    const double frames = frameOf(at.x()) - frameOf(press_.x()), by = valueOf(at.y()) - valueOf(press_.y());
    const double whole = e->modifiers() & Qt::ControlModifier ? frames : std::round(frames);
    const bool alt = e->modifiers() & Qt::AltModifier;
    switch (drag_) {
        case Drag::None:
            break;
        case Drag::Frame:
            controller_.clock().setFrame(std::round(frameOf(at.x())));
            break;
        case Drag::Pan:
            panTo(at);
            break;
        case Drag::Box:
            box_ = QRectF(press_, at).normalized();
            update();
            break;
        case Drag::Keys:
            dragKeys(at - press_, whole, by, alt);
            break;
        case Drag::ScaleFrames:
            scaleFrames(frames);
            break;
        case Drag::ScaleValues:
            scaleValues(by);
            break;
        case Drag::HandleBefore:
        case Drag::HandleAfter:
            bendKey(at, alt);
            break;
    }
    last2_ = at;
}

void KeyCanvas::mouseReleaseEvent(QMouseEvent*) {
    if (drag_ == Drag::Box) {
        for (size_t t = 0; t < tracks_.size(); ++t) {
            const std::vector<Key> keys = paramOf(t).keys;
            for (size_t k = 0; tracks_[t].shown && k < keys.size(); ++k)
                if (box_.contains(pointOf(t, keys[k]))) chosen_.insert({t, k});
        }
        Q_EMIT chosenChanged();
    }
    if (drag_ != Drag::None && drag_ != Drag::Frame && drag_ != Drag::Pan && drag_ != Drag::Box)
        controller_.endDrag();
    drag_ = Drag::None;
    update();
}

void KeyCanvas::mouseDoubleClickEvent(QMouseEvent* e) {
    for (size_t t = 0; t < tracks_.size(); ++t) {
        if (!tracks_[t].shown) continue;
        const double f = std::round(frameOf(e->position().x()));
        if (std::abs(pointOf(f, valueAt(t, f)).y() - e->position().y()) > px(10)) continue;
        const Value value = paramOf(t).at(f);
        controller_.edit("Set key", [&](const Document& d) { return withKey(d, tracks_[t].path, f, value); });
        if (const auto k = keyAt(paramOf(t), f)) chosen_ = {{t, *k}};
        Q_EMIT chosenChanged();
        return update();
    }
}

void KeyCanvas::wheelEvent(QWheelEvent* e) {
    const double factor = std::pow(0.999, e->angleDelta().y());
    const double f = frameOf(e->position().x()), v = valueOf(e->position().y());
    if (!(e->modifiers() & Qt::ShiftModifier))
        first_ = f + (first_ - f) * factor, last_ = f + (last_ - f) * factor;
    if (!(e->modifiers() & Qt::ControlModifier))
        low_ = v + (low_ - v) * factor, high_ = v + (high_ - v) * factor;
    update();
}

void KeyCanvas::keyPressEvent(QKeyEvent* e) {
    const int frames = e->key() == Qt::Key_Right ? 1 : e->key() == Qt::Key_Left ? -1 : 0;
    const int values = e->key() == Qt::Key_Up ? 1 : e->key() == Qt::Key_Down ? -1 : 0;
    if (e->matches(QKeySequence::Copy)) {
        copyChosen();
    } else if (e->matches(QKeySequence::Paste)) {
        paste();
    } else if (e->matches(QKeySequence::SelectAll)) {
        for (size_t t = 0; t < tracks_.size(); ++t)
            for (size_t k = 0; tracks_[t].shown && k < paramOf(t).keys.size(); ++k) chosen_.insert({t, k});
        Q_EMIT chosenChanged();
        update();
    } else if (e->key() == Qt::Key_Delete || e->key() == Qt::Key_Backspace) {
        removeChosen();
    } else if ((frames || values) && !chosen_.empty()) {
        beginChange();
        const double by = values * (high_ - low_) / 100;
        moveKeys(
            [&](Key& k, int c) {
                k.frame += frames;
                if (values) setComponent(k.value, c, component(k.value, c) + by);
            },
            "Move keys");
        controller_.endDrag();
    } else {
        QWidget::keyPressEvent(e);
    }
}

}  // namespace ovrix::app
