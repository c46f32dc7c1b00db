// What a parameter starts with, from the options of the function that it is for: so a default stands once.
#pragma once
#include <charconv>
#include <cmath>

#include "params/value.h"

namespace ovrix::params {

/// The number that a float's shortest decimal text stands for: 0.1 for 0.1f, and not 0.10000000149.
inline double starting(float value) {
    char text[32];
    const auto end = std::to_chars(text, text + sizeof text, value).ptr;
    double out = double(value);
    std::from_chars(text, end, out);
    return out;
}
inline double starting(double value) { return value; }
inline int64_t starting(int value) { return value; }
inline int64_t starting(uint32_t value) { return value; }
inline int64_t starting(size_t value) { return int64_t(value); }
inline bool starting(bool value) { return value; }
inline Color starting(const Color& value) { return value; }
inline V3d starting(const V3f& v) { return V3d(starting(v.x), starting(v.y), starting(v.z)); }

/// Of what may differ per element: the value alone.
template <class T>
requires requires(T v) { v.high; }
auto starting(const T& varying) { return starting(varying.high); }
template <class T>
requires requires(T v) { v.min, v.max; }
Range starting(const T& range) { return {starting(range.min), starting(range.max)}; }

/// Radians as degrees, to a thousandth, and metres as millimetres, to a millionth: round numbers stay round.
inline double startingDegrees(float radians) {
    return std::round(double(radians) * 180.0 / 3.14159265358979323846 * 1e3) / 1e3;
}
inline double startingMillimetres(float metres) { return std::round(double(metres) * 1e9) / 1e6; }

}  // namespace ovrix::params
