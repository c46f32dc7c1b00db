// Four numbers, vectors or turns at a time: the same arithmetic for each, whatever the others hold. Vectors
// and turns are written for any kind of lanes, so that the same code runs on four floats or on one double
// where floats do not hold enough. The same bits on every machine: one instruction set, and functions of our
// own where the library's are of one number.
#pragma once
#include <immintrin.h>

#include <algorithm>
#include <cmath>
#include <cstdint>

#include "base/vec.h"

namespace ovrix::base {

/// Compares give lanes of all ones or zeros, and "which ? a : b" chooses lane by lane.
using Float4 = float __attribute__((vector_size(16)));
using Int4 = int32_t __attribute__((vector_size(16)));
using Mask4 = Int4;

inline Float4 all4(float x) { return Float4{x, x, x, x}; }
/// Correctly rounded, so the same on all machines; quick estimates of the processor are not.
inline Float4 sqrt4(Float4 x) { return _mm_sqrt_ps(x); }
inline Float4 max4(Float4 a, Float4 b) { return a > b ? a : b; }
inline Float4 min4(Float4 a, Float4 b) { return a < b ? a : b; }
inline Float4 abs4(Float4 x) {
    return Float4(Int4(x) & Int4{0x7fffffff, 0x7fffffff, 0x7fffffff, 0x7fffffff});
}
inline bool any4(Mask4 m) { return _mm_movemask_ps(Float4(m)) != 0; }
/// Of each lane @p a where the mask is set, else @p b.
inline Float4 select4(Int4 mask, Float4 a, Float4 b) { return _mm_blendv_ps(b, a, Float4(mask)); }

/// e to the power of each, within 2e-7 of its size; -87 to 88, beyond which it is cut. By the part of a power
/// of two and a polynomial for the rest (coefficients of Moshier's Cephes library).
inline Float4 exp4(Float4 x) {
    x = min4(max4(x, all4(-87.0f)), all4(88.0f));
    const Float4 whole = all4(12582912.0f);  // adding it rounds to the nearest whole number
    const Float4 n = (x * 1.44269504f + whole) - whole;
    const Float4 r = (x - n * 0.693359375f) + n * 2.12194440e-4f;
    Float4 y = all4(1.9875691500e-4f);
    y = y * r + 1.3981999507e-3f;
    y = y * r + 8.3334519073e-3f;
    y = y * r + 4.1665795894e-2f;
    y = y * r + 1.6666665459e-1f;
    y = y * r + 5.0000001201e-1f;
    y = y * r * r + r + 1.0f;
    return y * Float4((__builtin_convertvector(n, Int4) + 127) << 23);
}

/// What code that is written for any lanes asks of them: their number, their mask, and how one is read and
/// set.
template <class F>
struct Lanes;
template <>
struct Lanes<Float4> {
    using Mask = Mask4;
    static constexpr size_t kCount = 4;
    static Float4 all(double x) { return all4(float(x)); }
    static Mask mask(bool x) { return x ? Mask{-1, -1, -1, -1} : Mask{}; }
    static void set(Float4& to, size_t lane, double x) { to[lane] = float(x); }
    static void set(Mask& to, size_t lane, bool x) { to[lane] = x ? -1 : 0; }
    static double get(const Float4& from, size_t lane) { return double(from[lane]); }
};
template <>
struct Lanes<double> {
    using Mask = bool;
    static constexpr size_t kCount = 1;
    static double all(double x) { return x; }
    static Mask mask(bool x) { return x; }
    static void set(double& to, size_t, double x) { to = x; }
    static void set(Mask& to, size_t, bool x) { to = x; }
    static double get(const double& from, size_t) { return from; }
};
inline double sqrt4(double x) { return std::sqrt(x); }
inline double max4(double a, double b) { return a > b ? a : b; }
inline double min4(double a, double b) { return a < b ? a : b; }
inline double abs4(double x) { return std::abs(x); }
inline bool any4(bool m) { return m; }

template <class F>
struct VecOf {
    F x, y, z;
    template <class V>
    void set(size_t lane, const V& v) {
        Lanes<F>::set(x, lane, v.x), Lanes<F>::set(y, lane, v.y), Lanes<F>::set(z, lane, v.z);
    }
    V3f lane(size_t i) const {
        return {float(Lanes<F>::get(x, i)), float(Lanes<F>::get(y, i)), float(Lanes<F>::get(z, i))};
    }
    static VecOf all(const V3f& v) { return {Lanes<F>::all(v.x), Lanes<F>::all(v.y), Lanes<F>::all(v.z)}; }
};
template <class F>
inline VecOf<F> operator+(const VecOf<F>& a, const VecOf<F>& b) {
    return {a.x + b.x, a.y + b.y, a.z + b.z};
}
template <class F>
inline VecOf<F> operator-(const VecOf<F>& a, const VecOf<F>& b) {
    return {a.x - b.x, a.y - b.y, a.z - b.z};
}
template <class F>
inline VecOf<F> operator*(const VecOf<F>& a, F s) {
    return {a.x * s, a.y * s, a.z * s};
}
template <class F>
inline VecOf<F>& operator+=(VecOf<F>& a, const VecOf<F>& b) {
    return a = a + b;
}
template <class F>
inline VecOf<F>& operator-=(VecOf<F>& a, const VecOf<F>& b) {
    return a = a - b;
}
template <class F>
inline F dot(const VecOf<F>& a, const VecOf<F>& b) {
    return a.x * b.x + a.y * b.y + a.z * b.z;
}
template <class F>
inline VecOf<F> cross(const VecOf<F>& a, const VecOf<F>& b) {
    return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}
template <class F>
inline F length(const VecOf<F>& a) {
    return sqrt4(dot(a, a));
}
template <class F>
inline VecOf<F> choose(typename Lanes<F>::Mask which, const VecOf<F>& a, const VecOf<F>& b) {
    return {which ? a.x : b.x, which ? a.y : b.y, which ? a.z : b.z};
}

/// Turns: real part and vector.
template <class F>
struct TurnOf {
    F r;
    VecOf<F> v;
    template <class Q>
    void set(size_t lane, const Q& q) {
        Lanes<F>::set(r, lane, q.r), v.set(lane, q.v);
    }
};
template <class F>
inline TurnOf<F> operator*(const TurnOf<F>& a, const TurnOf<F>& b) {
    return {a.r * b.r - dot(a.v, b.v), b.v * a.r + a.v * b.r + cross(a.v, b.v)};
}
template <class F>
inline TurnOf<F> normalized(const TurnOf<F>& q) {
    const F s = Lanes<F>::all(1.0) / sqrt4(q.r * q.r + dot(q.v, q.v));
    return {q.r * s, q.v * s};
}
template <class F>
inline VecOf<F> rotate(const TurnOf<F>& q, const VecOf<F>& p) {
    const VecOf<F> t = cross(q.v, p) * Lanes<F>::all(2.0);
    return p + t * q.r + cross(q.v, t);
}

}  // namespace ovrix::base
