#include "ops/style/strand_width.h"

namespace ovrix::ops {

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
    o.root = in.params.varying("root");
    o.tip = in.params.varying("tip");
    for (Varying* d : {&o.root, &o.tip}) d->low *= 0.001f, d->high *= 0.001f;
    o.along = in.params.profile("along");
    o.variation = float(in.params.number("variation"));
    o.round = in.params.text("form") == "round";
    o.seed = uint64_t(in.params.integer("seed"));
    return strandWidth(*strandsOf(in), o, in.progress);
}

StepType strandWidthStep() {
    using namespace specs;
    return {
        .id = "strand_width",
        .title = "Width",
        .phase = Phase::Look,
        .help = "How thick strands are from root to tip; equal for wire and rope",
        .takes = GeometryKind::Strands,
        .gives = GeometryKind::Strands,
        .params = {drivable(number("root", "Root", 0.4, "mm", 0, 1e6, 0.01, 10, "Across at the root")),
                   drivable(number("tip", "Tip", 0.05, "mm", 0, 1e6, 0, 10, "Across at the tip")),
                   profile("along", "Along", {{0, 1}, {1, 0}}, "From the root's width (1) to the tip's (0)"),
                   unitNumber("variation", "Variation", 0.2, "How much whole strands differ"),
                   choice("form", "Form", "flat", {"flat", "round"},
                          "Flat ribbons that face the eye are quick and right for hair; round for what is "
                          "thick"),
                   seedSpec("Another number, other widths")},
        .apply = applyStrandWidth};
}

}  // namespace ovrix::ops
