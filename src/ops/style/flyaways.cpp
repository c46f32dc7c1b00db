#include "ops/style/flyaways.h"

#include "ops/style/frizz.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct FlyawaysParams : ParamTable {
    Handle<double> fraction = add(unitNumber("fraction", "Fraction", starting(FlyawayOptions{}.fraction),
                                             "Fraction of the strands that leave"));
    Handle<Varying> away = add(drivable(number("away", "Away", startingDegrees(FlyawayOptions{}.away.high),
                                               "deg", 0, 360, 0, 120, "How far their tips turn off")));
    Handle<double> wander = add(number("wander", "Wander", starting(FlyawayOptions{}.wander), "", 0, 100, 0,
                                       2, "How unsteadily they go"));
    EffectParams effect{*this, {{0, 0}, {0.2f, 0.3f}, {1, 1}}, "Another number, others leave"};
} kFlyaways;

}  // namespace

StrandsPtr flyaways(const StrandSet& in, const FlyawayOptions& o, Progress& progress) {
    Progress::Task task(progress, "Loosening");
    const Samples samples = samplesOf(in);
    const auto ids = samples.get(channel::id);
    const auto strength = o.effect.strength.over(samples, progress), away = o.away.over(samples, progress);
    const AlongTable along(o.effect.along);
    const auto orient = in.strands.find<Quatf>("orient");
    return reshaped(
        in, progress, [&](size_t s, std::span<const V3f> from, std::span<V3f> to, StrandScratch& x) {
            const Random4 own = random4(o.effect.seed, ids[s], Stream::Fly);
            if (own[0] >= o.fraction || strength[s] == 0.0f) return;
            framesOf(orient, s, from, x);
            const float a = 2.0f * kPi * own[1];
            for (size_t i = 1; i < from.size(); ++i) {
                const V3f step = from[i] - from[i - 1];
                const V3f axis = x.normal[i] * std::cos(a) + x.tangent[i].cross(x.normal[i]) * std::sin(a);
                const float k = strength[s] * along.at(x.t[i]);
                const float half = 0.5f * away[s] * (0.5f + own[2]) * k;
                V3f bent = rotate(Quatf(std::cos(half), axis * std::sin(half)), step);
                bent += lineNoise(own.word(1), 2.5f * x.t[i] + 0.37f) * (o.wander * k * step.length());
                const float length = bent.length();
                to[i] = to[i - 1] + (length > 0.0f ? bent * (step.length() / length) : step);
            }
        });
}

static Geometry applyFlyaways(const StepInput& in) {
    FlyawayOptions o;
    o.effect = effectOf(in, kFlyaways.effect);
    o.fraction = float(in.params[kFlyaways.fraction]);
    o.away = in.params[kFlyaways.away];
    o.away.low = radians(o.away.low), o.away.high = radians(o.away.high);
    o.wander = float(in.params[kFlyaways.wander]);
    return flyaways(*strandsOf(in), o, in.progress);
}

StepType flyawaysStep() {
    return {.id = "flyaways",
            .title = "Flyaways",
            .phase = Phase::Shape,
            .help = "A few strands leave the others and go their own way",
            .takes = GeometryKind::Strands,
            .gives = GeometryKind::Strands,
            .params = kFlyaways.specs(),
            .apply = applyFlyaways};
}

}  // namespace ovrix::ops
