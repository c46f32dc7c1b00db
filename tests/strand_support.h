// Strands for tests.
#pragma once
#include "geo/strands/strands.h"
#include "geo/surface/surface.h"
#include "ops/groom/grow.h"
#include "ops/place/scatter.h"
#include "support.h"

namespace ovrix::tests {

using namespace deliver;

inline std::shared_ptr<const PointSet> pointsOn(const Surface& surface, size_t count, uint64_t seed = 1) {
    ScatterOptions o;
    o.count = count;
    o.seed = seed;
    return scatterOnSurface(surface, o, Progress::none());
}

/// Guides off a surface, all alike but for what the options say.
inline StrandsPtr guidesOn(const Surface& surface, size_t count, GrowOptions o = {}) {
    return grow(*pointsOn(surface, count), &surface, o, Progress::none());
}

/// Straight strands up from a level plane, one metre long, of so many segments.
inline StrandsPtr uprights(size_t count, int segments) {
    static const Surface plane(makePlane(4, 8));
    GrowOptions o;
    o.length = {1, 1, {}};
    o.segments = segments;
    return guidesOn(plane, count, o);
}

inline std::span<const V3f> line(const StrandSet& set, size_t s) {
    return pointsOf(set, set.points.find<V3f>("P"), s);
}

inline std::map<uint64_t, std::vector<V3f>> linesById(const StrandSet& set) {
    std::map<uint64_t, std::vector<V3f>> out;
    const auto id = set.strands.find<uint64_t>("id");
    for (size_t s = 0; s < set.size(); ++s) {
        const auto l = line(set, s);
        out[id[s]] = {l.begin(), l.end()};
    }
    REQUIRE(out.size() == set.size());  // no id twice
    return out;
}

inline float tipDistance(const StrandSet& a, const StrandSet& b, size_t s) {
    return (line(a, s).back() - line(b, s).back()).length();
}

}  // namespace ovrix::tests
