#include "ops/points/vary_size.h"

#include "base/parallel.h"
#include "params/specs.h"

namespace ovrix::ops {

std::shared_ptr<const PointSet> varySize(const PointSet& points, const VarySizeOptions& o,
                                         Progress& progress) {
    Progress::Task task(progress, "Sizing");
    auto out = std::make_shared<PointSet>(points);
    const Samples samples = samplesOf(points.attributes);
    VaryingRange unit = o.between;
    unit.min = 0.0f, unit.max = 1.0f;
    const std::vector<float> t = unit.over(samples, o.seed, Stream::Size, progress);
    const float power = 1.0f + 7.0f * std::clamp(o.small, 0.0f, 1.0f);
    auto scale = out->attributes.add<float>("scale", 1.0f);
    parallelFor(points.size(), progress, [&](size_t i) {
        const float x = power == 1.0f ? t[i] : std::pow(std::max(t[i], 0.0f), power);
        scale[i] *= lerp(o.between.min, o.between.max, x);
    });
    if (!o.byAxis) return out;
    auto stretch = out->attributes.add<V3f>("stretch", V3f(1.0f));
    const Stream streams[] = {Stream::Width, Stream::Height, Stream::Depth};
    for (int axis = 0; axis < 3; ++axis) {
        const std::vector<float> factor = o.axis[axis].over(samples, o.seed, streams[axis], progress);
        parallelFor(points.size(), progress, [&](size_t i) { stretch[i][axis] *= factor[i]; });
    }
    return out;
}

static Geometry applyVarySize(const StepInput& in) {
    VarySizeOptions o;
    o.between = in.params.varyingRange("between");
    o.small = float(in.params.number("small"));
    o.byAxis = in.params.text("form") == "by axis";
    o.axis[0] = in.params.varyingRange("width");
    o.axis[1] = in.params.varyingRange("height");
    o.axis[2] = in.params.varyingRange("depth");
    o.seed = uint64_t(in.params.integer("seed"));
    return varySize(*std::get<std::shared_ptr<const PointSet>>(in.in), o, in.progress);
}

StepType varySizeStep() {
    using namespace specs;
    const auto axis = [](const char* id, const char* title, const char* help) {
        return shownIf(drivable(range(id, title, Range{1, 1}, "", 0, 1e6, 0, 3, help)), "form=by axis");
    };
    return {.id = "vary_size",
            .title = "Vary size",
            .phase = Phase::Shape,
            .help = "Gives each element a size between two factors",
            .takes = GeometryKind::Points,
            .gives = GeometryKind::Points,
            .params = {drivable(range("between", "Between", Range{0.6, 1.4}, "", 0, 1e6, 0, 3,
                                      "Factors on the prototype's size; a field walks from the first to the "
                                      "second")),
                       unitNumber("small", "Favour small", 0,
                                  "0 draws all sizes alike often, 1 mostly small ones and a few large"),
                       choice("form", "Form", "kept", {"kept", "by axis"},
                              "Whether elements keep their form or stretch along their own axes"),
                       axis("width", "Width", "Factors along the element's own X"),
                       axis("height", "Height", "Factors along the element's own Y, its up"),
                       axis("depth", "Depth", "Factors along the element's own Z"),
                       seedSpec("Another number, other sizes")},
            .elementwise = true,
            .apply = applyVarySize};
}

}  // namespace ovrix::ops
