#include "ops/style/strand_width.h"

#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct StrandWidthParams : ParamTable {
    Handle<Varying> root =
        add(drivable(number("root", "Root", startingMillimetres(StrandWidthOptions{}.root.high), "mm", 0, 1e6,
                            0.01, 10, "Across at the root")));
    Handle<Varying> tip =
        add(drivable(number("tip", "Tip", startingMillimetres(StrandWidthOptions{}.tip.high), "mm", 0, 1e6, 0,
                            10, "Across at the tip")));
    Handle<Curve> along =
        add(profile("along", "Along", {{0, 1}, {1, 0}}, "From the root's width (1) to the tip's (0)"));
    Handle<double> variation = add(unitNumber(
        "variation", "Variation", starting(StrandWidthOptions{}.variation), "How much whole strands differ"));
    Handle<std::string> form =
        add(choice("form", "Form", "flat", {"flat", "round"},
                   "Flat ribbons that face the eye are quick and right for hair; round for what is "
                   "thick"));
    Handle<int64_t> seed = add(seedSpec("Another number, other widths"));
} kStrandWidth;

}  // namespace

StrandsPtr strandWidth(const StrandSet& in, const StrandWidthOptions& o, Progress& progress) {
    Progress::Task task(progress, "Setting widths");
    auto out = std::make_shared<StrandSet>(in);
    out->round = o.round;
    const Samples samples = samplesOf(in);
    const auto ids = samples.get(channel::id);
    const auto root = o.root.over(samples, progress), tip = o.tip.over(samples, progress);
    const AlongTable along(o.along);
    auto width = out->points.add<float>("width");
    eachStrand(in, progress, [&](size_t s, std::span<const V3f> line, StrandScratch& x) {
        alongOf(line, x.t);
        const float own = 1.0f + o.variation * (2.0f * random1(o.seed, ids[s], Stream::Width) - 1.0f);
        for (size_t i = 0; i < line.size(); ++i)
            width[in.start[s] + i] = std::max(0.0f, lerp(tip[s], root[s], along.at(x.t[i])) * own);
    });
    return out;
}

static Geometry applyStrandWidth(const StepInput& in) {
    StrandWidthOptions o;
    o.root = in.params[kStrandWidth.root];
    o.tip = in.params[kStrandWidth.tip];
    for (Varying* d : {&o.root, &o.tip}) d->low *= 0.001f, d->high *= 0.001f;
    o.along = in.params[kStrandWidth.along];
    o.variation = float(in.params[kStrandWidth.variation]);
    o.round = in.params[kStrandWidth.form] == "round";
    o.seed = uint64_t(in.params[kStrandWidth.seed]);
    return strandWidth(*strandsOf(in), o, in.progress);
}

StepType strandWidthStep() {
    return {.id = "strand_width",
            .title = "Width",
            .phase = Phase::Look,
            .help = "How thick strands are from root to tip; equal for wire and rope",
            .takes = GeometryKind::Strands,
            .gives = GeometryKind::Strands,
            .params = kStrandWidth.specs(),
            .apply = applyStrandWidth};
}

}  // namespace ovrix::ops
