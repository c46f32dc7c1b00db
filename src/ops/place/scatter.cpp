#include "ops/place/scatter.h"

#include "base/parallel.h"
#include "geo/surface/surface.h"
#include "ops/place/place_points.h"
#include "params/param_table.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct ScatterParams : ParamTable {
    Handle<std::string> amount = add({.id = "amount",
                                      .title = "Amount by",
                                      .type = ParamType::Choice,
                                      .initial = std::string("count"),
                                      .help = "A fixed number, or so many per square metre",
                                      .choices = {"count", "density"}});
    Handle<int64_t> count = add({.id = "count",
                                 .title = "Count",
                                 .type = ParamType::Int,
                                 .initial = int64_t(2000),
                                 .hardMin = 0,
                                 .hardMax = 1e12,
                                 .softMin = 0,
                                 .softMax = 50000,
                                 .help = "Elements before the mask; raising it keeps those that are there",
                                 .showIf = "amount=count"});
    Handle<double> density = add({.id = "density",
                                  .title = "Density",
                                  .initial = 500.0,
                                  .unit = "1/m2",
                                  .hardMin = 0,
                                  .hardMax = 1e12,
                                  .softMin = 0,
                                  .softMax = 5000,
                                  .help = "Elements per square metre before the mask",
                                  .showIf = "amount=density"});
    Handle<int64_t> seed = add(seedSpec("Another number, another arrangement"));
    Handle<Varying> mask = add(maskSpec());
} kScatter;

constexpr size_t kPiece = 1024;

void fillPiece(const Surface& surface, uint64_t seed, size_t begin, size_t end, const PointColumns& out) {
    std::array<Surface::Sample, kPiece> samples;
    for (size_t b = begin; b < end; b += kPiece) {
        const size_t n = std::min(kPiece, end - b);
        surface.sample(seed, b, n, samples.data());
        for (size_t i = 0; i < n; ++i) out.put(b + i, b + i, samples[i]);
        if (!out.uv.empty())
            for (size_t i = 0; i < n; ++i) out.putUv(b + i, surface, samples[i]);
    }
}

}  // namespace

std::shared_ptr<const PointSet> scatterOnSurface(const Surface& surface, const ScatterOptions& o,
                                                 Progress& progress) {
    requireArea(surface);
    const size_t count = size_t(std::ceil(double(o.count) * std::clamp(o.share, 0.0, 1.0)));
    const bool uv = o.uv && !surface.mesh().uvs().empty();
    requireMemory(bytesPerPoint(uv) * double(count), o.memoryLimit, double(count));
    requireCount(double(count));
    Progress::Task task(progress, "Scattering");
    auto points = std::make_shared<PointSet>();
    const PointColumns columns = makePointColumns(points->attributes, count, uv);
    parallelRanges(count, 16384, progress,
                   [&](size_t begin, size_t end) { fillPiece(surface, o.seed, begin, end, columns); });
    return masked(points, o.mask, o.seed, progress);
}

namespace {

Geometry applyScatter(const StepInput& in) {
    const Surface& surface = surfaceOf(in);
    ScatterOptions o;
    const bool byDensity = in.params[kScatter.amount] == "density";
    const double wanted = byDensity ? std::round(in.params[kScatter.density] * surface.area())
                                    : double(in.params[kScatter.count]);
    // With what later steps add, and what the cache keeps of each.
    requireMemory(160.0 * wanted * in.share, in.memoryLimit, wanted * in.share);
    o.count = size_t(wanted);
    o.seed = uint64_t(in.params[kScatter.seed]);
    o.mask = in.params[kScatter.mask];
    o.share = in.share;
    o.memoryLimit = in.memoryLimit;
    return scatterOnSurface(surface, o, in.progress);
}

}  // namespace

StepType scatterStep() {
    return {.id = "scatter",
            .title = "Scatter on surface",
            .phase = Phase::Place,
            .help = "Strews points over the surface at random, evenly by area",
            .takes = GeometryKind::Nothing,
            .gives = GeometryKind::Points,
            .params = kScatter.specs(),
            .masked = true,
            .apply = applyScatter};
}

}  // namespace ovrix::ops
