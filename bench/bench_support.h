// What several benchmarks need: ratios of two runs, and a large surface.
#pragma once
#include <algorithm>
#include <chrono>
#include <vector>

#include "geo/primitives.h"
#include "geo/surface.h"

namespace ovrix::bench {

using Clock = std::chrono::steady_clock;

template <class Body>
double secondsOf(const Body& body) {
    const auto start = Clock::now();
    body();
    return std::chrono::duration<double>(Clock::now() - start).count();
}

/// The median of several ratios, each of two runs right after one another.
template <class Ours, class Bare>
double medianRatio(int rounds, const Ours& ours, const Bare& bare) {
    std::vector<double> ratios;
    for (int i = 0; i < rounds; ++i) {
        const double b = secondsOf(bare), a = secondsOf(ours);
        ratios.push_back(a / b);
    }
    std::sort(ratios.begin(), ratios.end());
    return ratios[ratios.size() / 2];
}

/// 524,288 triangles.
inline const Surface& bigSurface() {
    static const Surface surface(makeTerrain({4, 512, 0.6f, 1.5f, 0.3f, 1}));
    return surface;
}

}  // namespace ovrix::bench
