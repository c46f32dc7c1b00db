// Vector types: Imath's, under the short names used everywhere. Metres, Y up, right-handed.
#pragma once
#include <Imath/ImathBox.h>
#include <Imath/ImathColor.h>
#include <Imath/ImathMatrix.h>
#include <Imath/ImathQuat.h>
#include <Imath/ImathVec.h>

#include <cmath>
#include <numbers>

#include "base/house.h"

namespace ovrix::base {

using V2f = Imath::V2f;
using V3f = Imath::V3f;
using V4f = Imath::V4f;
using V2d = Imath::V2d;
using V3d = Imath::V3d;
using V2i = Imath::V2i;
using V3i = Imath::V3i;
using Color = Imath::Color3<float>;  ///< linear light, Rec. 709 primaries
using Quatf = Imath::Quatf;
using M44f = Imath::M44f;  ///< row vectors: p' = p * M
using Box3f = Imath::Box3f;

inline constexpr float kPi = std::numbers::pi_v<float>;

inline float radians(float degrees) { return degrees * (kPi / 180.0f); }
inline float degrees(float radians) { return radians * (180.0f / kPi); }
inline float lerp(float a, float b, float t) { return a + (b - a) * t; }
/// Of linear light with Rec. 709 primaries.
inline float luminance(const V3f& c) { return 0.2126f * c.x + 0.7152f * c.y + 0.0722f * c.z; }
inline bool isFinite(const V3f& v) { return std::isfinite(v.x) && std::isfinite(v.y) && std::isfinite(v.z); }

/// Two unit vectors that complete the unit vector @p n to a right-handed frame (t, b, n), without a
/// branch near the pole. Duff et al., "Building an Orthonormal Basis, Revisited", JCGT 6(1), 2017.
inline void basis(const V3f& n, V3f& t, V3f& b) {
    const float sign = std::copysign(1.0f, n.z);
    const float a = -1.0f / (sign + n.z);
    const float c = n.x * n.y * a;
    t = V3f(1.0f + sign * n.x * n.x * a, sign * c, -sign * n.x);
    b = V3f(c, sign + n.y * n.y * a, -n.y);
}

/// Rotation by a unit quaternion, without going through a matrix.
inline V3f rotate(const Quatf& q, const V3f& v) {
    const V3f t = 2.0f * q.v.cross(v);
    return v + q.r * t + q.v.cross(t);
}

/// One of the eight corners of a box: bits 0, 1 and 2 of @p k choose its far side along x, y and z.
inline V3f cornerOf(const Box3f& box, int k) {
    return {k & 1 ? box.max.x : box.min.x, k & 2 ? box.max.y : box.min.y, k & 4 ? box.max.z : box.min.z};
}

/// The box around a box that was placed by a matrix; empty for an empty one.
inline Box3f placedBox(const Box3f& box, const M44f& matrix) {
    Box3f out;
    for (int k = 0; k < 8 && !box.isEmpty(); ++k) out.extendBy(cornerOf(box, k) * matrix);
    return out;
}

}  // namespace ovrix::base
