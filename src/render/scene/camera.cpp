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
    halfWidth_ = 0.5f * o.film / std::max(o.focal, 0.1f);
    halfHeight_ = halfWidth_ / std::max(aspect, 1e-4f);
    if (o.fstop > 0.0f) lens_ = 0.5e-3f * o.focal / o.fstop;
    shift_ = o.shift * (2.0f * halfWidth_);
    blades_ = o.blades, bladeTurn_ = o.bladeTurn;
    roundness_ = std::clamp(o.roundness, 0.0f, 1.0f);
    squeeze_ = std::max(o.squeeze, 0.01f);
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

/// Even over an iris whose corners lie on the unit circle: over one of its triangles, pushed out to the
/// circle as far as its edges are round.
V2f Camera::onIris(float u, float v) const {
    const float r = std::sqrt(u);
    if (blades_ < 3 || roundness_ >= 1.0f) return V2f(std::cos(2.0f * kPi * v), std::sin(2.0f * kPi * v)) * r;
    const float wedge = 2.0f * kPi / float(blades_), at = v * float(blades_);
    const float blade = std::min(std::floor(at), float(blades_ - 1)), part = at - blade;
    const float from = bladeTurn_ + blade * wedge;
    const V2f a(std::cos(from), std::sin(from)), b(std::cos(from + wedge), std::sin(from + wedge));
    const V2f edge = a * (1.0f - part) + b * part;
    return edge * (r * lerp(1.0f, 1.0f / edge.length(), roundness_));
}

/// At distance 1 along the line of sight.
V3f Camera::throughAt(float x, float y) const {
    return forward_ + right_ * ((2.0f * x - 1.0f) * halfWidth_ + shift_.x) +
           up_ * ((1.0f - 2.0f * y) * halfHeight_ + shift_.y);
}

std::optional<V2f> Camera::project(const V3f& place) const {
    const V3f to = place - position_;
    const float depth = to.dot(forward_);
    if (!(depth > 0.0f)) return std::nullopt;
    return V2f(0.5f + 0.5f * (to.dot(right_) / depth - shift_.x) / halfWidth_,
               0.5f - 0.5f * (to.dot(up_) / depth - shift_.y) / halfHeight_);
}

M44f Camera::projection() const {
    const V3f u = forward_ * 0.5f + (right_ - forward_ * shift_.x) * (0.5f / halfWidth_),
              v = forward_ * 0.5f + (up_ - forward_ * shift_.y) * (0.5f / halfHeight_);
    M44f m;
    const std::array<V3f, 4> columns{u, v, forward_, forward_};
    for (int c = 0; c < 4; ++c) {
        for (int r = 0; r < 3; ++r) m[r][c] = columns[size_t(c)][r];
        m[3][c] = -columns[size_t(c)].dot(position_);
    }
    return m;
}

std::optional<V2f> Camera::project(const V3f& place, float time) const {
    if (moves_.empty()) return project(place);
    const auto [k, part] = timeStep(time, moves_.size());
    const auto a = moves_[k].project(place), b = moves_[k + 1].project(place);
    if (!a || !b) return std::nullopt;
    return *a + (*b - *a) * part;
}

/// By where the way from the lens to the place meets what is sharp.
std::optional<V3f> Camera::through(const V3f& place, float u, float v) const {
    const V3f to = place - position_;
    const float depth = to.dot(forward_);
    if (!(depth > 0.0f)) return std::nullopt;
    V2f at(to.dot(right_) / depth, to.dot(up_) / depth);
    if (lens_ > 0.0f) {
        const V2f iris = onIris(u, v) * lens_;
        at += V2f(iris.x / squeeze_, iris.y) * (1.0f / focus_ - 1.0f / depth);
    }
    return V3f(0.5f + 0.5f * (at.x - shift_.x) / halfWidth_, 0.5f - 0.5f * (at.y - shift_.y) / halfHeight_,
               depth);
}

std::optional<V3f> Camera::through(const V3f& place, float u, float v, float time) const {
    if (moves_.empty()) return through(place, u, v);
    const auto [k, part] = timeStep(time, moves_.size());
    const auto a = moves_[k].through(place, u, v), b = moves_[k + 1].through(place, u, v);
    if (!a || !b) return std::nullopt;
    return *a + (*b - *a) * part;
}

Ray Camera::still(float x, float y, float u, float v) const {
    const V3f through = throughAt(x, y);
    if (lens_ <= 0.0f) return {position_, through.normalized()};
    const V2f at = onIris(u, v) * lens_;
    const V3f origin = position_ + right_ * (at.x / squeeze_) + up_ * at.y;
    return {origin, (position_ + through * focus_ - origin).normalized()};
}

}  // namespace ovrix::render
