#include "ops/style/coil.h"

#include "ops/groom/grow.h"
#include "ops/style/curl.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct CoilParams : ParamTable {
    Handle<Varying> radius = add(drivable(
        number("radius", "Radius", starting(CoilOptions{}.radius), "m", 0, 1e4, 0, 0.1, "Off the path")));
    Handle<Varying> turns = add(drivable(
        number("turns", "Turns", starting(CoilOptions{}.turns), "", -1e4, 1e4, 0, 40, "From root to tip")));
    Handle<int64_t> perTurn = add(whole("per_turn", "Points a turn", starting(CoilOptions{}.perTurn), 4, 256,
                                        6, 48, "More are rounder"));
    Handle<double> thickness =
        add(number("thickness", "Thickness", startingMillimetres(CoilOptions{}.thickness), "mm", 0, 1e6, 0,
                   20, "Of the wire, everywhere; 0 keeps the width it has"));
    EffectParams effect{*this, {{0, 1}, {1, 1}}, "Another number, other starts"};
} kCoil;

}  // namespace

StrandsPtr coil(const StrandSet& in, const CoilOptions& o, Progress& progress) {
    const auto turns = o.turns.over(samplesOf(in), progress);
    float most = 0.0f;
    for (float t : turns) most = std::max(most, std::abs(t));
    const double points = std::clamp(double(most) * std::clamp(o.perTurn, 4, 256) + 1.0, 2.0, 1e6);
    requireMemory(bytesPerStrand(size_t(points)) * double(in.size()), o.memoryLimit, double(in.size()));
    CurlOptions c;
    c.effect = o.effect;
    c.radius = o.radius;
    c.turns = o.turns;
    c.start = 1.0f;
    const auto made =
        std::make_shared<StrandSet>(*curl(*resampled(in, size_t(points), progress), c, progress));
    made->round = true;
    if (o.thickness > 0.0f) {
        made->points.remove("width");
        made->points.add<float>("width", o.thickness);
    }
    return made;
}

static Geometry applyCoil(const StepInput& in) {
    CoilOptions o;
    o.effect = effectOf(in, kCoil.effect);
    o.radius = in.params[kCoil.radius];
    o.turns = in.params[kCoil.turns];
    o.perTurn = int(in.params[kCoil.perTurn]);
    o.thickness = 0.001f * float(in.params[kCoil.thickness]);
    o.memoryLimit = in.memoryLimit;
    return coil(*strandsOf(in), o, in.progress);
}

StepType coilStep() {
    return {.id = "coil",
            .title = "Coil",
            .phase = Phase::Shape,
            .help = "Springs and coils: winds each strand about its path with one radius and thickness",
            .takes = GeometryKind::Strands,
            .gives = GeometryKind::Strands,
            .params = kCoil.specs(),
            .apply = applyCoil};
}

}  // namespace ovrix::ops
