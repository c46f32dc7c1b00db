#include "app/time/key_canvas.h"

#include <QPainterPath>

#include "app/theme/theme.h"
#include "app/widgets/marks.h"
#include "app/widgets/number_box.h"
#include "base/error.h"

namespace ovrix::app {

namespace {

/// What was copied last, from any parameter, by the order in which they stood.
std::vector<std::vector<Key>> clipboard;

}  // namespace

KeyCanvas::KeyCanvas(Controller& controller, QWidget* parent) : QWidget(parent), controller_(controller) {
    setObjectName("keyCanvas");
    setAccessibleName("Curves of keys");
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(px(240), px(120));
    connect(&controller_.clock(), &PlayClock::frameChanged, this, qOverload<>(&QWidget::update));
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
    const auto [from, to] = controller_.clock().range();
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

QPointF KeyCanvas::pointOf(size_t track, const Key& key) const {
    return pointOf(key.frame, component(key.value, tracks_[track].component));
}
QPointF KeyCanvas::keyPoint(size_t track, size_t key) const {
    return pointOf(track, paramOf(track).keys[key]);
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
        const std::vector<Key> keys = paramOf(t).keys;
        for (size_t k = 0; k < keys.size(); ++k) {
            const QPointF d = pointOf(t, keys[k]) - at;
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
            out = withKeysPut(out, to[i], controller_.clock().frame(), clipboard[i % clipboard.size()]);
        return out;
    });
}

void KeyCanvas::paintGrid(QPainter& p) {
    const Tokens& t = tokens();
    p.fillRect(rect(), t.field);
    p.setFont(figureFont(7.75));
    const double frames = std::max(1.0, roundStep((last_ - first_) * px(56) / std::max(1, width())));
    for (auto k = int64_t(std::ceil(first_ / frames)); double(k) * frames <= last_; ++k) {
        const double f = double(k) * frames;
        const double x = pointOf(f, 0).x();
        p.setPen(QPen(t.line, 1));
        p.drawLine(QPointF(x, px(18)), QPointF(x, height()));
        p.setPen(t.muted);
        p.drawText(QRectF(x - px(30), 0, px(60), px(18)), Qt::AlignCenter, QString::number(f));
    }
    const double values = roundStep((high_ - low_) * px(34) / std::max(1, height()));
    for (auto k = int64_t(std::ceil(low_ / values)); double(k) * values <= high_; ++k) {
        const double v = double(k) * values;
        const double y = pointOf(0, v).y();
        if (y < px(20)) continue;
        p.setPen(QPen(t.line, 1));
        p.drawLine(QPointF(0, y), QPointF(width(), y));
        p.setPen(t.muted);
        p.drawText(QRectF(px(4), y - px(14), px(70), px(14)), Qt::AlignLeft | Qt::AlignBottom,
                   numberText(v, false));
    }
}

void KeyCanvas::paintTrack(QPainter& p, size_t track) {
    Param param = paramOf(track);
    if (param.keys.empty()) return;
    param.formulas.clear();
    QPainterPath path;
    const int steps = std::max(2, width() / 2);
    for (int i = 0; i <= steps; ++i) {
        const double f = first_ + (last_ - first_) * i / steps;
        const QPointF q = pointOf(f, component(param.at(f), tracks_[track].component));
        i ? path.lineTo(q) : path.moveTo(q);
    }
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(colorOf(track), 1.5));
    p.drawPath(path);
    for (size_t k = 0; k < param.keys.size(); ++k) {
        const bool in = chosen_.count({track, k}) != 0;
        const QPointF c = pointOf(track, param.keys[k]);
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
        paintDiamond(p, c, r);
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
    const double x = pointOf(controller_.clock().frame(), 0).x();
    p.setPen(QPen(tokens().seaGlass, 1.5));
    p.drawLine(QPointF(x, px(16)), QPointF(x, height()));
    if (tracks_.empty()) {
        p.setPen(tokens().muted);
        p.setFont(textFont());
        p.drawText(rect(), Qt::AlignCenter | Qt::TextWordWrap,
                   "Nothing of what is chosen has keys.\nThe notch at a number's left edge puts one.");
    }
    if (hasFocus()) {
        p.setPen(QPen(tokens().seaGlass, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5));
    }
}

}  // namespace ovrix::app
