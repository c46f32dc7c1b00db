#include "ops/style/curl.h"

namespace ovrix::ops {

using namespace specs;

namespace {

struct CurlParams : ParamTable {
    CurlParams(const ParamSpec& radiusSpec, const ParamSpec& turnsSpec, double startValue)
        : radius(add(drivable(radiusSpec))),
          turns(add(drivable(turnsSpec))),
          start(add(unitNumber("start", "Random start", startValue,
                               "0 all begin alike, so that neighbours lie together; 1 anywhere"))) {}
    Handle<Varying> radius, turns;
    Handle<double> start;
    EffectParams effect{*this, {{0, 0}, {0.25f, 0.8f}, {1, 1}}, "Another number, other starts"};
};

const CurlParams kCurl(number("radius", "Radius", 0.004, "m", 0, 1e4, 0, 0.05,
                              "How far strands wind off their path"),
                       number("turns", "Turns", 3, "", 0, 1e4, 0, 20, "From root to tip"), 0.15);
const CurlParams kWave(number("radius", "Height", 0.004, "m", 0, 1e4, 0, 0.05,
                              "How far strands sway off their path"),
                       number("turns", "Waves", 4, "", 0, 1e4, 0, 20, "To and fro, from root to tip"), 0.3);

}  // namespace

StrandsPtr curl(const StrandSet& in, const CurlOptions& o, Progress& progress) {
    Progress::Task task(progress, o.flat ? "Waving" : "Curling");
    const Samples samples = samplesOf(in);
    const auto ids = samples.get(channel::id);
    const auto strength = o.effect.strength.over(samples, progress);
    const auto radius = o.radius.over(samples, progress), turns = o.turns.over(samples, progress);
    const AlongTable along(o.effect.along);
    const auto orient = in.strands.find<Quatf>("orient");
    return reshaped(
        in, progress, [&](size_t s, std::span<const V3f> from, std::span<V3f> to, StrandScratch& x) {
            const float size = radius[s] * strength[s];
            if (size == 0.0f) return;
            framesOf(orient, s, from, x);
            const Random4 own = random4(o.effect.seed, ids[s], Stream::Curl);
            const float phase = o.start * own[0], lie = o.flat ? 2.0f * kPi * own[1] * o.start : 0.0f;
            const float c0 = std::cos(lie), s0 = std::sin(lie);
            for (size_t i = 0; i < from.size(); ++i) {
                const float r = size * along.at(x.t[i]);
                const float angle = 2.0f * kPi * (turns[s] * x.t[i] + phase);
                const V3f n = x.normal[i], b = x.tangent[i].cross(n);
                to[i] = from[i] + (o.flat ? (n * c0 + b * s0) * (r * std::sin(angle))
                                          : (n * std::cos(angle) + b * std::sin(angle)) * r);
            }
        });
}

namespace {

CurlOptions optionsOf(const StepInput& in, const CurlParams& p) {
    CurlOptions o;
    o.effect = effectOf(in, p.effect);
    o.radius = in.params[p.radius];
    o.turns = in.params[p.turns];
    o.start = float(in.params[p.start]);
    return o;
}

StepType stepOf(bool flat, const CurlParams& params) {
    return {.id = flat ? "wave" : "curl",
            .title = flat ? "Wave" : "Curl",
            .phase = Phase::Shape,
            .help = flat ? "Strands sway to and fro" : "Strands wind into curls",
            .takes = GeometryKind::Strands,
            .gives = GeometryKind::Strands,
            .params = params.specs(),
            .apply = [flat, &params](const StepInput& in) -> Geometry {
                CurlOptions o = optionsOf(in, params);
                o.flat = flat;
                return curl(*strandsOf(in), o, in.progress);
            }};
}

}  // namespace

StepType curlStep() { return stepOf(false, kCurl); }
StepType waveStep() { return stepOf(true, kWave); }

}  // namespace ovrix::ops
