#include "ops/style/coil.h"

#include "ops/groom/grow.h"
#include "ops/style/curl.h"

namespace ovrix::ops {

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
    o.effect = effectOf(in);
    o.radius = in.params.varying("radius");
    o.turns = in.params.varying("turns");
    o.perTurn = int(in.params.integer("per_turn"));
    o.thickness = 0.001f * float(in.params.number("thickness"));
    o.memoryLimit = in.memoryLimit;
    return coil(*strandsOf(in), o, in.progress);
}

StepType coilStep() {
    using namespace specs;
    return {.id = "coil",
            .title = "Coil",
            .phase = Phase::Shape,
            .help = "Springs and coils: winds each strand about its path with one radius and thickness",
            .takes = GeometryKind::Strands,
            .gives = GeometryKind::Strands,
            .params = Specs{drivable(number("radius", "Radius", 0.01, "m", 0, 1e4, 0, 0.1, "Off the path")),
                            drivable(number("turns", "Turns", 8, "", -1e4, 1e4, 0, 40, "From root to tip")),
                            whole("per_turn", "Points a turn", 16, 4, 256, 6, 48, "More are rounder"),
                            number("thickness", "Thickness", 1, "mm", 0, 1e6, 0, 20,
                                   "Of the wire, everywhere; 0 keeps the width it has")} +
                      effectSpecs({{0, 1}, {1, 1}}, "Another number, other starts"),
            .apply = applyCoil};
}

}  // namespace ovrix::ops
