#include "ops/place/place_volume.h"

#include <fmt/format.h>

#include "base/error.h"
#include "base/parallel.h"
#include "geo/surface/surface.h"
#include "params/param_table.h"

namespace ovrix::ops {

using namespace specs;

namespace {

PointSet empty(size_t count) {
    PointSet set;
    set.attributes.resize(count);
    set.attributes.add<V3f>("P"), set.attributes.add<V3f>("N", V3f(0, 1, 0)),
        set.attributes.add<uint64_t>("id");
    return set;
}

}  // namespace

namespace {

/// Cells of an even grid that a closed surface reaches into or holds: points are drawn in them alone, so that
/// thin shapes cost no more tries than thick ones. How many cells there are follows from the surface alone.
class FilledCells {
  public:
    FilledCells(const Surface& surface, Progress& progress) {
        const Box3f box = surface.mesh().bounds();
        const V3f size = box.size();
        // Small against what is thin, as far as a hundred thousand cells go.
        const float side = std::max(1e-9f, std::cbrt(std::max(size.x, 1e-9f) * std::max(size.y, 1e-9f) *
                                                     std::max(size.z, 1e-9f) / 1e5f));
        for (int a = 0; a < 3; ++a) count_[a] = std::clamp(int(std::ceil(size[a] / side)), 1, 4096);
        min_ = box.min;
        for (int a = 0; a < 3; ++a) cell_[a] = size[a] / float(count_[a]);
        const float half = 0.5f * cell_.length() * 1.0001f;
        std::vector<uint8_t> filled(size_t(count_[0]) * size_t(count_[1]) * size_t(count_[2]));
        parallelFor(filled.size(), progress, [&](size_t i) {
            const V3f middle = min_ + cell_ * (V3f(cornerOfCell(i)) + V3f(0.5f));
            filled[i] = surface.closest(middle, half).hit || surface.inside(middle);
        });
        for (size_t i = 0; i < filled.size(); ++i)
            if (filled[i]) cells_.push_back(uint32_t(i));
    }
    bool empty() const { return cells_.empty(); }
    V3f place(const Random4& r) const {
        // The first word chooses the cell, and what is left of it is a place in that.
        const double x = double(r.bits[0]) * 0x1p-32 * double(cells_.size());
        const size_t k = std::min(cells_.size() - 1, size_t(x));
        const V3f at(float(double(r.bits[3]) * 0x1p-32), r[1], r[2]);
        return min_ + cell_ * (V3f(cornerOfCell(cells_[k])) + at);
    }

