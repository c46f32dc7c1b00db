#include "app/view/handles.h"

#include <QLineF>

#include "app/theme/theme.h"

namespace ovrix::app {

namespace {

/// X, Y, Z in our own colours, and told by letters as well.
QColor axisColor(int i) { return i == 0 ? tokens().anemone : i == 1 ? tokens().seaGlass : tokens().water; }
const char* const kLetters[] = {"X", "Y", "Z"};

const char* paramOf(Tool tool) {
    return tool == Tool::Move ? "position" : tool == Tool::Turn ? "rotation" : "scale";
}

}  // namespace

bool Handles::usable() const {
    const Node* node = controller_.selection().node();
    return node && tool_ != Tool::Select && findSpec(specsOf(*node), paramOf(tool_));
}

std::optional<V3f> Handles::origin() const {
    const Node* node = controller_.selection().node();
    if (!node) return std::nullopt;
    return controller_.document().originOf(node->id, controller_.clock().frame());
}

/// The world direction in which a change of component i acts.
V3f Handles::axis(int i) const {
    V3f unit(0.0f);
    unit[i] = 1.0f;
    const Node* node = controller_.selection().node();
    const Document& d = controller_.document();
    const M44f parent =
        node->parent.empty() ? M44f() : d.worldMatrix(node->parent, controller_.clock().frame());
    M44f own;
    if (tool_ != Tool::Move) {  // turns go X, then Y, then Z: an earlier axis is carried by the later turns
        const V3f r = V3f(d.value(node->id, kObject.object.transform.placement.rotation));
        const V3f later = tool_ == Tool::Scale ? r : V3f(0.0f, i < 1 ? r.y : 0.0f, i < 2 ? r.z : 0.0f);
        own = transformMatrix(V3f(0.0f), later, V3f(1.0f));
    }
    V3f out;
    (own * parent).multDirMatrix(unit, out);
    return out.length() > 0 ? out.normalized() : unit;
}

std::vector<V3f> Handles::ring(int i, float unit) const {
    V3f a, b;
    basis(axis(i), a, b);
    std::vector<V3f> points;
    for (int k = 0; k <= 48; ++k) {
        const float t = 2 * kPi * float(k) / 48.0f;
        points.push_back(*origin() + (a * std::cos(t) + b * std::sin(t)) * unit);
    }
    return points;
}

void Handles::paint(QPainter& p, const Projection& project, float unit) const {
    if (!usable()) return;
    const auto center = project(*origin());
    if (!center) return;
    for (int i = 0; i < 3; ++i) {
        QColor color = axisColor(i);
        if (axis_ >= 0 && axis_ != i) color.setAlphaF(0.25f);
        p.setPen(QPen(color, px(2)));
        QPointF label;
        if (tool_ == Tool::Turn) {
            QPolygonF line;
            for (const V3f& v : ring(i, unit))
                if (const auto q = project(v)) line << *q;
            p.drawPolyline(line);
            if (line.isEmpty()) continue;
            label = line[line.size() / 8];
        } else {
            const auto tip = project(*origin() + axis(i) * unit);
            if (!tip) continue;
            p.drawLine(*center, *tip);
            p.setBrush(color);
            if (tool_ == Tool::Move)
                p.drawEllipse(*tip, px(4), px(4));
            else
                p.drawRect(QRectF(tip->x() - px(4), tip->y() - px(4), px(8), px(8)));
            label = *tip + QPointF(px(8), -px(4));
        }
        p.setBrush(Qt::NoBrush);
        p.setFont(figureFont(8.5));
        p.drawText(label, kLetters[i]);
    }
    p.setPen(Qt::NoPen);
    p.setBrush(tokens().text);
    p.drawEllipse(*center, px(3), px(3));
    p.setBrush(Qt::NoBrush);
}

int Handles::axisAt(const QPointF& at, const Projection& project, float unit) const {
    int best = -1;
    double nearest = px(9);
    const auto center = project(*origin());
    if (!center) return -1;
    for (int i = 0; i < 3; ++i) {
        std::vector<QPointF> line;
        if (tool_ == Tool::Turn) {
            for (const V3f& v : ring(i, unit))
                if (const auto q = project(v)) line.push_back(*q);
        } else if (const auto tip = project(*origin() + axis(i) * unit)) {
            for (int k = 3; k <= 12; ++k) line.push_back(*center + (*tip - *center) * (k / 12.0));
        }
        for (const QPointF& q : line)
            if (const double d = QLineF(q, at).length(); d < nearest) nearest = d, best = i;
    }
    return best;
}

bool Handles::press(const QPointF& at, const Projection& project, float unit) {
    if (!usable()) return false;
    axis_ = axisAt(at, project, unit);
    last_ = at;
    unit_ = unit;
    return axis_ >= 0;
}

bool Handles::drag(const QPointF& to, const Projection& project, bool fine) {
    if (axis_ < 0) return false;
    const Node* node = controller_.selection().node();
    const auto center = project(*origin());
    if (!node || !center) return true;
    const ParamPath path{node->id, "", paramOf(tool_)};
    V3d value = std::get<V3d>(paramAt(controller_.document(), path).value);
    const double speed = fine ? 0.1 : 1.0;
    if (tool_ == Tool::Turn) {
        const double before = QLineF(*center, last_).angle(), after = QLineF(*center, to).angle();
        double turn = after - before;
        turn += turn > 180 ? -360 : turn < -180 ? 360 : 0;
        // Seen from behind, a turn goes the other way round.
        const auto tip = ring(axis_, unit_);
        double area = 0;
        for (size_t k = 0; k + 1 < tip.size(); ++k)
            if (const auto a = project(tip[k]), b = project(tip[k + 1]); a && b)
                area += a->x() * b->y() - b->x() * a->y();
        value[axis_] += turn * speed * (area > 0 ? -1.0 : 1.0);
    } else {
        const auto tip = project(*origin() + axis(axis_) * unit_);
        if (!tip) return true;
        const QPointF along = *tip - *center, by = to - last_;
        const double length2 = along.x() * along.x() + along.y() * along.y();
        if (length2 < 4) return true;
        const double share = (along.x() * by.x() + along.y() * by.y()) / length2 * speed;
        if (tool_ == Tool::Move) {
            const M44f parent = node->parent.empty() ? M44f()
                                                     : controller_.document().worldMatrix(
                                                           node->parent, controller_.clock().frame());
            V3f unit(0.0f), world;
            unit[axis_] = 1.0f;
            parent.multDirMatrix(unit, world);
            value[axis_] += share * double(unit_) / std::max(1e-9, double(world.length()));
        } else {
            value[axis_] *= std::max(0.01, 1.0 + share);
        }
    }
    last_ = to;
    controller_.setValue(path, value, true);
    return true;
}

bool Handles::release() {
    if (axis_ < 0) return false;
    axis_ = -1;
    controller_.endDrag();
    return true;
}

}  // namespace ovrix::app
