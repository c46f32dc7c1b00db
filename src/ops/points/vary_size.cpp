#include "ops/points/vary_size.h"

#include "base/parallel.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

ParamSpec axis(const char* id, const char* title, const char* help) {
    return shownIf(drivable(range(id, title, Range{1, 1}, "", 0, 1e6, 0, 3, help)), "form=by axis");
}

const struct VarySizeParams : ParamTable {
    Handle<VaryingRange> between =
        add(drivable(range("between", "Between", starting(VarySizeOptions{}.between), "", 0, 1e6, 0, 3,
                           "Factors on the prototype's size; a field walks from the first to the "
                           "second")));
    Handle<double> small =
        add(unitNumber("small", "Favour small", starting(VarySizeOptions{}.small),
                       "0 draws all sizes alike often, 1 mostly small ones and a few large"));
    Handle<std::string> form =
        add(choice("form", "Form", "uniform", {"uniform", "by axis"},
                   "Whether elements keep their form or stretch along their own axes"));
    Handle<VaryingRange> width = add(axis("width", "Width", "Factors along the element's own X"));
    Handle<VaryingRange> height = add(axis("height", "Height", "Factors along the element's own Y, its up"));
    Handle<VaryingRange> depth = add(axis("depth", "Depth", "Factors along the element's own Z"));
    Handle<int64_t> seed = add(seedSpec("Another number, other sizes"));
} kVarySize;

}  // namespace

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
    o.between = in.params[kVarySize.between];
    o.small = float(in.params[kVarySize.small]);
    o.byAxis = in.params[kVarySize.form] == "by axis";
    o.axis[0] = in.params[kVarySize.width];
    o.axis[1] = in.params[kVarySize.height];
    o.axis[2] = in.params[kVarySize.depth];
    o.seed = uint64_t(in.params[kVarySize.seed]);
    return varySize(*std::get<std::shared_ptr<const PointSet>>(in.in), o, in.progress);
}

StepType varySizeStep() {
    return {.id = "vary_size",
            .title = "Vary size",
            .phase = Phase::Shape,
            .help = "Gives each element a size between two factors",
            .takes = GeometryKind::Points,
            .gives = GeometryKind::Points,
            .params = kVarySize.specs(),
            .elementwise = true,
            .apply = applyVarySize};
}

}  // namespace ovrix::ops
