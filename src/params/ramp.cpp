#include "params/ramp.h"

#include <algorithm>
#include <cmath>

#include "params/oklab.h"

namespace ovrix::params {

Color Ramp::at(const Color& low, const Color& high, float t) const {
    t = t > 0.0f ? std::min(t, 1.0f) : 0.0f;  // no number counts as 0
    RampStop before{0.0f, low}, after{1.0f, high};
    for (const RampStop& stop : stops) {
        if (stop.at > t) {
            after = stop;
            break;
        }
        before = stop;
    }
    if (kind == Kind::Steps) return t >= 1.0f ? high : before.color;
    const float width = after.at - before.at;
    float part = width > 0.0f ? (t - before.at) / width : 1.0f;
    if (kind == Kind::Smooth) part = part * part * (3.0f - 2.0f * part);
    const V3f a(before.color), b(after.color);
    if (!perceptual) return Color(a + (b - a) * part);
    const V3f p = toOklab(a), q = toOklab(b), mixed = fromOklab(p + (q - p) * part);
    return Color(std::max(0.0f, mixed.x), std::max(0.0f, mixed.y), std::max(0.0f, mixed.z));
}

void Ramp::tidy() {
    constexpr size_t kMost = 256;
    std::erase_if(stops, [](const RampStop& s) { return !std::isfinite(s.at) || !isFinite(V3f(s.color)); });
    if (stops.size() > kMost) stops.resize(kMost);
    for (RampStop& s : stops) s.at = std::clamp(s.at, 0.0f, 1.0f);
    std::stable_sort(stops.begin(), stops.end(),
                     [](const RampStop& a, const RampStop& b) { return a.at < b.at; });
}

}  // namespace ovrix::params
