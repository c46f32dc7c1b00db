#include "ops/rebind.h"

#include <fmt/format.h>

#include "base/parallel.h"
#include "field/paint.h"

namespace ovrix::ops {

bool sameTopology(const Surface& a, const Surface& b) { return &a == &b || topologyOf(a) == topologyOf(b); }

std::string reboundNote(size_t count) {
    return fmt::format("The surface's faces have changed: {} {} bound again to the nearest point", count,
                       count == 1 ? "element was" : "elements were");
}

namespace {

/// Moves places with the surface. Nothing else is touched.
size_t carryPlaces(AttributeSet& set, const Surface& rest, const Surface& now, Progress& progress) {
    if (!set.has("triangle") || !set.has("bary")) return 0;  // they lie on nothing that could take them along
    auto p = set.add<V3f>("P");
    auto n = set.add<V3f>("N", V3f(0, 1, 0));
    const bool same = sameTopology(rest, now);
    auto triangle = set.add<int32_t>("triangle", -1);
    auto bary = set.add<V2f>("bary");
    const size_t triangles = rest.mesh().triangles().size();
    std::atomic<size_t> rebound{0};
    parallelFor(set.size(), progress, [&](size_t i) {
        if (triangle[i] < 0 || size_t(triangle[i]) >= triangles) return;
        const uint32_t t = uint32_t(triangle[i]);
        const Surface::Sample was = rest.sampleAt(t, bary[i].x, bary[i].y);
        const V3f off = p[i] - was.position;
        if (same) {
            const Surface::Sample s = now.sampleAt(t, bary[i].x, bary[i].y);
            p[i] = s.position;
            n[i] = s.normal;
            if (off.length() <= 1e-5f * (1.0f + was.position.length()))
                return;  // it lies on it, but for rounding
            const Quatf turn = rootFrame(s.normal, edgeOf(now.mesh(), t)) *
                               rootFrame(was.normal, edgeOf(rest.mesh(), t)).inverse();
            p[i] += rotate(turn, off);
            return;
        }
        const SurfaceHit hit = now.closest(was.position);
        if (!hit.hit) return;
        ++rebound;
        p[i] = hit.position + off;
        n[i] = hit.normal;
        triangle[i] = int32_t(hit.triangle);
        bary[i] = V2f(hit.u, hit.v);
    });
    return rebound;
}

}  // namespace

std::shared_ptr<const PointSet> pointsRebound(const PointSet& points, const Surface& rest, const Surface& now,
                                              Progress& progress, size_t* rebound) {
    auto out = std::make_shared<PointSet>(points);
    const size_t count = carryPlaces(out->attributes, rest, now, progress);
    if (rebound) *rebound = count;
    return out;
}

StrandsPtr strandsRebound(const StrandSet& strands, const Surface& rest, const Surface& now,
                          Progress& progress, size_t* rebound) {
    auto out = std::make_shared<StrandSet>(strands);
    const size_t count = carryPlaces(out->strands, rest, now, progress);
    if (rebound) *rebound = count;
    const auto root = out->strands.find<V3f>("P"), normal = out->strands.find<V3f>("N");
    const auto triangle = out->strands.find<int32_t>("triangle");
    auto orient = out->strands.add<Quatf>("orient");
    auto p = out->points.add<V3f>("P");
    parallelFor(out->size(), progress, [&](size_t s) {
        const V3f edge = triangle[s] >= 0 ? edgeOf(now.mesh(), uint32_t(triangle[s])) : V3f(1, 0, 0);
        const Quatf frame = rootFrame(normal[s], edge), turn = frame * orient[s].inverse();
        orient[s] = frame;
        const V3f from = p[out->start[s]];
        for (size_t i = out->start[s]; i < out->start[s + 1]; ++i) p[i] = root[s] + rotate(turn, p[i] - from);
    });
    return out;
}

}  // namespace ovrix::ops
