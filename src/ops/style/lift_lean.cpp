#include "ops/style/lift_lean.h"

#include "base/noise.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct LiftLeanParams : ParamTable {
    Handle<Varying> lift =
        add(drivable(number("lift", "Lift", startingDegrees(LiftLeanOptions{}.lift.high), "deg", -180, 180,
                            -60, 60, "Towards the surface's normal; below 0 lays strands down")));
    Handle<Varying> lean = add(drivable(
        number("lean", "Lean", 20, "deg", -180, 180, -60, 90, "Towards the direction, no further than it")));
    Handle<V3f> toward = add(
        vector("toward", "Toward", starting(LiftLeanOptions{}.toward), "", 1, "The direction, in the world"));
    Handle<Varying> gusts =
        add(drivable(number("gusts", "Gusts", startingDegrees(LiftLeanOptions{}.gusts.high), "deg", 0, 180, 0,
                            60, "Irregular leaning, alike for all strands of a patch")));
    Handle<double> patch = add(shownIf(number("patch", "Patch", starting(LiftLeanOptions{}.patch), "m", 1e-5,
                                              1e5, 0.01, 2, "Width of what a gust takes hold of"),
                                       "gusts!=0"));
    Handle<V3f> drift = add(shownIf(vector("drift", "Drift", starting(LiftLeanOptions{}.drift), "m", 2,
                                           "Moves the gusts; key it to blow"),
                                    "gusts!=0"));
    EffectParams effect{*this, {{0, 0.5f}, {1, 1}}, "Another number, other gusts"};
} kLiftLean;

/// A unit vector turned towards another by an angle, no further; below 0 away from it, to the opposite at
/// most.
V3f turnedTowards(const V3f& d, const V3f& to, float angle) {
    const float between = std::acos(std::clamp(d.dot(to), -1.0f, 1.0f));
    const float go = std::clamp(angle, between - kPi, between);
    V3f side = to - d * d.dot(to);
    const float length = side.length();
    if (length < 1e-6f) return d;
    side /= length;
    return d * std::cos(go) + side * std::sin(go);
}

}  // namespace

StrandsPtr liftLean(const StrandSet& in, const LiftLeanOptions& o, Progress& progress) {
    Progress::Task task(progress, "Leaning");
    const Samples samples = samplesOf(in);
    const auto places = samples.get(channel::position);
    const auto normals = samples.get(channel::normal);
    const auto strength = o.effect.strength.over(samples, progress), lift = o.lift.over(samples, progress),
               lean = o.lean.over(samples, progress), gusts = o.gusts.over(samples, progress);
    const AlongTable along(o.effect.along);
    const V3f toward = o.toward.length() > 1e-6f ? o.toward.normalized() : V3f(0, -1, 0);
    V3f across, other;
    basis(toward, across, other);
    const float scale = 1.0f / std::max(o.patch, 1e-6f);
    return reshaped(
        in, progress, [&](size_t s, std::span<const V3f> from, std::span<V3f> to, StrandScratch& x) {
            if (strength[s] == 0.0f) return;
            alongOf(from, x.t);
            float gust = 0.0f, veer = 0.0f;
            if (gusts[s] != 0.0f) {
                const V3f at = (places[s] + o.drift) * scale;
                gust = gusts[s] * gradientNoise(at, uint32_t(o.effect.seed));
                veer = gusts[s] * gradientNoise(at + V3f(31.7f, 0, 0), uint32_t(o.effect.seed) + 1);
            }
            const V3f& n = normals[s];
            for (size_t i = 1; i < from.size(); ++i) {
                const V3f step = from[i] - from[i - 1];
                const float length = step.length(), k = strength[s] * along.at(x.t[i]);
                if (!(length > 0.0f)) {
                    to[i] = to[i - 1];
                    continue;
                }
                V3f d = turnedTowards(step / length, n, lift[s] * k);
                d = turnedTowards(d, toward, (lean[s] + gust) * k);
                if (veer != 0.0f) d = turnedTowards(d, across, veer * k);
                to[i] = to[i - 1] + d * length;
            }
        });
}

static Geometry applyLiftLean(const StepInput& in) {
    LiftLeanOptions o;
    o.effect = effectOf(in, kLiftLean.effect);
    const auto angle = [&](const Handle<Varying>& h) {
        Varying d = in.params[h];
        d.low = radians(d.low), d.high = radians(d.high);
        return d;
    };
    o.lift = angle(kLiftLean.lift), o.lean = angle(kLiftLean.lean), o.gusts = angle(kLiftLean.gusts);
    o.toward = in.params[kLiftLean.toward];
    o.patch = float(in.params[kLiftLean.patch]);
    o.drift = in.params[kLiftLean.drift];
    return liftLean(*strandsOf(in), o, in.progress);
}

StepType liftLeanStep() {
    return {.id = "lift_lean",
            .title = "Lift and lean",
            .phase = Phase::Shape,
            .help = "Raises strands off the surface or lays them down, and leans them over as wind does",
            .takes = GeometryKind::Strands,
            .gives = GeometryKind::Strands,
            .params = kLiftLean.specs(),
            .apply = applyLiftLean};
}

}  // namespace ovrix::ops
