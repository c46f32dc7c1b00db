#include "render/trace/pixel_filter.h"

#include <algorithm>

namespace ovrix::render {

namespace {

/// @param x  -1 to 1 over its width
double valueOf(PixelFilter::Kind kind, double x) {
    if (kind == PixelFilter::Kind::Box) return 1.0;
    if (kind == PixelFilter::Kind::Tent) return 1.0 - std::abs(x);
    const double t = M_PI * (x + 1.0);
    return 0.35875 - 0.48829 * std::cos(t) + 0.14128 * std::cos(2 * t) - 0.01168 * std::cos(3 * t);
}

}  // namespace

PixelFilter::PixelFilter(Kind kind, float width) {
    constexpr int kSteps = 8192;
    const double half = 0.5 * std::max(0.0, double(width));
    double whole = 0;
    const auto at = [&](int step) { return valueOf(kind, 2.0 * (step + 0.5) / kSteps - 1.0); };
    for (int step = 0; step < kSteps; ++step) whole += at(step);
    double sum = 0;
    size_t next = 1;
    offsets_.front() = float(-half);
    for (int step = 0; step < kSteps; ++step) {
        const double before = sum / whole, after = (sum += at(step)) / whole;
        while (next + 1 < kSize && double(next) / (kSize - 1) <= after) {
            const double part = (double(next) / (kSize - 1) - before) / std::max(1e-300, after - before);
            offsets_[next++] = float(half * (2.0 * (step + part) / kSteps - 1.0));
        }
    }
    while (next < kSize) offsets_[next++] = float(half);
}

}  // namespace ovrix::render
