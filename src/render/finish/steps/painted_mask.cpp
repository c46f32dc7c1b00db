#include "render/finish/steps/painted_mask.h"

#include <algorithm>

namespace ovrix::render {

namespace {

/// A stroke in pixels of the picture at hand.
struct Brushed {
    std::vector<V2f> points;
    float radius, inner;  ///< fades between both
    float at(float distance) const {
        if (distance >= radius) return 0.0f;
        if (distance <= inner) return 1.0f;
        const float x = (radius - distance) / (radius - inner);
        return x * x * (3.0f - 2.0f * x);
    }
};

float distanceTo(const V2f& p, const V2f& a, const V2f& b) {
    const V2f along = b - a;
    const float length2 = along.dot(along);
    const float t = length2 > 0.0f ? std::clamp((p - a).dot(along) / length2, 0.0f, 1.0f) : 0.0f;
    return (p - (a + along * t)).length();
}

/// Pixels that a piece of it may cover.
Rect about(const V2f& a, const V2f& b, float radius, int width, int height) {
    const auto side = [&](float one, float other, int size) {
        const float low = std::clamp(std::floor(std::min(one, other) - radius), 0.0f, float(size)),
                    high = std::clamp(std::ceil(std::max(one, other) + radius) + 1.0f, 0.0f, float(size));
        return std::pair(int(low), std::max(0, int(high) - int(low)));
    };
    const auto [x, w] = side(a.x, b.x, width);
    const auto [y, h] = side(a.y, b.y, height);
    return {x, y, w, h};
}

}  // namespace

std::vector<float> paintedMask(const PictureStrokes& strokes, int width, int height,
                               const PictureWindow& window, const V2i& film, Progress& progress) {
    std::vector<float> out(size_t(width) * size_t(height), 0.0f), own(out.size(), 0.0f);
    const double scaleX = width / std::max(1e-9, window.width),
                 scaleY = height / std::max(1e-9, window.height);
    for (const PictureStroke& s : strokes.list) {
        if (s.points.empty()) continue;
        Brushed brushed{{}, float(s.radius * film.y * scaleY), 0.0f};
        brushed.radius = std::max(brushed.radius, 0.5f);
        brushed.inner = brushed.radius * (1.0f - s.softness);
        for (const V2f& p : s.points)
            brushed.points.emplace_back(float((p.x * film.x - window.x) * scaleX),
                                        float((p.y * film.y - window.y) * scaleY));
        if (brushed.points.size() == 1) brushed.points.push_back(brushed.points[0]);
        V2i low(width, height), high(0, 0);
        for (size_t k = 0; k + 1 < brushed.points.size(); ++k) {
            progress.check();
            const V2f &a = brushed.points[k], &b = brushed.points[k + 1];
            const Rect r = about(a, b, brushed.radius, width, height);
            low = V2i(std::min(low.x, r.x), std::min(low.y, r.y));
            high = V2i(std::max(high.x, r.x + r.width), std::max(high.y, r.y + r.height));
            for (int y = r.y; y < r.y + r.height; ++y)
                for (int x = r.x; x < r.x + r.width; ++x) {
                    float& m = own[size_t(y) * size_t(width) + size_t(x)];
                    m = std::max(m, brushed.at(distanceTo(V2f(float(x) + 0.5f, float(y) + 0.5f), a, b)));
                }
        }
        for (int y = low.y; y < high.y; ++y)
            for (int x = low.x; x < high.x; ++x) {
                const size_t i = size_t(y) * size_t(width) + size_t(x);
                out[i] = s.erases ? out[i] * (1.0f - own[i]) : out[i] + (1.0f - out[i]) * own[i];
                own[i] = 0.0f;
            }
    }
    return out;
}

std::vector<float> paintedMask(const PictureWork& work, const PictureStrokes& strokes) {
    return paintedMask(strokes, work.width, work.height, work.window,
                       {work.setting.passes.width(), work.setting.passes.height()}, work.progress);
}

}  // namespace ovrix::render
