#include "ops/style/strand_length.h"

#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct StrandLengthParams : ParamTable {
    Handle<std::string> by = add(choice("by", "By", "scaling", {"scaling", "cutting"},
                                        "Scaling keeps a strand's shape; cutting takes its tip off"));
    Handle<VaryingRange> factor =
        add(drivable(range("factor", "Factor", starting(StrandLengthOptions{}.factor), "", 0, 1e3, 0, 2,
                           "Each strand picks one between; a field walks from the first to the "
                           "second")));
    Handle<Varying> strength =
        add(drivable(unitNumber("strength", "Strength", starting(StrandLengthOptions{}.strength),
                                "How much each strand takes part; a field says where")));
    Handle<double> longest = add(number("longest", "At most", starting(StrandLengthOptions{}.longest), "m", 0,
                                        1e6, 0, 1, "Cuts what is longer; 0 cuts nothing"));
    Handle<double> shortest = add(number("shortest", "At least", starting(StrandLengthOptions{}.shortest),
                                         "m", 0, 1e6, 0, 0.1, "Takes out what is shorter"));
    Handle<int64_t> seed = add(seedSpec("Another number, other lengths"));
} kStrandLength;

/// Without its tip: the points spread over the first part of the length. @p factor above 1 goes straight on.
void cutTo(std::span<const V3f> from, float factor, std::span<V3f> to, StrandScratch& x) {
    for (size_t i = 0; i < from.size(); ++i) to[i] = placeAlong(from, x.t, x.t[i] * factor);
}

}  // namespace

StrandsPtr strandLength(const StrandSet& in, const StrandLengthOptions& o, Progress& progress) {
    Progress::Task task(progress, "Cutting");
    const Samples samples = samplesOf(in);
    const auto strength = o.strength.over(samples, progress);
    const auto factor = o.factor.over(samples, o.seed, Stream::Length, progress);
    std::vector<uint8_t> stays(in.size(), 1);
    const auto made =
        reshaped(in, progress, [&](size_t s, std::span<const V3f> from, std::span<V3f> to, StrandScratch& x) {
            float f = std::max(0.0f, 1.0f + (factor[s] - 1.0f) * strength[s]);
            const float length = lengthOf(from);
            if (f != 1.0f && (!o.cut || f > 1.0f)) {
                for (size_t i = 1; i < from.size(); ++i) to[i] = from[0] + (from[i] - from[0]) * f;
                std::copy(to.begin(), to.end(), x.place.begin());
            } else {
                std::copy(from.begin(), from.end(), x.place.begin());
            }
            const float now = o.cut && f <= 1.0f ? length : length * f;
            float keep = o.cut && f < 1.0f ? f : 1.0f;
            if (o.longest > 0.0f && now > 0.0f) keep = std::min(keep, o.longest / now);
            stays[s] = now * keep >= o.shortest && now * keep > 0.0f;
            if (keep >= 1.0f) return;
            const std::span<const V3f> path(x.place.data(), from.size());
            alongOf(path, x.t);
            cutTo(path, keep, to, x);
        });
    std::vector<uint32_t> kept;
    for (size_t s = 0; s < stays.size(); ++s)
        if (stays[s]) kept.push_back(uint32_t(s));
    return kept.size() == stays.size() ? made : std::get<StrandsPtr>(gathered(made, kept));
}

static Geometry applyStrandLength(const StepInput& in) {
    StrandLengthOptions o;
    o.strength = in.params[kStrandLength.strength];
    o.factor = in.params[kStrandLength.factor];
    o.cut = in.params[kStrandLength.by] == "cutting";
    o.shortest = float(in.params[kStrandLength.shortest]);
    o.longest = float(in.params[kStrandLength.longest]);
    o.seed = uint64_t(in.params[kStrandLength.seed]);
    return strandLength(*strandsOf(in), o, in.progress);
}

StepType strandLengthStep() {
    return {.id = "strand_length",
            .title = "Length",
            .phase = Phase::Shape,
            .help = "Varies the length of strands, or cuts their tips off",
            .takes = GeometryKind::Strands,
            .gives = GeometryKind::Strands,
            .params = kStrandLength.specs(),
            .apply = applyStrandLength};
}

}  // namespace ovrix::ops
