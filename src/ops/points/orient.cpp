#include "ops/points/orient.h"

#include "base/parallel.h"
#include "geo/surface/surface.h"
#include "ops/place/along.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

ParamSpec angle(const char* id, const char* title, Range initial, double hard, Range soft, const char* help) {
    return drivable(range(id, title, initial, "deg", -hard, hard, soft.min, soft.max, help));
}

/// What a side of elements is turned to: all that an Aim may be, of which only what its kind asks for is
/// shown.
struct AimParams {
    Handle<std::string> kind;
    Handle<V3f> direction, point;
    Handle<std::string> object;
    Handle<Refs> curves;
};

const struct OrientParams : ParamTable {
    AimParams up{
        add(choice("up", "Align up to", "up", {"up", "direction", "point", "object", "curve"},
                   "What elements stand towards where the next number is 1")),
        add(shownIf(vector("up_direction", "Direction", V3d(0, 1, 0), "", 1, "Its length does not matter"),
                    "up=direction")),
        add(shownIf(vector("up_point", "Point", V3d(0, 1, 0), "m", 5, "In the world"), "up=point")),
        add(shownIf(ref("up_object", "Object", "object", "Its nearest point is aimed at"), "up=object")),
        add(shownIf(refs("up_curves", "Curves", "curve", "They stand along the nearest"), "up=curve"))};
    Handle<Varying> toUp =
        add(drivable(unitNumber("to_up", "Upright", starting(OrientOptions{}.toUp),
                                "0 stands along the surface's normal, 1 as chosen above")));
    AimParams front{
        add(choice("front", "Aim at", "free", {"free", "direction", "point", "object", "downhill", "curve"},
                   "What the front of each element, its Z, is turned to before the roll")),
        add(shownIf(vector("front_direction", "Direction", V3d(0, 0, 1), "", 1, "Its length does not matter"),
                    "front=direction")),
        add(shownIf(vector("front_point", "Point", V3d(0), "m", 5, "In the world"), "front=point")),
        add(shownIf(ref("front_object", "Object", "object", "Its nearest point is looked at"),
                    "front=object")),
        add(shownIf(refs("front_curves", "Curves", "curve", "They look along the nearest"), "front=curve"))};
    Handle<VaryingRange> roll = add(angle("roll", "Roll", Range{0, 360}, 3600, Range{0, 360},
                                          "Turn around its own axis, picked between the two"));
    Handle<VaryingRange> tilt = add(angle("tilt", "Tilt", Range{0, 0}, 180, Range{0, 90},
                                          "Lean to a random side, picked between the two"));
    Handle<int64_t> seed = add(seedSpec("Another number, other turns"));
} kOrient;

}  // namespace

Quatf turnToUp(const V3f& up) {
    if (up.y < -0.999999f) return Quatf(0.0f, V3f(1, 0, 0));         // half a turn: any level axis will do
    return Quatf(1.0f + up.y, V3f(up.z, 0.0f, -up.x)).normalized();  // (1 + Y.up, Y x up)
}

static Quatf turnAround(const V3f& axis, float angle) {
    return Quatf(std::cos(angle * 0.5f), axis * std::sin(angle * 0.5f));
}

Quatf lean(uint64_t seed, uint64_t id, float degrees) {
    const float side = 2.0f * kPi * random1(seed, id, Stream::TiltAxis);
    return turnAround(V3f(std::cos(side), 0.0f, std::sin(side)), radians(degrees));
}

V3f Aim::from(const V3f& position, const V3f& normal) const {
    const auto unit = [](const V3f& v) { return v.length() > 1e-9f ? v.normalized() : V3f(0.0f); };
    switch (kind) {
        case Up:
            return V3f(0, 1, 0);
        case Direction:
            return unit(vector);
        case Point:
            return unit(vector - position);
        case Surface:
            return unit(surface->closest(position).position - position);
        case Tangent: {
            const auto near = curves->closest(position);
            return near ? near->place.tangent : V3f(0.0f);
        }
        case Downhill:
            return unit(normal * normal.y - V3f(0, 1, 0));  // down, along the surface
        case Free:
            break;
    }
    return V3f(0.0f);
}

