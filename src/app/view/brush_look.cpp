#include "app/view/brush_look.h"

#include <QHBoxLayout>
#include <QLabel>

#include "app/theme/theme.h"
#include "app/widgets/number_box.h"

namespace ovrix::app {

void paintBrushRing(QPainter& p, const ViewPort& port, const V3f& place, const V3f& n, float radius) {
    const V3f side = (std::abs(n.x) > 0.7f ? V3f(0, 1, 0) : V3f(1, 0, 0)).cross(n).normalized();
    const V3f across = n.cross(side);
    p.setBrush(Qt::NoBrush);
    for (const float part : {1.0f, 0.5f}) {
        QPolygonF ring;
        for (int i = 0; i <= 48; ++i) {
            const float a = 2.0f * kPi * float(i) / 48.0f;
            const V3f at =
                place + (side * std::cos(a) + across * std::sin(a)) * (radius * part) + n * (0.01f * radius);
            if (const auto q = port.project(at)) ring << *q;
        }
        p.setPen(QPen(tokens().ink, part == 1.0f ? 3.5 : 2.5));
        p.drawPolyline(ring);
        p.setPen(QPen(part == 1.0f ? tokens().seaGlass : tokens().text, part == 1.0f ? 1.5 : 0.8));
        p.drawPolyline(ring);
    }
}

bool sizeByKey(int key, float& radius, float& strength) {
    switch (key) {
        case Qt::Key_Q:
            radius /= 1.15f;
            return true;
        case Qt::Key_W:
            radius *= 1.15f;
            return true;
        case Qt::Key_A:
            strength = std::max(0.0f, strength - 0.05f);
            return true;
        case Qt::Key_S:
            strength = std::min(1.0f, strength + 0.05f);
            return true;
        default:
            return false;
    }
}

void sizeByDrag(const QPointF& delta, float& radius, float& strength) {
    radius = std::clamp(radius * std::pow(1.01f, float(delta.x())), 1e-4f, 1e4f);
    strength = std::clamp(strength - float(delta.y()) * 0.005f, 0.0f, 1.0f);
}

QWidget* namedNumber(const ParamSpec& spec, NumberBox** box) {
    auto* both = new QWidget;
    auto* pair = new QHBoxLayout(both);
    pair->setContentsMargins(px(4), 0, 0, 0);
    pair->setSpacing(px(4));
    pair->addWidget(new QLabel(QString::fromStdString(spec.title)));
    *box = new NumberBox(spec);
    (*box)->setFixedWidth(px(72));
    (*box)->setToolTip(QString::fromStdString(spec.help));
    pair->addWidget(*box);
    return both;
}

}  // namespace ovrix::app
