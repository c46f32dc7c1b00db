#include "params/color_curves.h"

#include <algorithm>
#include <cmath>

#include "base/srgb.h"

namespace ovrix::params {

namespace {

/// Hue and saturation from 0 to 1; grey has a hue of 0.
V3f toHsv(const V3f& c) {
    const float most = std::max({c.x, c.y, c.z}), least = std::min({c.x, c.y, c.z}), width = most - least;
    if (!(width > 0.0f)) return {0.0f, 0.0f, most};
    const float sector = most == c.x   ? (c.y - c.z) / width
                         : most == c.y ? 2.0f + (c.z - c.x) / width
                                       : 4.0f + (c.x - c.y) / width;
    const float hue = sector / 6.0f;
    return {hue - std::floor(hue), width / most, most};
}

V3f fromHsv(const V3f& hsv) {
    const auto channel = [&](float from) {
        const float k = std::fmod(from + hsv.x * 6.0f, 6.0f);
        return hsv.z * (1.0f - hsv.y * std::clamp(std::min(k, 4.0f - k), 0.0f, 1.0f));
    };
    return {channel(5.0f), channel(3.0f), channel(1.0f)};
}

}  // namespace

Color ColorCurves::at(const Color& color) const {
    if (!isFinite(V3f(color))) return color;
    V3f c;
    for (int k = 0; k < 3; ++k) c[k] = encodeSrgb(std::max(0.0f, color[k]));
    const V3f hsv = toHsv(c);
    const float turned = hsv.x + hue.at(hsv.x) - 0.5f;
    c = fromHsv({turned - std::floor(turned), saturation.at(hsv.y),
                 value.at(std::min(hsv.z, 1.0f)) * std::max(hsv.z, 1.0f)});
    return Color(decodeSrgb(c.x), decodeSrgb(c.y), decodeSrgb(c.z));
}

}  // namespace ovrix::params
