// Four numbers, vectors or turns at a time: the same arithmetic for each, whatever the others hold.
#pragma once
#include <xmmintrin.h>

#include "base/vec.h"

namespace ovrix {

/// Compares give lanes of all ones or zeros, and "which ? a : b" chooses lane by lane.
using Float4 = __m128;
using Mask4 = int __attribute__((vector_size(16)));

inline Float4 all4(float x) { return _mm_set1_ps(x); }
/// Correctly rounded, so the same on all machines; quick estimates of the processor are not.
inline Float4 sqrt4(Float4 x) { return _mm_sqrt_ps(x); }
inline Float4 max4(Float4 a, Float4 b) { return a > b ? a : b; }
inline Float4 min4(Float4 a, Float4 b) { return a < b ? a : b; }
inline Float4 abs4(Float4 a) { return a < all4(0.0f) ? -a : a; }
inline bool any4(Mask4 m) { return (m[0] | m[1] | m[2] | m[3]) != 0; }

struct Vec4 {
    Float4 x, y, z;
    void set(int lane, const V3f& v) { x[lane] = v.x, y[lane] = v.y, z[lane] = v.z; }
    V3f lane(int i) const { return {x[i], y[i], z[i]}; }
};
inline Vec4 all4(const V3f& v) { return {all4(v.x), all4(v.y), all4(v.z)}; }
inline Vec4 operator+(const Vec4& a, const Vec4& b) { return {a.x + b.x, a.y + b.y, a.z + b.z}; }
inline Vec4 operator-(const Vec4& a, const Vec4& b) { return {a.x - b.x, a.y - b.y, a.z - b.z}; }
inline Vec4 operator*(const Vec4& a, Float4 s) { return {a.x * s, a.y * s, a.z * s}; }
inline Vec4& operator+=(Vec4& a, const Vec4& b) { return a = a + b; }
inline Vec4& operator-=(Vec4& a, const Vec4& b) { return a = a - b; }
inline Float4 dot(const Vec4& a, const Vec4& b) { return a.x * b.x + a.y * b.y + a.z * b.z; }
inline Vec4 cross(const Vec4& a, const Vec4& b) {
    return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}
inline Float4 length(const Vec4& a) { return sqrt4(dot(a, a)); }
inline Vec4 choose(Mask4 which, const Vec4& a, const Vec4& b) {
    return {which ? a.x : b.x, which ? a.y : b.y, which ? a.z : b.z};
}

/// Turns: real part and vector.
struct Turn4 {
    Float4 r;
    Vec4 v;
    void set(int lane, const Quatf& q) { r[lane] = q.r, v.set(lane, q.v); }
};
inline Turn4 operator*(const Turn4& a, const Turn4& b) {
    return {a.r * b.r - dot(a.v, b.v), b.v * a.r + a.v * b.r + cross(a.v, b.v)};
}
inline Turn4 normalized(const Turn4& q) {
    const Float4 s = all4(1.0f) / sqrt4(q.r * q.r + dot(q.v, q.v));
    return {q.r * s, q.v * s};
}
inline Vec4 rotate(const Turn4& q, const Vec4& p) {
    const Vec4 t = cross(q.v, p) * all4(2.0f);
    return p + t * q.r + cross(q.v, t);
}

}  // namespace ovrix
