// What several benchmarks need: ratios of two runs, and a large surface.
#pragma once
#include <embree3/rtcore.h>

#include <algorithm>
#include <chrono>
#include <vector>

#include "geo/mesh/primitives.h"
#include "geo/surface/surface.h"
#include "render/scene/camera.h"

namespace ovrix::bench {

using namespace deliver;

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

/// How far a ray goes, by the ray tracer's own call and nothing else.
inline float bareDistance(RTCScene scene, const Ray& ray) {
    RTCRayHit r;
    r.ray = {ray.origin.x,
             ray.origin.y,
             ray.origin.z,
             0,
             ray.direction.x,
             ray.direction.y,
             ray.direction.z,
             0,
             std::numeric_limits<float>::infinity(),
             ~0u,
             0,
             0};
    r.hit.geomID = r.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    context.flags = RTC_INTERSECT_CONTEXT_FLAG_COHERENT;
    rtcIntersect1(scene, &context, &r);
    return r.ray.tfar;
}

/// 524,288 triangles.
inline const Surface& bigSurface() {
    static const Surface surface(makeTerrain({4, 512, 0.6f, 1.5f, 0.3f, 1}));
    return surface;
}

}  // namespace ovrix::bench
