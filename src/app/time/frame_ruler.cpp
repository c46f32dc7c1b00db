#include "app/time/frame_ruler.h"

#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QMenu>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>

#include "app/theme/theme.h"
#include "app/widgets/marks.h"
#include "document/edits/keying.h"

namespace ovrix::app {

FrameRuler::FrameRuler(Controller& controller, QWidget* parent) : QWidget(parent), controller_(controller) {
    setObjectName("frameRuler");
    setAccessibleName("Frames");
    setFocusPolicy(Qt::StrongFocus);
    setMinimumWidth(px(160));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    setMouseTracking(true);
    const auto paint = [this] { update(); };
    connect(&controller_, &Controller::documentChanged, this, paint);
    connect(&controller_, &Controller::resultsChanged, this, paint);
    connect(&controller_, &Controller::bakingChanged, this, paint);
    connect(&controller_.clock(), &PlayClock::frameChanged, this, paint);
    connect(&controller_.selection(), &Selection::selectionChanged, this, paint);
}

QSize FrameRuler::sizeHint() const { return {px(600), px(54)}; }

std::pair<int, int> FrameRuler::range() const {
    const auto [first, last] = controller_.document().frames();
    return {first, std::max(first + 1, last)};  // never without width
}

double FrameRuler::xOf(double frame) const {
    const auto [first, last] = range();
    const double margin = px(14);
    return margin + (frame - first) / (last - first) * (width() - 2 * margin);
}

double FrameRuler::keyRow() const { return height() - px(16); }

double FrameRuler::frameAt(double x) const {
    const auto [first, last] = range();
    const double margin = px(14), span = std::max(1.0, width() - 2 * margin);
    return std::clamp(std::round(first + (x - margin) / span * (last - first)), double(first), double(last));
}

std::set<double> FrameRuler::keyFrames() const {
    std::set<double> frames;
    const Document& d = controller_.document();
    for (const ParamPath& path : animatedParams(d, controller_.selection().id()))
        for (const Key& k : paramAt(d, path).keys) frames.insert(k.frame);
    return frames;
}

std::optional<double> FrameRuler::keyNear(const QPointF& at) const {
    if (std::abs(at.y() - keyRow()) > px(8)) return std::nullopt;
    std::optional<double> best;
    for (double f : keyFrames())
        if (std::abs(xOf(f) - at.x()) < px(7) &&
            (!best || std::abs(xOf(f) - at.x()) < std::abs(xOf(*best) - at.x())))
            best = f;
    return best;
}

/// Of the chosen layer, else of the only one that simulates.
const SimulationStatus* FrameRuler::simulation() const {
    const auto& all = controller_.results().simulations;
    const auto own = all.find(controller_.selection().id());
    if (own != all.end()) return &own->second;
    return all.size() == 1 ? &all.begin()->second : nullptr;
}

/// How many are alive over the frames that are known.
void FrameRuler::paintAlive(QPainter& p, const QRectF& box) {
    const SimulationStatus* s = simulation();
    if (!s || s->alive.size() < 2) return;
    size_t most = 1;
    for (const auto& [frame, count] : s->alive) most = std::max(most, count);
    QPainterPath path;
    int last = 0;
    bool open = false;
    const auto y = [&](size_t count) { return box.bottom() - box.height() * double(count) / double(most); };
    for (const auto& [frame, count] : s->alive) {
        if (open && frame != last + 1) path.lineTo(xOf(last), box.bottom()), open = false;
        if (!open) path.moveTo(xOf(frame), box.bottom()), open = true;
        path.lineTo(xOf(frame), y(count));
        last = frame;
    }
    path.lineTo(xOf(last), box.bottom());
    QColor fill = tokens().seaGlass;
    fill.setAlphaF(0.22f);
    p.fillPath(path, fill);
}

/// Under the frames: kept in memory, baked, and baked of something else.
void FrameRuler::paintCache(QPainter& p, const QRectF& box) {
    const SimulationStatus* s = simulation();
    if (!s) return;
    const int first = range().first, last = range().second;
    const double frameWidth = (xOf(last) - xOf(first)) / (last - first);
    const auto bar = [&](int frame, double top, double height, const QColor& color) {
        if (frame < first || frame > last) return;
        p.fillRect(QRectF(xOf(frame) - frameWidth / 2, top, frameWidth + 0.5, height), color);
    };
    QColor kept = tokens().muted;
    kept.setAlphaF(0.55f);
    for (const auto& [frame, count] : s->kept) bar(frame, box.top(), box.height() * 0.4, kept);
    const bool good = s->fresh;
    for (int frame : s->bake.frames) {
        bar(frame, box.top() + box.height() * 0.5, box.height() * 0.5,
            good ? tokens().water : tokens().amber);
        if (!good && frame % 4 == 0)  // not told by colour alone: stale is dashed
            bar(frame, box.top() + box.height() * 0.5, box.height() * 0.5, tokens().panel);
    }
}

void FrameRuler::paintLoop(QPainter& p) {
    const auto [from, to] = controller_.clock().range();
    const auto [first, last] = range();
    if (from == first && to == last) return;
    QColor shade = tokens().ink;
    shade.setAlphaF(0.5f);
    p.fillRect(QRectF(0, 0, xOf(from), height()), shade);
    p.fillRect(QRectF(xOf(to), 0, width() - xOf(to), height()), shade);
}

/// Marks of frames, the named ones as far apart as their numbers take.
void FrameRuler::paintFrames(QPainter& p, double top) {
    const Tokens& t = tokens();
    const auto [first, last] = range();
    p.setFont(figureFont(7.75));
    const QFontMetrics metrics = p.fontMetrics();
    const double widest = std::max(metrics.horizontalAdvance(QString::number(first)),
                                   metrics.horizontalAdvance(QString::number(last)));
    const double apart = std::max<double>(px(46), widest + px(16));
    const int step = int(roundStep(std::max(1.0, (last - first) * apart / std::max(1.0, double(width())))));
    const int small = std::max(1, step / 5);
    for (int f = int(std::ceil(double(first) / small)) * small; f <= last; f += small) {
        const bool named = f % step == 0;
        p.setPen(QPen(t.line, 1));
        const double x = std::floor(xOf(f)) + 0.5;
        p.drawLine(QPointF(x, named ? top - px(2) : top + px(2)), QPointF(x, top + px(5)));
        if (!named) continue;
        p.setPen(t.muted);
        const QString text = QString::number(f);
        const double w = metrics.horizontalAdvance(text) + px(2);
        const double left = std::clamp(x - w / 2, 0.0, std::max(0.0, width() - w));  // whole at both ends
        const QRectF label(left, 0, w, top - px(2));
        p.drawText(label, Qt::AlignCenter, text);
    }
}

void FrameRuler::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Tokens& t = tokens();
    const double top = px(16);
    paintAlive(p, QRectF(0, top, width(), height() - top - px(9)));
    const double now = controller_.clock().frame(), nowAt = xOf(now);
    paintFrames(p, top);
    paintCache(p, QRectF(0, height() - px(7), width(), px(6)));
    paintLoop(p);
    p.setPen(QPen(t.violet, 1.2));
    for (double f : keyFrames()) {
        p.setBrush(std::abs(f - now) < 0.01 ? QBrush(t.violet) : QBrush(t.panel));
        paintDiamond(p, QPointF(xOf(f), keyRow()), px(4));
    }
    // A line with a foot; the number stands beside it in the transport.
    const double foot = height() - 1.0;
    p.setPen(QPen(t.seaGlass, 2, Qt::SolidLine, Qt::FlatCap));
    p.drawLine(QPointF(nowAt, 0), QPointF(nowAt, foot));
    p.drawLine(QPointF(nowAt - px(5), foot), QPointF(nowAt + px(5), foot));
    if (hasFocus()) {
        p.setPen(QPen(t.seaGlass, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), px(3), px(3));
    }
}

