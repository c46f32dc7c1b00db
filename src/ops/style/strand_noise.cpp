#include "ops/style/strand_noise.h"

#include "base/noise.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct StrandNoiseParams : ParamTable {
    Handle<Varying> amplitude =
        add(drivable(number("amplitude", "Amplitude", starting(StrandNoiseOptions{}.amplitude), "m", 0, 1e4,
                            0, 0.1, "How far points are moved")));
    Handle<double> size = add(number("size", "Size", starting(StrandNoiseOptions{}.size), "m", 1e-6, 1e5,
                                     0.005, 1, "Width of a bend"));
    Handle<int64_t> octaves = add(whole("octaves", "Octaves", starting(StrandNoiseOptions{}.octaves), 1, 8, 1,
                                        5, "Finer bends over coarse ones"));
    Handle<V3f> drift = add(vector("drift", "Drift", starting(StrandNoiseOptions{}.drift), "m", 2,
                                   "Moves the noise through the strands"));
    EffectParams effect{*this, {{0, 0}, {0.4f, 0.5f}, {1, 1}}, "Another number, other noise"};
} kStrandNoise;

}  // namespace

StrandsPtr strandNoise(const StrandSet& in, const StrandNoiseOptions& o, Progress& progress) {
    Progress::Task task(progress, "Displacing strands");
    const Samples samples = samplesOf(in);
    const auto strength = o.effect.strength.over(samples, progress),
               amplitude = o.amplitude.over(samples, progress);
    const AlongTable along(o.effect.along);
    const FractalOptions fractal{o.octaves, 0.5f, 2.0f, NoiseKind::Soft};
    const float scale = 1.0f / std::max(o.size, 1e-6f);
    const uint32_t seed = uint32_t(o.effect.seed);
    return reshaped(
        in, progress, [&](size_t s, std::span<const V3f> from, std::span<V3f> to, StrandScratch& x) {
            const float size = strength[s] * amplitude[s];
            if (size == 0.0f) return;
            alongOf(from, x.t);
            for (size_t i = 0; i < from.size(); ++i) {
                const float k = size * along.at(x.t[i]);
                if (k == 0.0f) continue;
                const V3f at = (from[i] + o.drift) * scale;
                to[i] += V3f(fractalNoise(at, seed, fractal), fractalNoise(at, seed + 7919u, fractal),
                             fractalNoise(at, seed + 104729u, fractal)) *
                         k;
            }
        });
}

static Geometry applyStrandNoise(const StepInput& in) {
    StrandNoiseOptions o;
    o.effect = effectOf(in, kStrandNoise.effect);
    o.amplitude = in.params[kStrandNoise.amplitude];
    o.size = float(in.params[kStrandNoise.size]);
    o.octaves = int(in.params[kStrandNoise.octaves]);
    o.drift = in.params[kStrandNoise.drift];
    return strandNoise(*strandsOf(in), o, in.progress);
}

StepType strandNoiseStep() {
    return {.id = "strand_noise",
            .title = "Displace strands",
            .phase = Phase::Shape,
            .help = "Moves points by noise in space, so that neighbours move together",
            .takes = GeometryKind::Strands,
            .gives = GeometryKind::Strands,
            .params = kStrandNoise.specs(),
            .apply = applyStrandNoise};
}

}  // namespace ovrix::ops
