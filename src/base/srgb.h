// The transfer function of sRGB (IEC 61966-2-1), for single numbers. Whole images go through
// io/color_spaces.h.
#pragma once
#include <cmath>

#include "base/house.h"

namespace ovrix::base {

/// From linear light to what is stored; 0 to 1 both.
inline float encodeSrgb(float x) {
    return x <= 0.0031308f ? 12.92f * x : 1.055f * std::pow(x, 1.0f / 2.4f) - 0.055f;
}

/// From what is stored to linear light.
inline float decodeSrgb(float s) {
    return s <= 0.04045f ? s / 12.92f : std::pow((s + 0.055f) / 1.055f, 2.4f);
}

}  // namespace ovrix::base
