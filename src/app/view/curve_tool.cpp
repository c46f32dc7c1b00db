#include "app/view/curve_tool.h"

#include <fmt/format.h>

#include <QLineF>

#include "app/theme/theme.h"

namespace ovrix::app {

namespace {

double fromSegment(const QPointF& p, const QPointF& a, const QPointF& b) {
    const QPointF d = b - a;
    const double l2 = QPointF::dotProduct(d, d);
    const double t = l2 > 0 ? std::clamp(QPointF::dotProduct(p - a, d) / l2, 0.0, 1.0) : 0.0;
    return QLineF(p, a + d * t).length();
}

/// How far a pixel is from a line in the world; far when none of it can be seen.
double fromLine(const QPointF& at, const std::vector<V3f>& line, const ViewPort& port) {
    double best = 1e9;
    std::optional<QPointF> before;
    for (const V3f& p : line) {
        const auto q = port.project(p);
        if (q && before) best = std::min(best, fromSegment(at, *before, *q));
        before = q;
    }
    return best;
}

}  // namespace

CurveTool::CurveTool(Controller& controller, QWidget* view) : QObject(view), controller_(controller) {
    connect(&controller_.selection(), &Selection::selectionChanged, this, [this] { point_.reset(); });
}

void CurveTool::setActive(bool active) {
    active_ = active;
    point_.reset();
    doing_ = Nothing;
    Q_EMIT changed();
}

const Node* CurveTool::chosenCurve() const {
    const Node* node = controller_.selection().node();
    return node && node->category() == Category::Curve ? node : nullptr;
}

/// Of the chosen curve, in the world.
std::vector<V3f> CurveTool::points() const {
    const Node* node = chosenCurve();
    if (!node) return {};
    auto list = controller_.document().value(node->id, kCurve.points).list;
    const M44f world = controller_.document().worldMatrix(node->id, controller_.clock().frame());
    for (V3f& p : list) p = p * world;
    return list;
}

std::optional<size_t> CurveTool::pointAt(const QPointF& at, const ViewPort& port) const {
    std::optional<size_t> best;
    double nearest = px(9);
    const auto list = points();
    for (size_t i = 0; i < list.size(); ++i)
        if (const auto q = port.project(list[i]); q && QLineF(*q, at).length() < nearest)
            nearest = QLineF(*q, at).length(), best = i;
    return best;
}

/// The span of the chosen curve under a pixel: a new point comes after its first one.
std::optional<size_t> CurveTool::spanAt(const QPointF& at, const ViewPort& port) const {
    const auto list = points();
    std::optional<size_t> best;
    double nearest = px(6);
    const Node* node = chosenCurve();
    const bool closed = node && list.size() > 2 && controller_.document().value(node->id, kCurve.closed);
    for (size_t i = 0; i + (closed ? 0 : 1) < list.size(); ++i) {
        const auto a = port.project(list[i]), b = port.project(list[(i + 1) % list.size()]);
        if (a && b && fromSegment(at, *a, *b) < nearest) nearest = fromSegment(at, *a, *b), best = i;
    }
    return best;
}

void CurveTool::begin(const V3f& first) {
    std::string made;
    controller_.edit(
        "Draw a curve",
        [&](const Document& d) {
            Node node = makeNode(d, "curve");
            node.params[kCurve.points.id()].value = CurvePoints{{first}};
            made = node.id;
            return withNode(d, std::move(node));
        },
        fmt::format("draw {}", strokes_));
    if (!made.empty()) controller_.selection().select(made);
}

void CurveTool::change(const QString& label, const std::function<void(std::vector<V3f>&)>& edit) {
    const Node* node = chosenCurve();
    if (!node) return;
    auto list = points();
    edit(list);
    const M44f world = controller_.document().worldMatrix(node->id, controller_.clock().frame());
    const M44f local = std::abs(world.determinant()) > 1e-20f ? world.inverse() : M44f();
    for (V3f& p : list) p = p * local;
    controller_.edit(
        label,
        [&](const Document& d) {
            return withValue(d, {controller_.selection().id(), "", kCurve.points.id()}, CurvePoints{list});
        },
        fmt::format("draw {}", strokes_));
    Q_EMIT changed();
}

bool CurveTool::press(const QPointF& at, const ViewPort& port) {
    if (!active_) return false;
    ++strokes_;
    last_ = at;
    doing_ = Moving;
    if ((point_ = pointAt(at, port))) {
        Q_EMIT changed();
        return true;
    }
    const auto place = port.place(at);
    if (!place) {
        doing_ = Nothing;
        controller_.say("There is nothing under the mouse to draw on", true);
        return true;
    }
    if (const auto span = spanAt(at, port)) {
        change("Add a point", [&](auto& list) { list.insert(list.begin() + ptrdiff_t(*span) + 1, *place); });
        point_ = *span + 1;
        return true;
    }
    doing_ = Drawing;
    if (!chosenCurve())
        begin(*place);
    else
        change("Draw a curve", [&](auto& list) { list.push_back(*place); });
    point_ = points().size() - 1;
    Q_EMIT changed();
    return true;
}

bool CurveTool::move(const QPointF& at, const ViewPort& port) {
    if (!active_ || doing_ == Nothing || !point_) return false;
    if (doing_ == Moving) {
        if (const auto place = port.place(at))
            change("Move a point", [&](auto& list) {
                if (*point_ < list.size()) list[*point_] = *place;
            });
        return true;
    }
    if (QLineF(at, last_).length() < px(24)) return true;  // a stroke has a point every so many pixels
    last_ = at;
    if (const auto place = port.place(at))
        change("Draw a curve", [&](auto& list) { list.push_back(*place), point_ = list.size() - 1; });
    return true;
}

bool CurveTool::release() {
    if (std::exchange(doing_, Nothing) == Nothing) return false;
    controller_.endDrag();
    return true;
}

bool CurveTool::key(int key) {
    if (!active_) return false;
    if (key == Qt::Key_Return || key == Qt::Key_Enter || key == Qt::Key_Escape) {
        controller_.selection().select("");  // the next click begins another one
        Q_EMIT changed();
        return true;
    }
    if ((key != Qt::Key_Delete && key != Qt::Key_Backspace) || !point_ || *point_ >= points().size())
        return false;
    ++strokes_;
    change("Take a point out", [&](auto& list) { list.erase(list.begin() + ptrdiff_t(*point_)); });
    controller_.endDrag();
    const size_t left = points().size();
    point_ = left ? std::optional(std::min(*point_, left - 1)) : std::nullopt;
    return true;
}

std::string CurveTool::curveAt(const QPointF& at, const ViewPort& port) const {
    for (const NodePtr& node : controller_.document().nodes(Category::Curve))
        if (node->shown &&
            fromLine(at, curveLine(controller_.document(), node->id, controller_.clock().frame()), port) <
                px(6))
            return node->id;
    return {};
}

void CurveTool::paint(QPainter& p, const ViewPort& port) const {
    for (const NodePtr& node : controller_.document().nodes(Category::Curve)) {
        if (!node->shown) continue;
        const bool chosen = node->id == controller_.selection().id();
        const auto line = curveLine(controller_.document(), node->id, controller_.clock().frame());
        for (const bool halo : {true, false}) {
            QColor color = halo ? tokens().ink : chosen ? tokens().seaGlass : tokens().text;
            if (!active_ && !chosen) color.setAlphaF(0.45f);  // there, and not in the way
            p.setPen(QPen(color, halo ? px(3) : px(1.5)));
            std::optional<QPointF> before;
            for (const V3f& v : line) {
                const auto q = port.project(v);
                if (q && before) p.drawLine(*before, *q);
                before = q;
            }
        }
    }
    if (!active_) return;
    const auto list = points();
    for (size_t i = 0; i < list.size(); ++i) {
        const auto q = port.project(list[i]);
        if (!q) continue;
        p.setPen(QPen(tokens().ink, 1));
        p.setBrush(point_ == i ? tokens().seaGlass : tokens().text);
        p.drawEllipse(*q, px(4), px(4));
    }
    p.setBrush(Qt::NoBrush);
}

}  // namespace ovrix::app