void FrameRuler::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    if (const auto key = keyNear(e->position())) {
        drag_ = Drag::Key;
        dragged_ = *key;
        controller_.clock().setFrame(*key);
        return;
    }
    if (e->modifiers() & Qt::AltModifier) {  // the loop: its nearer end comes here
        const auto [from, to] = controller_.clock().range();
        const double f = frameAt(e->position().x());
        drag_ = std::abs(f - from) < std::abs(f - to) ? Drag::LoopFrom : Drag::LoopTo;
        mouseMoveEvent(e);
        return;
    }
    drag_ = Drag::Frame;
    controller_.clock().setFrame(frameAt(e->position().x()));
}

void FrameRuler::moveKeys(double from, double to) {
    controller_.edit(
        "Move keys",
        [&](const Document& d) {
            Document out = d;
            for (const ParamPath& path : animatedParams(d, controller_.selection().id())) {
                Param param = paramAt(d, path);
                const auto k = keyAt(param, from);
                if (!k) continue;
                Key moved = param.keys[*k];
                moved.frame = to;
                param.keys.erase(param.keys.begin() + std::ptrdiff_t(*k));
                param.keys.push_back(moved);
                out = withKeys(out, path, param.keys);
            }
            return out;
        },
        "move keys");
}

void FrameRuler::mouseMoveEvent(QMouseEvent* e) {
    const double f = frameAt(e->position().x());
    switch (drag_) {
        case Drag::None:
            setCursor(keyNear(e->position()) ? Qt::SizeHorCursor : Qt::ArrowCursor);
            break;
        case Drag::Frame:
            controller_.clock().setFrame(f);
            break;
        case Drag::Key:
            // Keys pass others without taking their place.
            if (f != dragged_ && !keyFrames().count(f)) {
                moveKeys(dragged_, f);
                dragged_ = f;
                controller_.clock().setFrame(f);
            }
            break;
        case Drag::LoopFrom:
        case Drag::LoopTo: {
            auto [from, to] = controller_.clock().range();
            (drag_ == Drag::LoopFrom ? from : to) = int(f);
            if (to <= from) break;
            controller_.setPlayRange(from, to, true);
        }
    }
}

