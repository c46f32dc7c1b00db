#include "app/widgets/marks.h"

#include <cmath>

namespace ovrix::app {

void paintDiamond(QPainter& painter, const QPointF& c, double r) {
    painter.drawPolygon(
        QPolygonF({c + QPointF(0, -r), c + QPointF(r, 0), c + QPointF(0, r), c + QPointF(-r, 0)}));
}

double roundStep(double wanted) {
    const double ten = std::pow(10.0, std::floor(std::log10(std::max(wanted, 1e-12))));
    for (double k : {1.0, 2.0, 5.0})
        if (k * ten >= wanted) return k * ten;
    return 10.0 * ten;
}

}  // namespace ovrix::app
