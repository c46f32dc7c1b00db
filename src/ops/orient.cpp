#include "ops/orient.h"

#include "base/parallel.h"

namespace ovrix {

Quatf turnToUp(const V3f& up) {
    if (up.y < -0.999999f) return Quatf(0.0f, V3f(1, 0, 0));         // half a turn: any level axis will do
    return Quatf(1.0f + up.y, V3f(up.z, 0.0f, -up.x)).normalized();  // (1 + Y.up, Y x up)
}

static Quatf turnAround(const V3f& axis, float angle) {
    return Quatf(std::cos(angle * 0.5f), axis * std::sin(angle * 0.5f));
}

std::shared_ptr<const PointSet> orientPoints(const PointSet& points, const OrientOptions& o,
                                             Progress& progress) {
    Progress::Task task(progress, "Orienting");
    auto out = std::make_shared<PointSet>(points);
    const Samples samples = samplesOf(points.attributes);
    const std::vector<float> toUp = o.toUp.over(samples);
    const std::vector<float> roll = o.roll.over(samples, o.seed, Stream::Roll);
    const std::vector<float> tilt = o.tilt.over(samples, o.seed, Stream::Tilt);
    auto orient = out->attributes.add<Quatf>("orient");
    parallelFor(points.size(), progress, [&](size_t i) {
        const V3f normal = samples.normal.empty() ? V3f(0, 1, 0) : samples.normal[i];
        V3f up = normal + (V3f(0, 1, 0) - normal) * toUp[i];
        up = up.length() > 1e-6f ? up.normalized() : normal;
        const float side = 2.0f * kPi * random1(o.seed, samples.id[i], Stream::TiltAxis);
        const V3f axis(std::cos(side), 0.0f, std::sin(side));
        orient[i] =
            turnToUp(up) * turnAround(axis, radians(tilt[i])) * turnAround(V3f(0, 1, 0), radians(roll[i]));
    });
    return out;
}

static Geometry applyOrient(const StepInput& in) {
    OrientOptions o;
    o.toUp = in.params.driven("to_up");
    o.roll = in.params.drivenRange("roll");
    o.tilt = in.params.drivenRange("tilt");
    o.seed = uint64_t(in.params.integer("seed"));
    return orientPoints(*std::get<std::shared_ptr<const PointSet>>(in.in), o, in.progress);
}

StepType orientStep() {
    return {.id = "orient",
            .title = "Orient",
            .phase = Phase::Shape,
            .help = "Stands elements on the surface, upright or between, with a roll and a tilt of their own",
            .takes = GeometryKind::Points,
            .gives = GeometryKind::Points,
            .params = {{.id = "to_up",
                        .title = "Upright",
                        .initial = 0.0,
                        .hardMin = 0,
                        .hardMax = 1,
                        .drivable = true,
                        .help = "0 stands along the surface's normal, 1 straight up"},
                       {.id = "roll",
                        .title = "Roll",
                        .type = ParamType::Range,
                        .initial = Range{0, 360},
                        .unit = "deg",
                        .hardMin = -3600,
                        .hardMax = 3600,
                        .softMin = 0,
                        .softMax = 360,
                        .drivable = true,
                        .help = "Turn around its own axis, picked between the two"},
                       {.id = "tilt",
                        .title = "Tilt",
                        .type = ParamType::Range,
                        .initial = Range{0, 0},
                        .unit = "deg",
                        .hardMin = -180,
                        .hardMax = 180,
                        .softMin = 0,
                        .softMax = 90,
                        .drivable = true,
                        .help = "Lean to a random side, picked between the two"},
                       seedSpec("Another number, other turns")},
            .apply = applyOrient};
}

}  // namespace ovrix