/// The turn about +Y that makes an element which stands along @p up look to @p front.
static Quatf turnToFront(const Quatf& up, const V3f& front) {
    const V3f local = rotate(up.inverse(), front);
    if (local.x * local.x + local.z * local.z < 1e-12f) return Quatf();
    return turnAround(V3f(0, 1, 0), std::atan2(local.x, local.z));
}

std::shared_ptr<const PointSet> orientPoints(const PointSet& points, const OrientOptions& o,
                                             Progress& progress) {
    Progress::Task task(progress, "Orienting");
    auto out = std::make_shared<PointSet>(points);
    const Samples samples = samplesOf(points.attributes);
    const auto ids = samples.get(channel::id);
    const auto places = samples.get(channel::position);
    const auto normals = samples.get(channel::normal);
    const std::vector<float> toUp = o.toUp.over(samples, progress);
    const std::vector<float> roll = o.roll.over(samples, o.seed, Stream::Roll, progress);
    const std::vector<float> tilt = o.tilt.over(samples, o.seed, Stream::Tilt, progress);
    auto orient = out->attributes.add<Quatf>("orient");
    parallelFor(points.size(), progress, [&](size_t i) {
        const V3f normal = normals.empty() ? V3f(0, 1, 0) : normals[i];
        const V3f aim = toUp[i] != 0.0f ? o.up.from(places[i], normal) : normal;
        V3f up = normal + (aim - normal) * toUp[i];
        up = up.length() > 1e-6f ? up.normalized() : normal;
        Quatf turn = turnToUp(up);
        if (o.front.kind != Aim::Free) turn = turn * turnToFront(turn, o.front.from(places[i], normal));
        orient[i] = turn * lean(o.seed, ids[i], tilt[i]) * turnAround(V3f(0, 1, 0), radians(roll[i]));
    });
    return out;
}

static Aim aimOf(const StepInput& in, const AimParams& p) {
    static const std::map<std::string, Aim::Kind> kinds = {
        {"up", Aim::Up},          {"direction", Aim::Direction}, {"point", Aim::Point},
        {"object", Aim::Surface}, {"downhill", Aim::Downhill},   {"curve", Aim::Tangent},
        {"free", Aim::Free}};
    Aim aim;
    aim.kind = kinds.at(in.params[p.kind]);
    aim.vector = in.params[aim.kind == Aim::Point ? p.point : p.direction];
    if (aim.kind == Aim::Tangent) aim.curves = curvesOf(in, p.curves);
    if (aim.kind != Aim::Surface) return aim;
    const std::string& id = in.params[p.object];
    if (id.empty()) throw Error("has no object to turn to", {}, "Choose one");
    if (!in.query) throw Error("cannot see other objects here");
    aim.surface = in.query->surface(id);
    return aim;
}

static Geometry applyOrient(const StepInput& in) {
    OrientOptions o;
    o.toUp = in.params[kOrient.toUp];
    o.up = aimOf(in, kOrient.up);
    o.front = aimOf(in, kOrient.front);
    o.roll = in.params[kOrient.roll];
    o.tilt = in.params[kOrient.tilt];
    o.seed = uint64_t(in.params[kOrient.seed]);
    return orientPoints(*std::get<std::shared_ptr<const PointSet>>(in.in), o, in.progress);
}

StepType orientStep() {
    return {.id = "orient",
            .title = "Orient",
            .phase = Phase::Shape,
            .help = "Stands elements on the surface, upright or between, with a roll and a tilt of their own",
            .takes = GeometryKind::Points,
            .gives = GeometryKind::Points,
            .params = kOrient.specs(),
            .elementwise = true,
            .apply = applyOrient};
}

}  // namespace ovrix::ops
