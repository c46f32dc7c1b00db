#include "ops/vary_size.h"

#include "base/parallel.h"

namespace ovrix {

std::shared_ptr<const PointSet> varySize(const PointSet& points, const VarySizeOptions& o,
                                         Progress& progress) {
    Progress::Task task(progress, "Sizing");
    auto out = std::make_shared<PointSet>(points);
    const Samples samples = samplesOf(points.attributes);
    DrivenRange unit = o.between;
    unit.min = 0.0f, unit.max = 1.0f;
    const std::vector<float> t = unit.over(samples, o.seed, Stream::Size);
    const float power = 1.0f + 7.0f * std::clamp(o.small, 0.0f, 1.0f);
    auto scale = out->attributes.add<float>("scale", 1.0f);
    parallelFor(points.size(), progress, [&](size_t i) {
        const float x = power == 1.0f ? t[i] : std::pow(std::max(t[i], 0.0f), power);
        scale[i] *= lerp(o.between.min, o.between.max, x);
    });
    return out;
}

static Geometry applyVarySize(const StepInput& in) {
    VarySizeOptions o;
    o.between = in.params.drivenRange("between");
    o.small = float(in.params.number("small"));
    o.seed = uint64_t(in.params.integer("seed"));
    return varySize(*std::get<std::shared_ptr<const PointSet>>(in.in), o, in.progress);
}

StepType varySizeStep() {
    return {
        .id = "vary_size",
        .title = "Vary size",
        .phase = Phase::Shape,
        .help = "Gives each element a size between two factors",
        .takes = GeometryKind::Points,
        .gives = GeometryKind::Points,
        .params = {{.id = "between",
                    .title = "Between",
                    .type = ParamType::Range,
                    .initial = Range{0.6, 1.4},
                    .hardMin = 0,
                    .hardMax = 1e6,
                    .softMin = 0,
                    .softMax = 3,
                    .drivable = true,
                    .help = "Factors on the prototype's size; a field walks from the first to the second"},
                   {.id = "small",
                    .title = "Favour small",
                    .initial = 0.0,
                    .hardMin = 0,
                    .hardMax = 1,
                    .help = "0 draws all sizes alike often, 1 mostly small ones and a few large"},
                   seedSpec("Another number, other sizes")},
        .apply = applyVarySize};
}

}  // namespace ovrix