  private:
    V3i cornerOfCell(size_t i) const {
        const size_t x = size_t(count_[0]), y = size_t(count_[1]);
        return {int(i % x), int(i / x % y), int(i / (x * y))};
    }
    V3f min_{0, 0, 0}, cell_{0, 0, 0};
    V3i count_{1, 1, 1};
    std::vector<uint32_t> cells_;
};

/// To the nearest place of the surface: where that deforms they go with it.
void bind(AttributeSet& set, const Surface& surface, Progress& progress) {
    const auto p = std::as_const(set).find<V3f>("P");
    const auto triangle = set.add<int32_t>("triangle", -1);
    const auto bary = set.add<V2f>("bary");
    parallelFor(p.size(), progress, [&](size_t i) {
        const SurfaceHit hit = surface.closest(p[i]);
        if (hit.hit) triangle[i] = int32_t(hit.triangle), bary[i] = V2f(hit.u, hit.v);
    });
}

}  // namespace

std::shared_ptr<const PointSet> pointsInside(const Surface& surface, size_t count, uint64_t seed,
                                             Progress& progress, size_t* without) {
    if (!surface.closed())
        throw Error("the surface has open edges, so nothing is inside", {},
                    "Put the layer on a closed object");
    const auto known = surface.cached<FilledCells>(
        "filled cells", [&] { return std::make_shared<const FilledCells>(surface, progress); });
    const FilledCells& cells = *known;
    PointSet set = empty(count);
    const auto p = set.attributes.add<V3f>("P");
    const auto id = set.attributes.add<uint64_t>("id");
    std::vector<uint8_t> found(count);
    parallelFor(count, progress, [&](size_t i) {
        id[i] = i;
        for (uint64_t attempt = 0; attempt < 200 && !cells.empty() && !found[i]; ++attempt) {
            p[i] = cells.place(random4(seed + attempt * 0x9e3779b97f4a7c15ull, i, Stream::Place));
            found[i] = surface.inside(p[i]);
        }
    });
    std::vector<uint32_t> kept;
    for (size_t i = 0; i < count; ++i)
        if (found[i]) kept.push_back(uint32_t(i));
    if (without) *without = count - kept.size();
    if (kept.size() < count) set.attributes = set.attributes.gathered(kept);
    bind(set.attributes, surface, progress);
    return std::make_shared<const PointSet>(std::move(set));
}

std::shared_ptr<const PointSet> pointsOnRing(const M44f& world, float inner, float outer, size_t count,
                                             uint64_t seed, Progress& progress) {
    PointSet set = empty(count);
    const auto p = set.attributes.add<V3f>("P"), n = set.attributes.add<V3f>("N");
    const auto id = set.attributes.add<uint64_t>("id");
    V3f up;
    world.multDirMatrix(V3f(0, 1, 0), up);
    up = up.length() > 0 ? up.normalized() : V3f(0, 1, 0);
    const float low = std::min(inner, outer), high = std::max(inner, outer);
    parallelFor(count, progress, [&](size_t i) {
        const Random4 r = random4(seed, i, Stream::Place);
        const float radius = std::sqrt(lerp(low * low, high * high, r[0])), turn = 2 * kPi * r[1];
        id[i] = i;
        p[i] = V3f(radius * std::cos(turn), 0, radius * std::sin(turn)) * world;
        n[i] = up;
    });
    return std::make_shared<const PointSet>(std::move(set));
}

namespace {

ParamSpec countSpec() { return whole("count", "Count", 1000, 0, 1e9, 0, 100000, "Points"); }
ParamSpec placesSeed() { return seedSpec("Another number, other places"); }

const struct InsideParams : ParamTable {
    Handle<int64_t> count = add(countSpec());
    Handle<int64_t> seed = add(placesSeed());
} kInside;

const struct RingParams : ParamTable {
    Handle<int64_t> count = add(countSpec());
    Handle<std::string> at = add(ref("at", "Parent", "object", "Moves and turns with it"));
    Handle<double> outer = add(number("outer", "Radius", 0.5, "m", 0, 1e6, 0, 5, "Of its outer edge"));
    Handle<double> inner =
        add(number("inner", "Hole", 0, "m", 0, 1e6, 0, 5, "Radius of its inner edge; 0 is a disc"));
    Handle<int64_t> seed = add(placesSeed());
} kRing;

/// How many are made. Throws Error where they would take too much memory.
size_t countOf(const StepInput& in, const Handle<int64_t>& count) {
    const double wanted = std::round(double(in.params[count]) * in.share);
    requireMemory(wanted * 40.0, in.memoryLimit, wanted);
    return size_t(wanted);
}

Geometry applyInside(const StepInput& in) {
    if (!in.surface) throw Error("there is no surface", {}, "Put the layer on an object");
    const size_t count = countOf(in, kInside.count);
    size_t without = 0;
    const auto made =
        pointsInside(*in.surface, count, uint64_t(in.params[kInside.seed]), in.progress, &without);
    if (without)
        in.note(fmt::format("{} of {} points found no place inside: the shape is too thin for them", without,
                            count));
    return made;
}

Geometry applyRing(const StepInput& in) {
    const size_t count = countOf(in, kRing.count);
    const std::string& id = in.params[kRing.at];
    const M44f world = id.empty() || !in.query ? M44f() : in.query->placed(id).world;
    return pointsOnRing(world, float(in.params[kRing.inner]), float(in.params[kRing.outer]), count,
                        uint64_t(in.params[kRing.seed]), in.progress);
}

}  // namespace

StepType insideStep() {
    return {.id = "inside",
            .title = "Inside",
            .phase = Phase::Place,
            .help = "Points in the inside of a closed surface",
            .takes = GeometryKind::Nothing,
            .gives = GeometryKind::Points,
            .params = kInside.specs(),
            .apply = applyInside};
}

StepType ringStep() {
    return {.id = "ring",
            .title = "On a ring",
            .phase = Phase::Place,
            .help = "Points on a flat ring or a disc",
            .takes = GeometryKind::Nothing,
            .gives = GeometryKind::Points,
            .params = kRing.specs(),
            .apply = applyRing};
}

}  // namespace ovrix::ops
