// Four floats at once, for the few loops where it counts. The same bits on every machine: one instruction
// set, and functions of our own where the library's are of one number.
#pragma once
#include <immintrin.h>

#include <cstdint>

namespace ovrix {

using Float4 = float __attribute__((vector_size(16)));
using Int4 = int32_t __attribute__((vector_size(16)));

inline Float4 splat(float x) { return Float4{x, x, x, x}; }
inline Float4 sqrt4(Float4 x) { return _mm_sqrt_ps(x); }
inline Float4 max4(Float4 a, Float4 b) { return _mm_max_ps(a, b); }
inline Float4 min4(Float4 a, Float4 b) { return _mm_min_ps(a, b); }
/// Of each lane @p a where the mask is set, else @p b.
inline Float4 select4(Int4 mask, Float4 a, Float4 b) { return _mm_blendv_ps(b, a, Float4(mask)); }
inline Float4 abs4(Float4 x) {
    return Float4(Int4(x) & Int4{0x7fffffff, 0x7fffffff, 0x7fffffff, 0x7fffffff});
}

/// e to the power of each, within 2e-7 of its size; -87 to 88, beyond which it is cut. By the part of a power
/// of two and a polynomial for the rest (coefficients of Moshier's Cephes library).
inline Float4 exp4(Float4 x) {
    x = min4(max4(x, splat(-87.0f)), splat(88.0f));
    const Float4 whole = splat(12582912.0f);  // adding it rounds to the nearest whole number
    const Float4 n = (x * 1.44269504f + whole) - whole;
    const Float4 r = (x - n * 0.693359375f) + n * 2.12194440e-4f;
    Float4 y = splat(1.9875691500e-4f);
    y = y * r + 1.3981999507e-3f;
    y = y * r + 8.3334519073e-3f;
    y = y * r + 4.1665795894e-2f;
    y = y * r + 1.6666665459e-1f;
    y = y * r + 5.0000001201e-1f;
    y = y * r * r + r + 1.0f;
    return y * Float4((__builtin_convertvector(n, Int4) + 127) << 23);
}

}  // namespace ovrix
