#include "params/curve.h"

#include <algorithm>

namespace ovrix::params {

namespace {

float secant(const V2f& a, const V2f& b) { return b.x > a.x ? (b.y - a.y) / (b.x - a.x) : 0.0f; }

/// Slope at point i: the harmonic mean of its neighbours' slopes, zero at a turn, which keeps the cubic
/// monotone.
float tangent(const std::vector<V2f>& p, size_t i) {
    if (i == 0) return secant(p[0], p[1]);
    if (i + 1 == p.size()) return secant(p[i - 1], p[i]);
    const float before = secant(p[i - 1], p[i]), after = secant(p[i], p[i + 1]);
    return before * after <= 0.0f ? 0.0f : 2.0f * before * after / (before + after);
}

}  // namespace

float Curve::at(float x) const {
    if (points.empty()) return x;
    if (!(x > points.front().x)) return points.front().y;
    if (x >= points.back().x) return points.back().y;
    const auto next =
        std::upper_bound(points.begin(), points.end(), x, [](float v, const V2f& p) { return v < p.x; });
    const size_t i = size_t(next - points.begin()) - 1;
    const V2f &a = points[i], &b = points[i + 1];
    const float width = b.x - a.x, t = (x - a.x) / width;
    if (!smooth || points.size() == 2) return a.y + (b.y - a.y) * t;
    return hermite(a.y, b.y, width * tangent(points, i), width * tangent(points, i + 1), t);
}

void Curve::tidy() {
    std::erase_if(points, [](const V2f& p) { return !std::isfinite(p.x) || !std::isfinite(p.y); });
    for (V2f& p : points) p = V2f(std::clamp(p.x, 0.0f, 1.0f), std::clamp(p.y, 0.0f, 1.0f));
    std::stable_sort(points.begin(), points.end(), [](const V2f& a, const V2f& b) { return a.x < b.x; });
    if (points.empty()) points = {{0.0f, 0.0f}, {1.0f, 1.0f}};
}

}  // namespace ovrix::params
