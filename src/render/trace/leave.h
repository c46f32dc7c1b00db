// Where rays start that leave a place.
#pragma once
#include "render/scene/render_scene.h"

namespace ovrix::render {

/// Away from the surface by a little more than the rounding of its coordinates, and of those that they come
/// from, so that rays do not meet the face they start from.
inline V3f leave(const V3f& p, const V3f& normal, float rounding) {
    const float size = std::max({std::abs(p.x), std::abs(p.y), std::abs(p.z), 1e-3f});
    return p + normal * (size * 2e-6f + 2.0f * rounding + 1e-6f);
}

/// Out of a strand towards a direction, so that its own ribbon, which turns to every ray, is not met again.
inline V3f leaveStrand(const SurfacePoint& p, const V3f& direction) {
    if (p.round && direction.dot(p.normal) > 0.0f) return leave(p.position, p.normal, p.rounding);
    const V3f out = direction - p.tangent * direction.dot(p.tangent);
    const float length = out.length();
    const V3f away = length > 1e-6f ? out / length : p.normal;
    return leave(p.center + away * (p.radius * (p.round ? 1.05f : 1.01f)), away, p.rounding);
}

/// On the other side. Through a strand: its ribbon must not be met again.
inline V3f behind(const SurfacePoint& p) {
    const V3f from = p.strand ? p.center - p.faceNormal * p.radius * (p.round ? 1.05f : 1.01f) : p.position;
    return leave(from, -p.faceNormal, p.rounding);
}

}  // namespace ovrix::render
