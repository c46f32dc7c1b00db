#include "render/light/spherical_rectangle.h"

#include <algorithm>
#include <cmath>

namespace ovrix::render {

SphericalRectangle::SphericalRectangle(const V3f& from, const V3f& corner, const V3f& side1,
                                       const V3f& side2) {
    const V3d a(side1), b(side2), to(corner - from);
    const double width = a.length(), height = b.length();
    x_ = a / width, y_ = b / height, z_ = x_.cross(y_);
    away_ = to.dot(z_);
    if (away_ < 0) z_ = -z_, away_ = -away_;
    x0_ = to.dot(x_), x1_ = x0_ + width;
    y0_ = to.dot(y_), y1_ = y0_ + height;
    if (!(away_ > 0)) return;
    // Its edges lie on great circles. The angles between those are each the arc cosine of the product of what
    // their normals have along the way to the plane, and leave the solid angle over those of a flat
    // rectangle.
    const auto along = [&](double edge) { return edge / std::hypot(edge, away_); };
    const double left = -along(x0_), right = along(x1_), below = -along(y0_), above = along(y1_);
    const auto between = [](double p, double q) { return std::acos(std::clamp(-p * q, -1.0, 1.0)); };
    start_ = 2 * M_PI - between(above, left) - between(left, below);
    angle_ = std::max(0.0, between(below, right) + between(right, above) - start_);
    below_ = below, above_ = above;
}

V3f SphericalRectangle::at(float u, float v) const {
    // A part u of the solid angle lies on the one side of x, then a part v of the arc there below y.
    const double turned = start_ + double(u) * angle_;
    const double slope = (std::cos(turned) * below_ - above_) / std::sin(turned);
    const double c = std::clamp(std::copysign(1.0 / std::hypot(slope, below_), slope), -1.0, 1.0);
    double x = c * away_ / std::sqrt(1.0 - c * c);
    x = x > x0_ ? std::min(x, x1_) : x0_;  // no number counts as its border
    const double d = std::hypot(x, away_), low = y0_ / std::hypot(d, y0_), high = y1_ / std::hypot(d, y1_);
    const double h = low + double(v) * (high - low);
    double y = h * d / std::sqrt(std::max(1e-300, 1.0 - h * h));
    y = y > y0_ ? std::min(y, y1_) : y0_;
    return V3f(x_ * x + y_ * y + z_ * away_);
}

}  // namespace ovrix::render
