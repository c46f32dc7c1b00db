#include "render/camera.h"

#include <algorithm>

namespace ovrix {

Camera::Camera(const CameraOptions& o, float aspect) : position_(o.position) {
    V3f forward = o.target - o.position;
    forward_ = forward.length() > 1e-9f ? forward.normalized() : V3f(0, 0, -1);
    const V3f worldUp =
        std::abs(forward_.y) > 0.9999f ? V3f(0, 0, forward_.y > 0 ? 1.0f : -1.0f) : V3f(0, 1, 0);
    const V3f side = forward_.cross(worldUp).normalized(), above = side.cross(forward_);
    right_ = side * std::cos(o.roll) + above * std::sin(o.roll);
    up_ = above * std::cos(o.roll) - side * std::sin(o.roll);
    halfWidth_ = 18.0f / std::max(o.focal, 0.1f);
    halfHeight_ = halfWidth_ / std::max(aspect, 1e-4f);
    if (o.fstop > 0.0f) lens_ = 0.5e-3f * o.focal / o.fstop;
    focus_ = o.focus > 0.0f ? o.focus : std::max(forward.length(), 1e-4f);
}

Ray Camera::ray(float x, float y, float u, float v) const {
    const V3f through =
        forward_ + right_ * ((2.0f * x - 1.0f) * halfWidth_) + up_ * ((1.0f - 2.0f * y) * halfHeight_);
    if (lens_ <= 0.0f) return {position_, through.normalized()};
    const float r = lens_ * std::sqrt(u), phi = 2.0f * kPi * v;
    const V3f origin = position_ + right_ * (r * std::cos(phi)) + up_ * (r * std::sin(phi));
    return {origin, (position_ + through * focus_ - origin).normalized()};
}

}  // namespace ovrix
