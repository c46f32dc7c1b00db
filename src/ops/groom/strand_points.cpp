#include "ops/groom/strand_points.h"

#include "ops/groom/grow.h"
#include "params/param_table.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct SmoothStrandsParams : ParamTable {
    Handle<int64_t> rounds =
        add(whole("rounds", "Rounds", 3, 0, 1000, 0, 20, "How often points move to the middle"));
    EffectParams effect{*this, {{0, 1}, {1, 1}}, {}};
} kSmoothStrands;

const struct ResampleParams : ParamTable {
    Handle<int64_t> points = add(whole("points", "Points", 12, 2, 4096, 3, 64, "Of each strand"));
} kResample;

}  // namespace

StrandsPtr smoothStrands(const StrandSet& in, const StrandEffect& e, int rounds, Progress& progress) {
    Progress::Task task(progress, "Smoothing strands");
    const auto strength = e.strength.over(samplesOf(in), progress);
    const AlongTable along(e.along);
    return reshaped(in, progress,
                    [&](size_t s, std::span<const V3f> from, std::span<V3f> to, StrandScratch& x) {
                        alongOf(from, x.t);
                        for (int round = 0; round < rounds; ++round) {
                            std::copy(to.begin(), to.end(), x.place.begin());
                            for (size_t i = 1; i + 1 < to.size(); ++i) {
                                const V3f middle = (x.place[i - 1] + x.place[i + 1]) * 0.5f;
                                to[i] = x.place[i] + (middle - x.place[i]) * (strength[s] * along.at(x.t[i]));
                            }
                        }
                    });
}

StepType smoothStrandsStep() {
    return {.id = "smooth_strands",
            .title = "Smooth strands",
            .phase = Phase::Shape,
            .help = "Evens bends out; roots and tips stay",
            .takes = GeometryKind::Strands,
            .gives = GeometryKind::Strands,
            .params = kSmoothStrands.specs(),
            .apply = [](const StepInput& in) -> Geometry {
                return smoothStrands(*strandsOf(in), effectOf(in, kSmoothStrands.effect),
                                     int(in.params[kSmoothStrands.rounds]), in.progress);
            }};
}

StepType resampleStep() {
    return {.id = "resample",
            .title = "Resample",
            .phase = Phase::Shape,
            .help = "Another number of points, evenly along each strand",
            .takes = GeometryKind::Strands,
            .gives = GeometryKind::Strands,
            .params = kResample.specs(),
            .apply = [](const StepInput& in) -> Geometry {
                const auto strands = strandsOf(in);
                const size_t points = size_t(in.params[kResample.points]);
                requireMemory(bytesPerStrand(points) * double(strands->size()), in.memoryLimit,
                              double(strands->size()));
                return resampled(*strands, points, in.progress);
            }};
}

}  // namespace ovrix::ops
