// A shift of colour that an element carries, on top of its material.
#pragma once
#include "base/vec.h"

namespace ovrix::base {

/// @p tint: hue shift in turns, factor on saturation, factor on brightness; (0, 1, 1) changes nothing. The
/// hue turns around the grey axis of linear light; negative results are cut. Thread safe.
inline Color tinted(const Color& color, const V3f& tint) {
    if (tint == V3f(0, 1, 1)) return color;
    const V3f axis(0.57735027f), c(color);
    const float angle = 2.0f * kPi * tint.x, cosine = std::cos(angle);
    const V3f turned = c * cosine + axis.cross(c) * std::sin(angle) + axis * (axis.dot(c) * (1.0f - cosine));
    const float grey = luminance(turned);
    V3f out = (V3f(grey) + (turned - V3f(grey)) * tint.y) * tint.z;
    for (int i = 0; i < 3; ++i) out[i] = std::max(0.0f, out[i]);
    return Color(out);
}

}  // namespace ovrix::base
