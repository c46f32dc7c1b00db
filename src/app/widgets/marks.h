// Marks that several views of time paint.
#pragma once
#include <QPainter>

namespace ovrix::app {

/// A key, with the painter's pen and brush.
void paintDiamond(QPainter& painter, const QPointF& centre, double radius);

/// The distance between lines of a scale: 1, 2 or 5 times a power of ten, not below @p wanted.
double roundStep(double wanted);

}  // namespace ovrix::app
