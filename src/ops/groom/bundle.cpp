#include "ops/groom/bundle.h"

#include "base/hash.h"
#include "ops/groom/grow.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct BundleParams : ParamTable {
    Handle<int64_t> count = add(
        whole("count", "Count", starting(BundleOptions{}.count), 1, 10000, 1, 40, "Strands for each one"));
    Handle<Varying> root = add(drivable(number("root", "Root spread", starting(BundleOptions{}.root), "m", 0,
                                               1e4, 0, 0.05, "Radius over which they start")));
    Handle<Varying> tip = add(drivable(number("tip", "Tip spread", starting(BundleOptions{}.tip), "m", 0, 1e4,
                                              0, 0.1, "Radius over which they end")));
    Handle<VaryingRange> length =
        add(drivable(range("length", "Length", starting(BundleOptions{}.length), "", 0, 1, 0, 1,
                           "Fractions of the strand's length between which each picks one")));
    Handle<int64_t> seed = add(seedSpec("Another number, other places in the bundle"));
} kBundle;

/// Ids of the strands in bundles: the first is the one that was there.
class BundleIds {
  public:
    explicit BundleIds(std::span<const uint64_t> ids) : taken_(ids.begin(), ids.end()) {
        std::sort(taken_.begin(), taken_.end());
    }
    uint64_t operator()(uint64_t strand, size_t k) const {
        if (k == 0) return strand;
        uint64_t id = mixBits(strand * 0x9e3779b97f4a7c15ull + k) >> 2;  // below those added by hand
        // Bundles of bundles: the same strand has had such a child before.
        while (std::binary_search(taken_.begin(), taken_.end(), id))
            id = mixBits(id + 0x9e3779b97f4a7c15ull) >> 2;
        return id;
    }

  private:
    std::vector<uint64_t> taken_;
};

/// A strand of a bundle beside that which it is made from.
/// @param most  how far from it one may run at the root and at the tip, in metres
/// @param part  how far of that this one does  @param turn  about it
/// @param size  part of its length
void runBeside(std::span<const V3f> path, const StrandScratch& x, const V2f& most, float part, float turn,
               float size, std::span<V3f> out) {
    for (size_t j = 0; j < path.size(); ++j) {
        const V3f n = x.normal[j], b = x.tangent[j].cross(n);
        const V3f at = size == 1.0f ? path[j] : placeAlong(path, x.t, x.t[j] * size);
        out[j] = at + (n * std::cos(turn) + b * std::sin(turn)) * (part * lerp(most.x, most.y, x.t[j]));
    }
}

}  // namespace

StrandsPtr bundle(const StrandSet& in, const BundleOptions& o, Progress& progress) {
    const size_t count = size_t(std::clamp(o.count, 1, 10000));
    const double points = double(in.pointCount()) * double(count),
                 strands = double(in.size()) * double(count);
    requireMemory(100.0 * strands + 40.0 * points, o.memoryLimit, strands);
    if (points > 4e9)
        throw Error("the bundles would have too many points", {}, "Lower the number in a bundle");
    Progress::Task task(progress, "Bundling");
    std::vector<uint32_t> source(in.size() * count);
    for (size_t i = 0; i < source.size(); ++i) source[i] = uint32_t(i / count);
    auto made = std::get<StrandsPtr>(gathered(StrandsPtr(StrandsPtr(), &in), source));
    auto out = std::make_shared<StrandSet>(*made);
    const Samples samples = samplesOf(in);
    const auto ids = samples.get(channel::id);
    const auto root = o.root.over(samples, progress), tip = o.tip.over(samples, progress);
    auto id = out->strands.add<uint64_t>("id");
    auto place = out->strands.add<V3f>("P");
    auto clump = out->strands.add<int32_t>("clump");
    const BundleIds idOf(ids);
    for (size_t i = 0; i < id.size(); ++i) id[i] = idOf(id[i], i % count);
    VaryingRange unit = o.length;
    unit.min = 0.0f, unit.max = 1.0f;
    const auto pick = unit.over(samplesOf(*out), o.seed, Stream::Length, progress);
    auto p = out->points.add<V3f>("P");
    const auto old = in.points.find<V3f>("P");
    const auto orient = in.strands.find<Quatf>("orient");
    parallelRanges(in.size(), 128, progress, [&](size_t begin, size_t end) {
        StrandScratch x;
        for (size_t s = begin; s < end; ++s) {
            const auto path = pointsOf(in, old, s);
            x.fit(path.size());
            framesOf(orient, s, path, x);
            for (size_t k = 0; k < count; ++k) {
                const size_t i = s * count + k;
                clump[i] = int32_t(mixBits(ids[s]) & 0x7fffffff);
                if (k == 0) continue;
                const Random4 own = random4(o.seed, id[i], Stream::Bundle);
                runBeside(path, x, V2f(root[s], tip[s]), std::sqrt(own[0]), 2.0f * kPi * own[1],
                          lerp(o.length.min, o.length.max, pick[i]), p.subspan(out->start[i], path.size()));
                place[i] = p[out->start[i]];
            }
        }
    });
    return out;
}

static Geometry applyBundle(const StepInput& in) {
    BundleOptions o;
    o.count = int(in.params[kBundle.count]);
    o.root = in.params[kBundle.root];
    o.tip = in.params[kBundle.tip];
    o.length = in.params[kBundle.length];
    o.seed = uint64_t(in.params[kBundle.seed]);
    o.memoryLimit = in.memoryLimit;
    return bundle(*strandsOf(in), o, in.progress);
}

StepType bundleStep() {
    return {.id = "bundle",
            .title = "Bundle",
            .phase = Phase::Place,
            .help = "Several strands out of each, close at the root and apart at the tip or the other way",
            .takes = GeometryKind::Strands,
            .gives = GeometryKind::Strands,
            .params = kBundle.specs(),
            .apply = applyBundle};
}

}  // namespace ovrix::ops
