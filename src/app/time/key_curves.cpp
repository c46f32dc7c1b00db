#include "app/time/key_curves.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QListWidget>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/theme/theme.h"
#include "app/widgets/number_box.h"
#include "base/error.h"

namespace ovrix::app {

namespace {

/// What was copied last, from any parameter, by the order in which they stood.
std::vector<std::vector<Key>> clipboard;

/// 1, 2 or 5 times a power of ten, not below @p wanted.
double roundStep(double wanted) {
    const double ten = std::pow(10.0, std::floor(std::log10(std::max(wanted, 1e-12))));
    for (double k : {1.0, 2.0, 5.0, 10.0})
        if (k * ten >= wanted) return k * ten;
    return wanted;
}

}  // namespace

KeyCanvas::KeyCanvas(Controller& controller, QWidget* parent) : QWidget(parent), controller_(controller) {
    setObjectName("keyCanvas");
    setAccessibleName("Curves of keys");
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(px(240), px(120));
    connect(&controller_, &Controller::frameChanged, this, qOverload<>(&QWidget::update));
}

QColor KeyCanvas::colorOf(size_t track) {
    const Tokens& t = tokens();
    const QColor colors[] = {t.violet, t.seaGlass, t.sand, t.water, t.anemone, t.amber};
    return colors[track % std::size(colors)];
}

Param KeyCanvas::paramOf(size_t track) const {
    return controller_.paramNow(tracks_[track].path).value_or(Param{0.0, {}, nullptr, 0.0});
}

void KeyCanvas::setTracks(const std::vector<KeyTrack>& tracks) {
    const bool same = tracks == tracks_;
    tracks_ = tracks;
    if (!same) {
        chosen_.clear();
        fit();
        Q_EMIT chosenChanged();
    }
    std::erase_if(chosen_, [&](const auto& c) {
        return c.first >= tracks_.size() || c.second >= paramOf(c.first).keys.size();
    });
    update();
}

void KeyCanvas::fit() {
    first_ = 1e18, last_ = -1e18, low_ = 1e18, high_ = -1e18;
    for (size_t t = 0; t < tracks_.size(); ++t) {
        if (!tracks_[t].shown) continue;
        for (const Key& k : paramOf(t).keys) {
            first_ = std::min(first_, k.frame), last_ = std::max(last_, k.frame);
            const double v = component(k.value, tracks_[t].component);
            low_ = std::min(low_, v), high_ = std::max(high_, v);
        }
    }
    const auto [from, to] = controller_.playRange();
    if (first_ > last_) first_ = from, last_ = to, low_ = 0, high_ = 1;
    first_ = std::min(first_, double(from)), last_ = std::max({last_, double(to), first_ + 1});
    if (!(high_ - low_ > 1e-9)) low_ -= 0.5, high_ += 0.5;
    const double space = 0.15 * (high_ - low_), margin = 0.03 * (last_ - first_);
    low_ -= space, high_ += space, first_ -= margin, last_ += margin;
    update();
}

QPointF KeyCanvas::pointOf(double frame, double value) const {
    const double top = px(18);
    return {(frame - first_) / (last_ - first_) * width(),
            height() - (value - low_) / (high_ - low_) * (height() - top)};
}
double KeyCanvas::frameOf(double x) const { return first_ + x / std::max(1, width()) * (last_ - first_); }
double KeyCanvas::valueOf(double y) const {
    const double top = px(18);
    return low_ + (height() - y) / std::max(1.0, height() - top) * (high_ - low_);
}

QPointF KeyCanvas::keyPoint(size_t track, size_t key) const {
    const Param p = paramOf(track);
    return pointOf(p.keys[key].frame, component(p.keys[key].value, tracks_[track].component));
}

double KeyCanvas::valueAt(size_t track, double frame) const {
    Param p = paramOf(track);
    p.formulas.clear();
    return component(p.at(frame), tracks_[track].component);
}

QPointF KeyCanvas::handlePoint(size_t track, size_t key, bool before) const {
    const Key k = paramOf(track).keys[key];
    const KeyHandle& h = before ? k.before : k.after;
    const int c = tracks_[track].component;
    return pointOf(k.frame + (before ? -h.frames : h.frames), component(k.value, c) + h.by[size_t(c)]);
}

std::optional<std::pair<size_t, size_t>> KeyCanvas::keyNear(const QPointF& at) const {
    std::optional<std::pair<size_t, size_t>> best;
    double nearest = px(8);
    for (size_t t = 0; t < tracks_.size(); ++t) {
        if (!tracks_[t].shown) continue;
        const size_t count = paramOf(t).keys.size();
        for (size_t k = 0; k < count; ++k) {
            const QPointF d = keyPoint(t, k) - at;
            const double r = std::hypot(d.x(), d.y());
            if (r < nearest) nearest = r, best = {t, k};
        }
    }
    return best;
}

/// Handles of chosen keys that go by them.
bool KeyCanvas::handleNear(const QPointF& at) {
    for (const auto& [t, k] : chosen_) {
        const Param p = paramOf(t);
        const bool after = p.keys[k].ease == KeyEase::Free;
        const bool before = k > 0 && p.keys[k - 1].ease == KeyEase::Free;
        for (const bool side : {true, false}) {
            if (!(side ? before : after)) continue;
            const QPointF d = handlePoint(t, k, side) - at;
            if (std::hypot(d.x(), d.y()) > px(7)) continue;
            handle_ = {t, k};
            drag_ = side ? Drag::HandleBefore : Drag::HandleAfter;
            return true;
        }
    }
    return false;
}

QRectF KeyCanvas::chosenBox() const {
    if (chosen_.size() < 2) return {};
    QRectF box;
    bool first = true;
    for (const auto& [t, k] : chosen_) {
        const QPointF p = keyPoint(t, k);
        box = first ? QRectF(p, QSizeF(0.001, 0.001)) : box.united(QRectF(p, QSizeF(0.001, 0.001)));
        first = false;
    }
    return box.adjusted(-px(9), -px(9), px(9), px(9));
}

std::vector<ParamPath> KeyCanvas::workedOn() const {
    std::vector<ParamPath> out;
    for (size_t t = 0; t < tracks_.size(); ++t) {
        const bool any =
            std::any_of(chosen_.begin(), chosen_.end(), [t](const auto& c) { return c.first == t; });
        if (chosen_.empty() ? !tracks_[t].shown : !any) continue;
        if (std::find(out.begin(), out.end(), tracks_[t].path) == out.end()) out.push_back(tracks_[t].path);
    }
    return out;
}

void KeyCanvas::beginChange() {
    before_.clear();
    for (size_t t = 0; t < tracks_.size(); ++t) before_[tracks_[t].path.text()] = paramOf(t).keys;
    chosenBefore_ = chosen_;
}

/// Changes the chosen keys as they were at the beginning of the drag.
void KeyCanvas::moveKeys(const std::function<void(Key&, int)>& change, const QString& label) {
    std::map<std::string, std::vector<Key>> keys = before_;
    std::map<std::string, std::map<size_t, double>> frames;  // where chosen ones go
    for (const auto& [t, k] : chosenBefore_) {
        const std::string path = tracks_[t].path.text();
        // Each component changes the key as it was: what they share, its frame, changes once.
        Key moved = before_[path][k];
        Key& key = keys[path][k];
        change(moved, tracks_[t].component);
        const double value = component(moved.value, tracks_[t].component);
        moved.value = key.value;
        setComponent(moved.value, tracks_[t].component, value);
        key = std::move(moved);
        frames[path][k] = keys[path][k].frame;
    }
    controller_.edit(
        label,
        [&](const Document& d) {
            Document out = d;
            std::set<std::string> done;
            for (const auto& [t, k] : chosenBefore_)
                if (done.insert(tracks_[t].path.text()).second)
                    out = withKeys(out, tracks_[t].path, keys[tracks_[t].path.text()]);
            return out;
        },
        "key curves");
    chosen_.clear();  // they may have passed others
    for (const auto& [t, k] : chosenBefore_)
        if (const auto now = keyAt(paramOf(t), frames[tracks_[t].path.text()][k])) chosen_.insert({t, *now});
    update();
}

void KeyCanvas::easeChosen(KeyEase ease) {
    if (chosen_.empty()) return;
    beginChange();
    moveKeys(
        [&](Key& k, int) {
            k.ease = ease;
            if (ease != KeyEase::Free || k.after.frames > 0) return;
            k.after.frames = 4;  // to begin with, level
        },
        "Ease keys");
    if (ease == KeyEase::Free)  // the next one's handle, too
        controller_.edit(
            "Ease keys",
            [&](const Document& d) {
                Document out = d;
                for (const auto& [t, k] : chosen_) {
                    std::vector<Key> keys = paramAt(out, tracks_[t].path).keys;
                    if (k + 1 < keys.size() && keys[k + 1].before.frames <= 0) keys[k + 1].before.frames = 4;
                    out = withKeys(out, tracks_[t].path, keys);
                }
                return out;
            },
            "key curves");
    controller_.endDrag();
}

void KeyCanvas::removeChosen() {
    if (chosen_.empty()) return;
    controller_.edit("Remove keys", [&](const Document& d) {
        Document out = d;
        std::map<std::string, std::pair<ParamPath, std::set<double>>> gone;
        for (const auto& [t, k] : chosen_) {
            auto& g = gone[tracks_[t].path.text()];
            g.first = tracks_[t].path;
            g.second.insert(paramOf(t).keys[k].frame);
        }
        for (const auto& [text, g] : gone)
            for (double f : g.second) out = withoutKey(out, g.first, f);
        return out;
    });
    chosen_.clear();
    Q_EMIT chosenChanged();
}

void KeyCanvas::setRepeat(KeyRepeat repeat) {
    controller_.edit("Repeat keys", [&](const Document& d) {
        Document out = d;
        for (const ParamPath& path : workedOn()) {
            Param p = paramAt(out, path);
            p.repeat = repeat;
            out = withParam(out, path, p);
        }
        return out;
    });
}

size_t KeyCanvas::copyChosen() {
    std::vector<std::vector<Key>> copied;
    double begin = 1e18;
    for (const ParamPath& path : workedOn()) {
        std::vector<Key> keys;
        const std::vector<Key> all = paramAt(controller_.document(), path).keys;
        for (size_t k = 0; k < all.size(); ++k) {
            const bool in =
                chosen_.empty() || std::any_of(chosen_.begin(), chosen_.end(), [&](const auto& c) {
                    return c.second == k && tracks_[c.first].path == path;
                });
            if (in) keys.push_back(all[k]), begin = std::min(begin, all[k].frame);
        }
        if (!keys.empty()) copied.push_back(std::move(keys));
    }
    if (copied.empty()) return 0;
    for (auto& keys : copied)
        for (Key& k : keys) k.frame -= begin;
    clipboard = std::move(copied);
    controller_.say(QString("Copied the keys of %1 parameter%2")
                        .arg(clipboard.size())
                        .arg(clipboard.size() == 1 ? "" : "s"));
    return clipboard.size();
}

void KeyCanvas::paste() {
    const std::vector<ParamPath> to = workedOn();
    if (clipboard.empty() || to.empty())
        return controller_.say(
            clipboard.empty() ? "Nothing was copied yet" : "Choose a parameter in the list first", true);
    controller_.edit("Paste keys", [&](const Document& d) {
        Document out = d;
        for (size_t i = 0; i < to.size(); ++i)
            out = withKeysPut(out, to[i], controller_.frame(), clipboard[i % clipboard.size()]);
        return out;
    });
}

void KeyCanvas::paintGrid(QPainter& p) {
    const Tokens& t = tokens();
    p.fillRect(rect(), t.field);
    p.setFont(figureFont(7.75));
    const double frames = std::max(1.0, roundStep((last_ - first_) * px(56) / std::max(1, width())));
    for (double f = std::ceil(first_ / frames) * frames; f <= last_; f += frames) {
        const double x = pointOf(f, 0).x();
        p.setPen(QPen(t.line, 1));
        p.drawLine(QPointF(x, px(18)), QPointF(x, height()));
        p.setPen(t.muted);
        p.drawText(QRectF(x - px(30), 0, px(60), px(18)), Qt::AlignCenter, QString::number(f));
    }
    const double values = roundStep((high_ - low_) * px(34) / std::max(1, height()));
    for (double v = std::ceil(low_ / values) * values; v <= high_; v += values) {
        const double y = pointOf(0, v).y();
        if (y < px(20)) continue;
        p.setPen(QPen(t.line, 1));
        p.drawLine(QPointF(0, y), QPointF(width(), y));
        p.setPen(t.muted);
        p.drawText(QRectF(px(4), y - px(14), px(70), px(14)), Qt::AlignLeft | Qt::AlignBottom,
                   numberText(std::abs(v) < 1e-9 * values ? 0 : v, false));
    }
}

void KeyCanvas::paintTrack(QPainter& p, size_t track) {
    const Param param = paramOf(track);
    if (param.keys.empty()) return;
    QPainterPath path;
    const int steps = std::max(2, width() / 2);
    for (int i = 0; i <= steps; ++i) {
        const double f = first_ + (last_ - first_) * i / steps;
        const QPointF q = pointOf(f, valueAt(track, f));
        i ? path.lineTo(q) : path.moveTo(q);
    }
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(colorOf(track), 1.5));
    p.drawPath(path);
    for (size_t k = 0; k < param.keys.size(); ++k) {
        const bool in = chosen_.count({track, k}) != 0;
        const QPointF c = keyPoint(track, k);
        if (in)
            for (const bool before : {true, false}) {
                const bool free = before ? k > 0 && param.keys[k - 1].ease == KeyEase::Free
                                         : param.keys[k].ease == KeyEase::Free;
                if (!free) continue;
                const QPointF h = handlePoint(track, k, before);
                p.setPen(QPen(tokens().muted, 1));
                p.drawLine(c, h);
                p.setBrush(tokens().field);
                p.drawEllipse(h, px(3.5), px(3.5));
            }
        const double r = px(in ? 5 : 4);
        p.setPen(QPen(in ? tokens().text : colorOf(track), 1.3));
        p.setBrush(colorOf(track));
        p.drawPolygon(
            QPolygonF({c + QPointF(0, -r), c + QPointF(r, 0), c + QPointF(0, r), c + QPointF(-r, 0)}));
    }
}

