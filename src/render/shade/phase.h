// How matter between things turns light: Henyey and Greenstein, "Diffuse radiation in the galaxy", ApJ 93,
// 1941.
#pragma once
#include <algorithm>
#include <cmath>

#include "base/vec.h"

namespace ovrix::render {

/// Density of going on by an angle of that cosine, per steradian. @param g  -1 back, 0 everywhere alike, 1 on
inline float phase(float g, float cosine) {
    g = std::clamp(g, -0.99f, 0.99f);
    const float d = 1.0f + g * g - 2.0f * g * cosine;
    return (1.0f - g * g) / (4.0f * kPi * d * std::sqrt(d));
}

/// The cosine of a direction drawn so. @param u  even from 0 to 1
inline float phaseCosine(float g, float u) {
    g = std::clamp(g, -0.99f, 0.99f);
    if (std::abs(g) < 1e-3f) return 1.0f - 2.0f * u;
    const float part = (1.0f - g * g) / (1.0f - g + 2.0f * g * u);
    return std::clamp((1.0f + g * g - part * part) / (2.0f * g), -1.0f, 1.0f);
}

}  // namespace ovrix::render
