#include "ops/points/vary_color.h"

#include "base/parallel.h"
#include "params/param_table.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct VaryColorParams : ParamTable {
    Handle<VaryingRange> hue = add(drivable(range("hue", "Hue", Range{-6, 6}, "deg", -360, 360, -60, 60,
                                                  "Shift around the colour circle, picked between the two")));
    Handle<VaryingRange> saturation =
        add(drivable(range("saturation", "Saturation", Range{0.85, 1.15}, "", 0, 100, 0, 2,
                           "Factor, picked between the two; 0 is grey")));
    Handle<VaryingRange> brightness = add(drivable(range("brightness", "Brightness", Range{0.8, 1.2}, "", 0,
                                                         100, 0, 2, "Factor, picked between the two")));
    Handle<int64_t> seed = add(seedSpec("Another number, other shifts"));
} kVaryColor;

}  // namespace

std::shared_ptr<const PointSet> varyColor(const PointSet& points, const VaryColorOptions& o,
                                          Progress& progress) {
    Progress::Task task(progress, "Colouring");
    auto out = std::make_shared<PointSet>(points);
    const Samples samples = samplesOf(points.attributes);
    const std::vector<float> hue = o.hue.over(samples, o.seed, Stream::Hue, progress);
    const std::vector<float> saturation = o.saturation.over(samples, o.seed, Stream::Saturation, progress);
    const std::vector<float> brightness = o.brightness.over(samples, o.seed, Stream::Brightness, progress);
    auto tint = out->attributes.add<V3f>("tint", V3f(0, 1, 1));
    parallelFor(points.size(), progress, [&](size_t i) {
        tint[i] = V3f(tint[i].x + hue[i] / 360.0f, tint[i].y * saturation[i], tint[i].z * brightness[i]);
    });
    return out;
}

static Geometry applyVaryColor(const StepInput& in) {
    VaryColorOptions o;
    o.hue = in.params[kVaryColor.hue];
    o.saturation = in.params[kVaryColor.saturation];
    o.brightness = in.params[kVaryColor.brightness];
    o.seed = uint64_t(in.params[kVaryColor.seed]);
    return varyColor(*std::get<std::shared_ptr<const PointSet>>(in.in), o, in.progress);
}

StepType varyColorStep() {
    return {.id = "vary_color",
            .title = "Vary colour",
            .phase = Phase::Look,
            .help = "Shifts each element's colour, on top of its material",
            .takes = GeometryKind::Points,
            .gives = GeometryKind::Points,
            .params = kVaryColor.specs(),
            .elementwise = true,
            .apply = applyVaryColor};
}

}  // namespace ovrix::ops