void KeyCanvas::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    paintGrid(p);
    for (size_t t = 0; t < tracks_.size(); ++t)
        if (tracks_[t].shown) paintTrack(p, t);
    const QRectF box = chosenBox();
    if (!box.isNull()) {
        p.setPen(QPen(tokens().muted, 1, Qt::DashLine));
        p.setBrush(Qt::NoBrush);
        p.drawRect(box);
        p.setPen(Qt::NoPen);
        p.setBrush(tokens().muted);
        p.drawRect(QRectF(box.right() - px(2), box.center().y() - px(6), px(4), px(12)));
        p.drawRect(QRectF(box.center().x() - px(6), box.top() - px(2), px(12), px(4)));
    }
    if (drag_ == Drag::Box) {
        QColor fill = tokens().seaGlass;
        fill.setAlphaF(0.15f);
        p.setPen(QPen(tokens().seaGlass, 1));
        p.setBrush(fill);
        p.drawRect(box_);
    }
    const double x = pointOf(controller_.frame(), 0).x();
    p.setPen(QPen(tokens().seaGlass, 1.5));
    p.drawLine(QPointF(x, px(16)), QPointF(x, height()));
    if (tracks_.empty()) {
        p.setPen(tokens().muted);
        p.setFont(textFont());
        p.drawText(rect(), Qt::AlignCenter | Qt::TextWordWrap,
                   "Nothing of what is chosen has keys.\nThe small diamond beside a number puts one.");
    }
    if (hasFocus()) {
        p.setPen(QPen(tokens().seaGlass, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5));
    }
}

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
        controller_.setFrame(std::round(frameOf(press_.x())));
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

