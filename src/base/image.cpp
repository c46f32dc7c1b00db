#include "base/image.h"

#include <algorithm>

namespace ovrix::base {

namespace {

struct Bilinear {
    int x0, x1, y0, y1;
    float fx, fy;
};

int wrap(int i, int n) {
    i %= n;
    return i < 0 ? i + n : i;
}

Bilinear corners(const Image& image, float u, float v) {
    const float x = (u - std::floor(u)) * float(image.width) - 0.5f;
    const float y = (1.0f - (v - std::floor(v))) * float(image.height) - 0.5f;
    const float bx = std::floor(x), by = std::floor(y);
    return {wrap(int(bx), image.width),
            wrap(int(bx) + 1, image.width),
            wrap(int(by), image.height),
            wrap(int(by) + 1, image.height),
            x - bx,
            y - by};
}

}  // namespace

Color Image::sample(float u, float v) const {
    if (pixels.empty() || !std::isfinite(u) || !std::isfinite(v)) return Color(0.0f);
    const Bilinear b = corners(*this, u, v);
    const V3f top = color(b.x0, b.y0) * (1.0f - b.fx) + color(b.x1, b.y0) * b.fx;
    const V3f bottom = color(b.x0, b.y1) * (1.0f - b.fx) + color(b.x1, b.y1) * b.fx;
    return Color(top * (1.0f - b.fy) + bottom * b.fy);
}

V2f Image::within(const V2f& place) const {
    if (pixels.empty()) return place;
    const float halfU = 0.5f / float(width), halfV = 0.5f / float(height);
    return {std::clamp(place.x, halfU, 1.0f - halfU), std::clamp(place.y, halfV, 1.0f - halfV)};
}

float Image::sampleAlpha(float u, float v) const {
    if (pixels.empty() || !std::isfinite(u) || !std::isfinite(v)) return 0.0f;
    const Bilinear b = corners(*this, u, v);
    const auto alpha = [&](int x, int y) {
        return float(pixels[4 * (size_t(y) * size_t(width) + size_t(x)) + 3]);
    };
    const float top = lerp(alpha(b.x0, b.y0), alpha(b.x1, b.y0), b.fx);
    return lerp(top, lerp(alpha(b.x0, b.y1), alpha(b.x1, b.y1), b.fx), b.fy);
}

}  // namespace ovrix::base
