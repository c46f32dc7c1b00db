#include "params/palette.h"

#include <algorithm>
#include <numeric>

#include "base/random.h"
#include "params/oklab.h"

namespace ovrix::params {

namespace {

struct Point {
    V3f place;     ///< Oklab
    float weight;  ///< alpha
};

std::vector<Point> pointsOf(const Image& image) {
    constexpr double kMost = 40000.0;
    const double all = double(image.width) * double(image.height);
    const int step = std::max(1, int(std::ceil(std::sqrt(all / kMost))));
    std::vector<Point> points;
    for (int y = step / 2; y < image.height; y += step)
        for (int x = step / 2; x < image.width; x += step) {
            const Color c = image.color(x, y);
            const float alpha = image.pixels[4 * (size_t(y) * size_t(image.width) + size_t(x)) + 3];
            const V3f bounded(std::clamp(c.x, 0.0f, 1.0f), std::clamp(c.y, 0.0f, 1.0f),
                              std::clamp(c.z, 0.0f, 1.0f));
            if (alpha > 0.0f && std::isfinite(c.x + c.y + c.z)) points.push_back({toOklab(bounded), alpha});
        }
    return points;
}

float apart(const V3f& a, const V3f& b) { return (a - b).dot(a - b); }

size_t nearestOf(const std::vector<V3f>& middles, const V3f& place) {
    size_t best = 0;
    for (size_t k = 1; k < middles.size(); ++k)
        if (apart(middles[k], place) < apart(middles[best], place)) best = k;
    return best;
}

/// Each next one with a chance that grows with the square of how far it lies from those before.
std::vector<V3f> firstMiddles(const std::vector<Point>& points, size_t count) {
    std::vector<V3f> middles{points[points.size() / 2].place};
    std::vector<double> sums(points.size());
    while (middles.size() < count) {
        double sum = 0.0;
        for (size_t i = 0; i < points.size(); ++i)
            sums[i] = sum += double(points[i].weight) *
                             double(apart(points[i].place, middles[nearestOf(middles, points[i].place)]));
        constexpr double kAlike = 1e-7;  // no more colours are there
        if (!(sum > kAlike * double(points.size()))) break;
        const double at = sum * double(random1(17, middles.size(), Stream::User));
        const auto found = std::upper_bound(sums.begin(), sums.end(), at);
        middles.push_back(points[std::min(size_t(found - sums.begin()), points.size() - 1)].place);
    }
    return middles;
}

}  // namespace

Palette paletteOf(const Image& image, int count, Progress& progress) {
    const std::vector<Point> points = pointsOf(image);
    if (points.empty()) return {};
    std::vector<V3f> middles = firstMiddles(points, size_t(std::clamp(count, 1, 32)));
    std::vector<double> weights;
    constexpr int kMostRounds = 40;
    for (int round = 0; round < kMostRounds; ++round) {
        progress.check();
        std::vector<V3d> sums(middles.size(), V3d(0.0));
        weights.assign(middles.size(), 0.0);
        for (const Point& p : points) {
            const size_t k = nearestOf(middles, p.place);
            sums[k] += V3d(p.place) * double(p.weight), weights[k] += double(p.weight);
        }
        float moved = 0.0f;
        for (size_t k = 0; k < middles.size(); ++k) {
            if (!(weights[k] > 0.0)) continue;
            const V3f now(sums[k] / weights[k]);
            moved = std::max(moved, apart(now, middles[k]));
            middles[k] = now;
        }
        constexpr float kSettled = 1e-9f;
        if (moved < kSettled) break;
    }
    const double all = std::accumulate(weights.begin(), weights.end(), 0.0);
    Palette palette;
    for (size_t k = 0; k < middles.size(); ++k) {
        const V3f c = fromOklab(middles[k]);
        if (weights[k] > 0.0)
            palette.push_back({Color(std::max(0.0f, c.x), std::max(0.0f, c.y), std::max(0.0f, c.z)),
                               float(weights[k] / all)});
    }
    std::stable_sort(palette.begin(), palette.end(),
                     [](const PaletteColor& a, const PaletteColor& b) { return a.share > b.share; });
    return palette;
}

Ramp stepsOf(const Palette& palette, Color& low, Color& high) {
    Ramp ramp{.stops = {}, .kind = Ramp::Kind::Steps};
    if (palette.empty()) return ramp;
    low = palette.front().color, high = palette.back().color;
    float whole = 0.0f, at = 0.0f;
    for (const PaletteColor& c : palette) whole += std::max(0.0f, c.share);
    for (size_t k = 0; k < palette.size(); ++k) {
        if (k > 0) ramp.stops.push_back({at, palette[k].color});
        at += whole > 0.0f ? std::max(0.0f, palette[k].share) / whole : 1.0f / float(palette.size());
    }
    return ramp;
}

}  // namespace ovrix::params