void KeyCanvas::mouseMoveEvent(QMouseEvent* e) {
    const QPointF at = e->position();
    const double frames = frameOf(at.x()) - frameOf(press_.x()), by = valueOf(at.y()) - valueOf(press_.y());
    const double whole = e->modifiers() & Qt::ControlModifier ? frames : std::round(frames);
    const QPointF moved = at - press_;
    switch (drag_) {
        case Drag::None:
            break;
        case Drag::Frame:
            controller_.setFrame(std::round(frameOf(at.x())));
            break;
        case Drag::Pan: {
            const double f = frameOf(last2_.x()) - frameOf(at.x()), v = valueOf(last2_.y()) - valueOf(at.y());
            first_ += f, last_ += f, low_ += v, high_ += v;
            update();
            break;
        }
        case Drag::Box:
            box_ = QRectF(press_, at).normalized();
            update();
            break;
        case Drag::Keys: {
            if (std::hypot(moved.x(), moved.y()) < 3) break;
            // Mostly along one axis: along that one only, so that nothing shifts by accident.
            const bool onlyFrames =
                e->modifiers() & Qt::AltModifier ? false : std::abs(moved.x()) > 3 * std::abs(moved.y());
            const bool onlyValues = std::abs(moved.y()) > 3 * std::abs(moved.x());
            moveKeys(
                [&](Key& k, int c) {
                    if (!onlyValues) k.frame += whole;
                    if (!onlyFrames) setComponent(k.value, c, component(k.value, c) + by);
                },
                "Move keys");
            break;
        }
        case Drag::ScaleFrames: {
            const double left = frameOf(scaled_.left() + px(9)), right = frameOf(scaled_.right() - px(9));
            const double factor = std::max(0.01, (right - left + frames) / std::max(1e-9, right - left));
            moveKeys([&](Key& k, int) { k.frame = left + std::round((k.frame - left) * factor); },
                     "Scale keys");
            break;
        }
        case Drag::ScaleValues: {
            const double bottom = valueOf(scaled_.bottom() - px(9)), top = valueOf(scaled_.top() + px(9));
            const double factor = (top - bottom + by) / std::max(1e-12, top - bottom);
            moveKeys(
                [&](Key& k, int c) {
                    setComponent(k.value, c, bottom + (component(k.value, c) - bottom) * factor);
                },
                "Scale keys");
            break;
        }
        case Drag::HandleBefore:
        case Drag::HandleAfter: {
            const auto [t, key] = handle_;
            const int c = tracks_[t].component;
            std::vector<Key> keys = before_[tracks_[t].path.text()];
            Key& k = keys[key];
            const bool first = drag_ == Drag::HandleBefore;
            KeyHandle& h = first ? k.before : k.after;
            h.frames = std::max(0.0, (first ? -1 : 1) * (frameOf(at.x()) - k.frame));
            h.by[size_t(c)] = valueOf(at.y()) - component(k.value, c);
            if (!(e->modifiers() & Qt::AltModifier)) {  // both in one line, unless asked otherwise
                KeyHandle& other = first ? k.after : k.before;
                if (h.frames > 1e-6 && other.frames > 0)
                    other.by[size_t(c)] = -h.by[size_t(c)] * other.frames / h.frames;
            }
            controller_.edit(
                "Bend keys", [&](const Document& d) { return withKeys(d, tracks_[t].path, keys); },
                "key curves");
            update();
            break;
        }
    }
    last2_ = at;
}

