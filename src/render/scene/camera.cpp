#include "render/scene/camera.h"

#include <algorithm>

#include "render/scene/time_steps.h"

namespace ovrix::render {

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

Camera::Camera(const std::vector<CameraOptions>& steps, float aspect) : Camera(steps.back(), aspect) {
    if (steps.size() < 2) return;
    for (const CameraOptions& o : steps) moves_.emplace_back(o, aspect);
}

/// Between two steps straight from the one's ray to the other's: they are so near that it shows no other way.
Ray Camera::ray(float x, float y, float u, float v, float time) const {
    if (moves_.empty()) return still(x, y, u, v);
    const auto [k, part] = timeStep(time, moves_.size());
    const Ray a = moves_[k].still(x, y, u, v), b = moves_[k + 1].still(x, y, u, v);
    const V3f direction = a.direction + (b.direction - a.direction) * part;
    return {a.origin + (b.origin - a.origin) * part,
            direction.length() > 1e-6f ? direction.normalized() : b.direction, time};
}

Ray Camera::still(float x, float y, float u, float v) const {
    const V3f through =
        forward_ + right_ * ((2.0f * x - 1.0f) * halfWidth_) + up_ * ((1.0f - 2.0f * y) * halfHeight_);
    if (lens_ <= 0.0f) return {position_, through.normalized()};
    const float r = lens_ * std::sqrt(u), phi = 2.0f * kPi * v;
    const V3f origin = position_ + right_ * (r * std::cos(phi)) + up_ * (r * std::sin(phi));
    return {origin, (position_ + through * focus_ - origin).normalized()};
}

}  // namespace ovrix::render
