#include "render/cloud/light_view.h"

#include <algorithm>
#include <cmath>

namespace ovrix::render {

LightView::LightView(const V3f& way, float distance, const Box3f& bounds, int size)
    : size_(std::max(size, 1)) {
    const V3f middle = (bounds.min + bounds.max) * 0.5f;
    const float reach = std::max(bounds.size().length() * 0.5f * 1.0001f, 1e-6f);
    z_ = -way;
    basis(z_, x_, y_);
    constexpr float kClose = 1.25f;  // radii: nearer than that a window would be too wide
    if (std::isinf(distance)) {
        kind_ = Kind::Far;
        origin_ = middle + way * reach;
        half_ = reach, near_ = 0.0f, far_ = 2.0f * reach;
    } else if (distance > kClose * reach) {
        kind_ = Kind::Window;
        origin_ = middle + way * distance;
        half_ = std::tan(std::asin(reach / distance));
        near_ = distance - reach, far_ = distance + reach;
    } else {
        kind_ = Kind::Around;
        origin_ = middle + way * distance;
        near_ = 0.0f, far_ = distance + reach;
    }
}

std::optional<LightView::Place> LightView::place(const V3f& p) const {
    const V3f to = p - origin_;
    const auto pixel = [&](float part) { return int(std::floor(part * float(size_))); };
    Place out{};
    float u, v;
    if (kind_ == Kind::Around) {
        const float distance = to.length();
        if (!(distance > 0.0f)) return std::nullopt;
        const V3f local(to.dot(x_), to.dot(y_), to.dot(z_));
        const float sum = std::abs(local.x) + std::abs(local.y) + std::abs(local.z);
        V2f flat(local.x / sum, local.y / sum);
        if (local.z < 0.0f)
            flat = V2f((1.0f - std::abs(flat.y)) * (local.x < 0.0f ? -1.0f : 1.0f),
                       (1.0f - std::abs(flat.x)) * (local.y < 0.0f ? -1.0f : 1.0f));
        u = 0.5f + 0.5f * flat.x, v = 0.5f + 0.5f * flat.y;
        out.depth = distance;
        // A pixel's part of the octahedron's face, as it is seen from the middle.
        const float r = distance / sum, edge = 2.0f / float(size_);
        out.area = edge * edge / (r * r * r) * distance * distance;
    } else {
        const float along = to.dot(z_);
        const bool far = kind_ == Kind::Far;
        if (!far && !(along > 0.0f)) return std::nullopt;
        const float scale = far ? 1.0f : 1.0f / along;
        u = 0.5f + 0.5f * to.dot(x_) * scale / half_, v = 0.5f + 0.5f * to.dot(y_) * scale / half_;
        out.depth = far ? along : to.length();
        const float edge = 2.0f * half_ / float(size_);
        out.area = far ? edge * edge : edge * edge * along * along * (along / out.depth);
    }
    if (!(u >= 0.0f && v >= 0.0f && u < 1.0f && v < 1.0f)) return std::nullopt;
    out.x = std::min(pixel(u), size_ - 1), out.y = std::min(pixel(v), size_ - 1);
    return out;
}

LightView::Way LightView::wayOf(int x, int y, float u, float v) const {
    const float a = 2.0f * (float(x) + u) / float(size_) - 1.0f,
                b = 2.0f * (float(y) + v) / float(size_) - 1.0f;
    if (kind_ == Kind::Far) return {origin_ + x_ * (a * half_) + y_ * (b * half_), z_, 0.0f};
    V3f local(a * half_, b * half_, 1.0f);
    if (kind_ == Kind::Around) {
        local = V3f(a, b, 1.0f - std::abs(a) - std::abs(b));
        if (local.z < 0.0f)
            local = V3f((1.0f - std::abs(b)) * (a < 0.0f ? -1.0f : 1.0f),
                        (1.0f - std::abs(a)) * (b < 0.0f ? -1.0f : 1.0f), local.z);
    }
    return {origin_, (x_ * local.x + y_ * local.y + z_ * local.z).normalized(), 0.0f};
}

}  // namespace ovrix::render