void KeyCanvas::mouseReleaseEvent(QMouseEvent*) {
    if (drag_ == Drag::Box) {
        for (size_t t = 0; t < tracks_.size(); ++t)
            for (size_t k = 0; tracks_[t].shown && k < paramOf(t).keys.size(); ++k)
                if (box_.contains(keyPoint(t, k))) chosen_.insert({t, k});
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

KeyCurves::KeyCurves(Controller& controller, QWidget* parent) : QWidget(parent), controller_(controller) {
    setObjectName("dock");
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(px(10), px(6), px(10), px(4));
    rows->setSpacing(px(4));
    auto* bar = new QHBoxLayout;
    bar->setSpacing(px(4));
    canvas_ = new KeyCanvas(controller_);
    const auto button = [&](const char* name, const char* title, const char* tip,
                            const std::function<void()>& run) {
        auto* b = new QPushButton(title);
        b->setObjectName(name);
        b->setToolTip(tip);
        connect(b, &QPushButton::clicked, this, run);
        bar->addWidget(b);
    };
    const struct {
        const char *name, *title, *tip;
        KeyEase ease;
    } eases[] = {{"easeSmooth", "Smooth", "Through the chosen keys without a stop", KeyEase::Smooth},
                 {"easeStraight", "Straight", "In straight lines", KeyEase::Linear},
                 {"easeEased", "Eased", "Slow at both ends", KeyEase::Eased},
                 {"easeStepped", "Stepped", "Stays until the next key", KeyEase::Hold},
                 {"easeFree", "Handles", "By handles to drag; Alt bends one side alone", KeyEase::Free}};
    for (const auto& e : eases)
        button(e.name, e.title, e.tip, [this, ease = e.ease] { canvas_->easeChosen(ease); });
    bar->addSpacing(px(8));
    repeat_ = new QComboBox;
    repeat_->setObjectName("repeat");
    repeat_->addItems({"ends hold", "keys again", "again, going on"});
    repeat_->setToolTip("What comes before the first key and after the last");
    connect(repeat_, &QComboBox::activated, this, [this](int i) { canvas_->setRepeat(KeyRepeat(i)); });
    bar->addWidget(repeat_);
    bar->addSpacing(px(8));
    button("copyKeys", "Copy", "The chosen keys (Ctrl+C)", [this] { canvas_->copyChosen(); });
    button("pasteKeys", "Paste", "From this frame on, into the chosen parameters (Ctrl+V)",
           [this] { canvas_->paste(); });
    button("fitKeys", "Fit", "All of the curves", [this] { canvas_->fit(); });
    bar->addStretch();
    rows->addLayout(bar);
    auto* columns = new QHBoxLayout;
    columns->setSpacing(px(6));
    list_ = new QListWidget;
    list_->setObjectName("keyTracks");
    list_->setFixedWidth(px(190));
    columns->addWidget(list_);
    columns->addWidget(canvas_, 1);
    rows->addLayout(columns, 1);
    connect(list_, &QListWidget::itemChanged, this, [this](QListWidgetItem* item) {
        std::vector<KeyTrack> tracks = canvas_->tracks();
        const size_t row = size_t(list_->row(item));
        if (row < tracks.size()) tracks[row].shown = item->checkState() == Qt::Checked;
        canvas_->setTracks(tracks);
    });
    connect(canvas_, &KeyCanvas::chosenChanged, this, [this] {
        const auto on = canvas_->workedOn();
        if (on.empty()) return;
        if (const auto p = controller_.paramNow(on.front())) repeat_->setCurrentIndex(int(p->repeat));
    });
    connect(&controller_, &Controller::documentChanged, this, &KeyCurves::refresh);
    connect(&controller_, &Controller::selectionChanged, this, &KeyCurves::refresh);
    refresh();
}

void KeyCurves::refresh() {
    const Document& d = controller_.document();
    std::vector<KeyTrack> tracks;
    for (const ParamPath& path : animatedParams(d, controller_.selected())) {
        const ParamSpec& spec = specAt(d, path);
        const int count = componentsOf(spec.initial);
        const char* axes[3][3] = {{"", "", ""}, {" from", " to", ""}, {" x", " y", " z"}};
        const char* colors[] = {" red", " green", " blue"};
        for (int c = 0; c < count; ++c) {
            const QString part = spec.type == ParamType::Color ? colors[c] : axes[count - 1][c];
            tracks.push_back({path, c, QString::fromStdString(spec.title) + part, true});
        }
    }
    const bool same = tracks == canvas_->tracks();
    if (same)
        for (size_t i = 0; i < tracks.size(); ++i) tracks[i].shown = canvas_->tracks()[i].shown;
    if (!same || node_ != controller_.selected()) {
        const QSignalBlocker quiet(list_);
        list_->clear();
        for (size_t i = 0; i < tracks.size(); ++i) {
            auto* item = new QListWidgetItem(tracks[i].name, list_);
            QPixmap swatch(px(10), px(10));
            swatch.fill(KeyCanvas::colorOf(i));
            item->setIcon(swatch);
            item->setFlags(item->flags() | Qt::ItemIsUserCheckable);
            item->setCheckState(Qt::Checked);
        }
        node_ = controller_.selected();
    }
    canvas_->setTracks(tracks);
}

}  // namespace ovrix::app