void FrameRuler::mouseReleaseEvent(QMouseEvent*) {
    if (drag_ == Drag::Key || drag_ == Drag::LoopFrom || drag_ == Drag::LoopTo) controller_.endDrag();
    drag_ = Drag::None;
}

void FrameRuler::contextMenuEvent(QContextMenuEvent* e) {
    QMenu menu(this);
    const auto key = keyNear(e->pos());
    if (key) {
        const struct {
            const char* title;
            KeyEase ease;
        } eases[] = {{"Smooth", KeyEase::Smooth},
                     {"Straight", KeyEase::Linear},
                     {"Eased", KeyEase::Eased},
                     {"Stepped", KeyEase::Hold}};
        using KeyChange = std::function<void(std::vector<Key>&, size_t)>;
        const auto changed = [this, f = *key](const Document& d, const KeyChange& to) {
            Document out = d;
            for (const ParamPath& path : animatedParams(d, controller_.selection().id())) {
                Param param = paramAt(d, path);
                const auto k = keyAt(param, f);
                if (!k) continue;
                to(param.keys, *k);
                out = param.keys.empty() ? withoutKey(out, path, f) : withKeys(out, path, param.keys);
            }
            return out;
        };
        const auto change = [this, changed](const QString& label, const KeyChange& to) {
            controller_.edit(label, [&](const Document& d) { return changed(d, to); });
        };
        for (const auto& ease : eases)
            menu.addAction(
                QString("From here: %1").arg(QString(ease.title).toLower()), this, [change, e2 = ease.ease] {
                    change("Ease keys", [e2](std::vector<Key>& keys, size_t i) { keys[i].ease = e2; });
                });
        menu.addAction("Remove", this, [change] {
            change("Remove keys",
                   [](std::vector<Key>& keys, size_t i) { keys.erase(keys.begin() + std::ptrdiff_t(i)); });
        });
        menu.addSeparator();
    }
    const double f = frameAt(e->pos().x());
    menu.addAction("Play from here", this,
                   [=, this] { controller_.setPlayRange(int(f), controller_.clock().range().second); });
    menu.addAction("Play to here", this,
                   [=, this] { controller_.setPlayRange(controller_.clock().range().first, int(f)); });
    menu.addAction("Play all", this, [this] { controller_.setPlayRange(0, 0); });
    menu.exec(e->globalPos());
}

void FrameRuler::keyPressEvent(QKeyEvent* e) {
    const auto [first, last] = range();
    const int by = e->modifiers() & Qt::ShiftModifier ? 10 : 1;
    if (e->key() == Qt::Key_Left)
        controller_.clock().setFrame(std::max<double>(first, std::floor(controller_.clock().frame()) - by));
    else if (e->key() == Qt::Key_Right)
        controller_.clock().setFrame(std::min<double>(last, std::floor(controller_.clock().frame()) + by));
    else
        QWidget::keyPressEvent(e);
}

bool FrameRuler::event(QEvent* e) {
    if (e->type() != QEvent::ToolTip) return QWidget::event(e);
    const auto* help = static_cast<QHelpEvent*>(e);
    const double f = frameAt(help->pos().x());
    QString text = QString("Frame %1, %2 s").arg(f).arg(f / controller_.document().rate(), 0, 'f', 2);
    if (const SimulationStatus* s = simulation()) {
        for (const auto& [frame, count] : s->kept)
            if (frame == int(f)) text += "\n" + shortCount(double(count)) + " alive; kept in memory";
        if (s->bake.frames.count(int(f)))
            text += s->fresh ? "\nBaked" : "\nBaked, but stale: something that it depends on changed";
    }
    text += "\nDrag to go through time; Alt and drag for the part that is played";
    QToolTip::showText(help->globalPos(), text, this);
    return true;
}

}  // namespace ovrix::app
