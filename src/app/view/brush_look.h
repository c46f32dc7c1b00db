// What brushes of the view have in common: the ring on the surface, names with their numbers.
#pragma once
#include <QPainter>
#include <QWidget>

#include "app/view/view_port.h"
#include "base/value.h"

namespace ovrix::app {

class NumberBox;

/// The rim of a brush, and where it is half as strong.
void paintBrushRing(QPainter& painter, const ViewPort& port, const V3f& at, const V3f& normal, float radius);
/// A brush sized by a key: Q and W the radius, A and S the strength. True when the key was one of these.
bool sizeByKey(int key, float& radius, float& strength);
/// Sized by a drag: to the sides the radius, up and down the strength.
void sizeByDrag(const QPointF& delta, float& radius, float& strength);
/// A name and its number, which stay on one line. @p box gets the number.
QWidget* namedNumber(const ParamSpec& spec, NumberBox** box);

}  // namespace ovrix::app
