// What tools of the view know of it: where the mouse points, and where places stand on the screen.
#pragma once
#include <QPointF>
#include <functional>
#include <optional>

#include "base/vec.h"

namespace ovrix::app {

/// From the world to the view's pixels; nothing behind the eye.
using Projection = std::function<std::optional<QPointF>(const V3f&)>;

struct ViewPort {
    Projection project;
    V3f eye;
    /// Unit direction from the eye through a pixel.
    std::function<V3f(const QPointF&)> direction;
    /// What can be seen at a pixel of the scene's objects, else of the level ground; nothing in the sky.
    std::function<std::optional<V3f>(const QPointF&)> place;
};

}  // namespace ovrix::app
