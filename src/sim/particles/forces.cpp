#include "sim/particles/forces.h"

#include "base/error.h"
#include "base/noise.h"
#include "geo/points/curve_set.h"
#include "geo/volume/vector_grid.h"
#include "params/param_table.h"
#include "sim/particles/bound_places.h"
#include "sim/particles/curl_noise.h"

namespace ovrix::sim {

using namespace specs;

namespace {

/// How far a force reaches.
struct FadingParams {
    explicit FadingParams(ParamTable& table)
        : reach(table.add(
              number("reach", "Radius", 0, "m", 0, 1e9, 0, 10, "Nothing beyond it; 0 is without end"))),
          power(table.add(
              number("fading", "Falloff", 1, "", 0, 16, 0, 4, "0 not at all, 1 evenly, more soon"))) {}
    Handle<double> reach, power;
};

ParamSpec vectorFile() {
    ParamSpec spec = file("file", "File", "A .vdb file with a grid of vectors");
    spec.refKind = "vectors";
    return spec;
}

const struct GravityParams : ParamTable {
    Handle<V3f> acceleration = add(
        vector("acceleration", "Acceleration", V3d(0, -9.81, 0), "m/s2", 20, "Acceleration along each axis"));
    Handle<Varying> strength = add(strengthOf(1, "", 1e6, 0, 2, "Factor on the pull"));
    Handle<int64_t> group = add(groupSpec());
} kGravity;

const struct DragParams : ParamTable {
    Handle<Varying> strength =
        add(strengthOf(0.5, "1/s", 1e6, 0, 10, "Fraction of the speed that is lost each second"));
    Handle<double> square = add(number("square", "With the square", 0, "1/m", 0, 1e6, 0, 5,
                                       "Grows with the speed: what is fast is slowed more"));
    Handle<int64_t> group = add(groupSpec());
} kDrag;

const struct WindParams : ParamTable {
    Handle<V3f> velocity =
        add(vector("velocity", "Velocity", V3d(2, 0, 0), "m/s", 20, "Where it goes, and how fast"));
    Handle<Varying> strength = add(strengthOf(1, "1/s", 1e6, 0, 10, "How soon particles go as fast"));
    Handle<double> gusts = add(unitNumber("gusts", "Gusts", 0.3, "Fraction by which it comes and goes"));
    Handle<double> gustRate = add(number("gust_rate", "Gusts come", 0.5, "1/s", 0, 1000, 0, 5, "How often"));
    Handle<double> gustWidth =
        add(number("gust_width", "Gusts' width", 1, "m", 1e-4, 1e6, 0.1, 10, "Across one"));
    Handle<int64_t> seed = add(seedSpec("Another number, other gusts"));
    Handle<int64_t> group = add(groupSpec());
} kWind;

const struct TurbulenceParams : ParamTable {
    Handle<std::string> mode = add(
        choice("mode", "Mode", "force", {"force", "flow"}, "An acceleration, or a flow that takes along"));
    Handle<Varying> strength = add(strengthOf(1, "", 1e6, 0, 10, "Of the push in m/s2, of the flow in m/s"));
    Handle<double> response = add(
        shownIf(number("response", "Response", 4, "1/s", 0, 1e6, 0, 20, "How soon particles go as the flow"),
                "mode=flow"));
    Handle<double> scale =
        add(number("scale", "Scale", 0.5, "m", 1e-4, 1e6, 0.02, 5, "Across the largest whirls"));
    Handle<double> speed =
        add(number("speed", "Speed", 0.2, "1/s", -1e3, 1e3, 0, 2, "How fast the whirls change"));
    Handle<V3f> drift = add(vector("drift", "Drift", V3d(0), "m/s", 2, "The whirls move on"));
    Handle<int64_t> octaves =
        add(whole("octaves", "Octaves", 3, 1, 8, 1, 6, "Smaller whirls on larger ones"));
    Handle<double> gain =
        add(number("gain", "Roughness", 0.6, "", 0, 2, 0, 1.2, "Strength of the smaller ones"));
    Handle<int64_t> seed = add(seedSpec("Another number, other whirls"));
    Handle<int64_t> group = add(groupSpec());
} kTurbulence;

const struct VortexParams : ParamTable {
    Handle<std::string> at = add(ref("at", "Parent", "object", "Moves and turns with it"));
    Handle<V3f> position =
        add(shownIf(vector("position", "Position", V3d(0), "m", 5, "A point of the axis"), "at="));
    Handle<V3f> axis = add(vector("axis", "Axis", V3d(0, 1, 0), "", 1, "Of the object where one is chosen"));
    Handle<Varying> strength = add(strengthOf(1, "", 1e6, 0, 2, "Factor on all of it"));
    Handle<double> round = add(number("round", "Swirl", 4, "m/s2", -1e6, 1e6, -20, 20, "Round the axis"));
    Handle<double> inward =
        add(number("inward", "Inward", 4, "m/s2", -1e6, 1e6, -20, 20, "Towards the axis"));
    Handle<double> along = add(number("along", "Along", 0, "m/s2", -1e6, 1e6, -20, 20, "Along the axis"));
    FadingParams falloff{*this};
    Handle<int64_t> group = add(groupSpec());
} kVortex;

const struct AttractParams : ParamTable {
    Handle<std::string> to = add(ref("to", "To", "object or layer or curve", "The nearest of it"));
    Handle<std::string> toward =
        add(shownIf(choice("toward", "Toward", "centre", {"centre", "surface"},
                           "Of an object: where it stands, or the nearest of its surface"),
                    "to!="));
    Handle<V3f> position =
        add(shownIf(vector("position", "Position", V3d(0), "m", 5, "Where it pulls to"), "to="));
    Handle<Varying> strength = add(strengthOf(5, "m/s2", 1e6, -20, 20, "Below 0 it repels"));
    FadingParams falloff{*this};
    Handle<int64_t> group = add(groupSpec());
} kAttract;

const struct FollowCurveParams : ParamTable {
    Handle<std::string> curve = add(ref("curve", "Curve", "curve", "What it goes along"));
    Handle<Varying> strength = add(strengthOf(1, "m/s", 1e5, -5, 5, "Speed along it; below 0 backward"));
    Handle<double> response = add(number("response", "Response", 3, "1/s", 0, 1e4, 0, 20, "How soon"));
    Handle<double> width =
        add(number("width", "Width", 0.1, "m", 0, 1e5, 0, 2, "As far from it they are free"));
    Handle<int64_t> group = add(groupSpec());
} kFollowCurve;

const struct StayOnParams : ParamTable {
    Handle<std::string> on =
        add(ref("on", "On", "object or layer", "The surface of the layer when none is chosen"));
    Handle<Varying> strength = add(strengthOf(30, "1/s", 1e5, 0, 100, "How soon what is off it is back"));
    Handle<double> height = add(number("height", "Height", 0, "m", -1e5, 1e5, 0, 1, "Over it"));
    Handle<double> reach =
        add(number("reach", "Radius", 0, "m", 0, 1e9, 0, 5, "What is farther is free; 0 is nothing"));
    Handle<int64_t> group = add(groupSpec());
} kStayOn;

const struct TargetParams : ParamTable {
    Handle<std::string> shape =
        add(ref("shape", "Shape", "object or layer", "Elements of a layer, or an object's surface"));
    Handle<Varying> strength =
        add(strengthOf(20, "1/s2", 1e6, 0, 100, "How hard; give it keys to form and to let go"));
    Handle<double> damping =
        add(number("damping", "Damping", 1, "", 0, 10, 0, 2, "Below 1 they swing about their place"));
    Handle<int64_t> seed = add(seedSpec("Another number, other places"));
    Handle<int64_t> group = add(groupSpec());
} kTarget;

const struct VectorsParams : ParamTable {
    Handle<std::string> file = add(vectorFile());
    Handle<std::string> grid =
        add(text("grid", "Grid", "", "Its name in the file; the first of vectors when empty"));
    Handle<std::string> at =
        add(ref("at", "Parent", "object", "Moves and turns with it; else it is where the file says"));
    Handle<std::string> mode =
        add(choice("mode", "Mode", "flow", {"force", "flow"},
                   "Vectors are accelerations, or the speed of a flow that takes along"));
    Handle<Varying> strength = add(strengthOf(1, "", 1e6, 0, 10, "Factor on the vectors"));
    Handle<double> response = add(
        shownIf(number("response", "Response", 4, "1/s", 0, 1e6, 0, 20, "How soon particles go as the flow"),
                "mode=flow"));
    Handle<int64_t> group = add(groupSpec());
} kVectors;

const struct SpeedLimitParams : ParamTable {
    Handle<Range> speed = add(range("speed", "Between", {0, 5}, "m/s", 0, 1e6, 0, 20, "Slowest and fastest"));
    Handle<Varying> strength =
        add(drivable(unitNumber("strength", "Strength", 1, "1 holds it at once, less as a fraction of it")));
    Handle<int64_t> group = add(groupSpec());
} kSpeedLimit;

struct Gravity : Force {
    V3f pull;
    Strength strength;
    explicit Gravity(const PartContext& c)
        : pull(c.params()[kGravity.acceleration]), strength(c.params(), kGravity.strength, kGravity.group) {}
    void act(ParticleBlock& b) const override {
        float s[kBlock];
        strength.over(b, s);
        for (size_t i = 0; i < b.count; ++i) b.acceleration[i] += pull * s[i];
    }
};

/// Air at rest takes speed away: by a part of it each second, and by a part that grows with the speed.
struct Drag : Force {
    Strength strength;
    float square;
    explicit Drag(const PartContext& c)
        : strength(c.params(), kDrag.strength, kDrag.group), square(float(c.params()[kDrag.square])) {}
    void act(ParticleBlock& b) const override {
        float s[kBlock];
        strength.over(b, s);
        for (size_t i = 0; i < b.count; ++i) {
            const float light = b.weight ? 1.0f / b.weight[i] : 1.0f;
            const bool mine = strength.of(b.group[i]);
            b.dragRate[i] += light * (std::max(0.0f, s[i]) + (mine ? square * b.velocity[i].length() : 0.0f));
        }
    }
};

/// Air that moves takes along; gusts are noise that goes with the wind.
struct Wind : Force {
    V3f velocity;
    Strength strength;
    Travelled moved, gustPhase;  // how far the air has gone, and how many gusts
    float gusts, width;
    uint32_t seed;
    explicit Wind(const PartContext& c)
        : velocity(c.params()[kWind.velocity]),
          strength(c.params(), kWind.strength, kWind.group),
          moved(c.travelled(kWind.velocity)),
          gustPhase(c.travelled(kWind.gustRate)) {
        const ResolvedParams& p = c.params();
        gusts = float(p[kWind.gusts]);
        width = std::max(1e-6f, float(p[kWind.gustWidth]));
        seed = uint32_t(p[kWind.seed]);
    }
    void act(ParticleBlock& b) const override {
        float s[kBlock];
        strength.over(b, s);
        const V3f travelled(moved.at(b.seconds));
        const float phase = float(gustPhase.at(b.seconds).x);
        for (size_t i = 0; i < b.count; ++i) {
            const float dragRate = std::max(0.0f, s[i]) * (b.weight ? 1.0f / b.weight[i] : 1.0f);
            b.dragRate[i] += dragRate;
            b.mediumAcceleration[i] += dragRate * windAt(b.position[i], travelled, phase);
        }
    }
    V3f windAt(const V3f& p, const V3f& travelled, float phase) const {
        if (!(gusts > 0)) return velocity;
        const V3f q = (p - travelled) / width + V3f(0, phase, 0);
        const float noise = 2.0f * fractalNoise(q, seed, {2, 0.5f, 2.0f, NoiseKind::Soft});
        return velocity * std::max(0.0f, 1.0f + gusts * noise);
    }
};

struct Turbulence : Force {
    CurlNoiseOptions options;
    Strength strength;
    Travelled turned, moved;
    bool advects;
    float response;
    explicit Turbulence(const PartContext& c)
        : strength(c.params(), kTurbulence.strength, kTurbulence.group),
          turned(c.travelled(kTurbulence.speed)),
          moved(c.travelled(kTurbulence.drift)) {
        const ResolvedParams& p = c.params();
        options.scale = float(p[kTurbulence.scale]);
        options.octaves = int(p[kTurbulence.octaves]);
        options.gain = float(p[kTurbulence.gain]);
        options.seed = uint32_t(p[kTurbulence.seed]);
        advects = p[kTurbulence.mode] == "flow";
        response = float(p[kTurbulence.response]);
    }
    void act(ParticleBlock& b) const override {
        float s[kBlock];
        V3f flow[kBlock];
        strength.over(b, s);
        CurlNoiseOptions now = options;
        now.phase = turned.at(b.seconds).x;
        const V3f travelled(moved.at(b.seconds));
        if (travelled == V3f(0.0f)) {
            curlNoise(b.position, b.count, now, flow);
        } else {
            V3f position[kBlock];
            for (size_t i = 0; i < b.count; ++i) position[i] = b.position[i] - travelled;
            curlNoise(position, b.count, now, flow);
        }
        if (!advects) {
            for (size_t i = 0; i < b.count; ++i) b.acceleration[i] += flow[i] * s[i];
            return;
        }
        for (size_t i = 0; i < b.count; ++i) {
            const bool mine = strength.of(b.group[i]);
            const float dragRate = mine ? response * (b.weight ? 1.0f / b.weight[i] : 1.0f) : 0.0f;
            b.dragRate[i] += dragRate;
            b.mediumAcceleration[i] += dragRate * flow[i] * s[i];
        }
    }
};

/// The place and axes of an object that a force stands on; the given place where none is chosen.
M44f parentMatrix(const PartContext& c, const Handle<std::string>& ref, const V3f& position) {
    const std::string& id = c.params()[ref];
    return id.empty() ? M44f().setTranslation(position) : c.query().placed(id).world;
}

/// How strong a force still is at a distance: 1 in the middle, 0 at its reach.
struct Fading {
    float reach, power;
    Fading(const ResolvedParams& p, const FadingParams& params)
        : reach(float(p[params.reach])), power(float(p[params.power])) {}
    float at(float distance) const {
        if (!(reach > 0)) return 1.0f;
        const float left = 1.0f - distance / reach;
        return left <= 0 ? 0.0f : power == 1.0f ? left : std::pow(left, power);
    }
};

struct Vortex : Force {
    V3f centre, axis;
    Strength strength;
    Fading fading;
    float round, inward, along;
    explicit Vortex(const PartContext& c)
        : strength(c.params(), kVortex.strength, kVortex.group), fading(c.params(), kVortex.falloff) {
        const M44f m = parentMatrix(c, kVortex.at, c.params()[kVortex.position]);
        centre = m.translation();
        axis = c.params()[kVortex.axis];
        if (!c.params()[kVortex.at].empty()) m.multDirMatrix(V3f(axis), axis);
        axis = axis.length() > 0 ? axis.normalized() : V3f(0, 1, 0);
        round = float(c.params()[kVortex.round]);
        inward = float(c.params()[kVortex.inward]);
        along = float(c.params()[kVortex.along]);
    }
    void act(ParticleBlock& b) const override {
        float s[kBlock];
        strength.over(b, s);
        for (size_t i = 0; i < b.count; ++i) {
            const V3f d = b.position[i] - centre, out = d - axis * d.dot(axis);
            const float r = out.length();
            if (!(r > 0) || s[i] == 0) continue;
            const V3f radial = out / r;
            b.acceleration[i] +=
                (axis.cross(radial) * round - radial * inward + axis * along) * (s[i] * fading.at(r));
        }
    }
};

struct Attract : Force {
    V3f centre;
    Strength strength;
    Fading fading;
    SurfacePtr surface;
    std::shared_ptr<const CurveSet> curve;
    std::shared_ptr<const NearestPoints> cloud;
    explicit Attract(const PartContext& c)
        : strength(c.params(), kAttract.strength, kAttract.group), fading(c.params(), kAttract.falloff) {
        const std::string& id = c.params()[kAttract.to];
        centre = c.params()[kAttract.position];
        if (id.empty()) return;
        SceneQuery& query = c.query();
        const SceneQuery::Kind kind = query.kindOf(id);
        if (kind == SceneQuery::Kind::Curve) {
            curve = query.curves(id);
        } else if (kind == SceneQuery::Kind::Layer) {
            cloud = cloudOf(query.elements(id));
        } else if (c.params()[kAttract.toward] == "surface") {
            surface = query.surface(id);
        } else {
            centre = query.placed(id).world.translation();
        }
    }
    V3f nearest(const V3f& p) const {
        const float far = fading.reach > 0 ? fading.reach : std::numeric_limits<float>::infinity();
        if (surface) {
            const SurfaceHit hit = surface->closest(p, far);
            return hit.hit ? hit.position : p;
        }
        if (curve) {
            const auto near = curve->closest(p, far);
            return near ? near->place.position : p;
        }
        if (cloud) {
            const size_t k = cloud->nearest(p, far);
            return k < cloud->size() ? cloud->points()[k] : p;
        }
        return centre;
    }
    void act(ParticleBlock& b) const override {
        float s[kBlock];
        strength.over(b, s);
        for (size_t i = 0; i < b.count; ++i) {
            if (s[i] == 0) continue;
            const V3f d = nearest(b.position[i]) - b.position[i];
            const float distance = d.length();
            // Near the middle the pull lessens, or it would throw what passes through.
            if (distance > 0)
                b.acceleration[i] += d * (s[i] * fading.at(distance) / std::max(distance, 0.02f));
        }
    }
};

struct Follow : Force {
    std::shared_ptr<const CurveSet> curve;
    Strength strength;
    float response, width;
    explicit Follow(const PartContext& c) : strength(c.params(), kFollowCurve.strength, kFollowCurve.group) {
        const std::string& id = c.params()[kFollowCurve.curve];
        if (id.empty())
            throw NothingToActOn("has no curve to follow", {}, "Choose a curve, or draw one in the view");
        curve = c.query().curves(id);
        response = float(c.params()[kFollowCurve.response]);
        width = float(c.params()[kFollowCurve.width]);
    }
    void act(ParticleBlock& b) const override {
        float s[kBlock];
        strength.over(b, s);
        for (size_t i = 0; i < b.count; ++i) {
            const bool mine = strength.of(b.group[i]);
            const auto near = mine ? curve->closest(b.position[i]) : std::nullopt;
            if (!near) continue;
            const V3f d = near->place.position - b.position[i];
            const float outside = std::max(0.0f, near->distance - width);
            const V3f pull = near->distance > 0 ? d * (outside / near->distance) : V3f(0.0f);
            b.dragRate[i] += response;
            b.mediumAcceleration[i] += response * (near->place.tangent * s[i] + pull * response);
        }
    }
};

/// On a surface, or at a height over it: speed off it is taken away, and what is off it comes back.
struct Stay : Force {
    SurfacePtr surface;
    Strength strength;
    float height, reach;
    explicit Stay(const PartContext& c) : strength(c.params(), kStayOn.strength, kStayOn.group) {
        surface = c.surface(kStayOn.on, "has no surface to stay on");
        height = float(c.params()[kStayOn.height]);
        reach = float(c.params()[kStayOn.reach]);
    }
    void act(ParticleBlock&) const override {}
    void hold(const ParticleBlock& b, V3f* velocity) const override {
        float s[kBlock];
        strength.over(b, s);
        const float far = reach > 0 ? reach : std::numeric_limits<float>::infinity();
        for (size_t i = 0; i < b.count; ++i) {
            if (!(s[i] > 0)) continue;
            const SurfaceHit hit = surface->closest(b.position[i], far);
            if (!hit.hit) continue;
            const V3f n = hit.normal;
            const float off = (b.position[i] - hit.position).dot(n) - height;
            const V3f across = (hit.position - b.position[i]) - n * (hit.position - b.position[i]).dot(n);
            // So much of the way back in this substep; 1 is all of it.
            const float fraction = 1.0f - std::exp(-s[i] * b.dt);
            velocity[i] += n * (-velocity[i].dot(n) * fraction - off * fraction / b.dt) +
                           across * (fraction / b.dt * 0.5f);
        }
    }
};

/// Each goes to a place of its own on a shape: an element of a layer or a point of an object's surface.
struct Target : Force {
    std::vector<V3f> positions;
    std::optional<BoundPlaces> bound;
    Strength strength;
    float damping;
    explicit Target(const PartContext& c) : strength(c.params(), kTarget.strength, kTarget.group) {
        const std::string& id = c.params()[kTarget.shape];
        if (id.empty()) throw NothingToActOn("has no shape to form", {}, "Choose an object or a layer");
        SceneQuery& query = c.query();
        if (query.kindOf(id) == SceneQuery::Kind::Layer) {
            const Geometry g = query.elements(id);
            const auto p = placesOf(g);
            positions.assign(p.begin(), p.end());
            if (positions.empty())
                throw NothingToActOn("has no shape to form, since the layer makes nothing", {},
                                     "Choose another layer");
        } else {
            bound.emplace(c, kTarget.shape, kTarget.seed, "has no shape to form");
        }
        damping = float(c.params()[kTarget.damping]);
    }
    V3f placeOf(uint64_t id) const {
        if (bound) return bound->placeOf(id);
        return positions[(id & ((uint64_t(1) << 40) - 1)) % positions.size()];
    }
    void act(ParticleBlock& b) const override {
        float s[kBlock];
        strength.over(b, s);
        for (size_t i = 0; i < b.count; ++i) {
            if (!(s[i] > 0)) continue;
            b.acceleration[i] += (placeOf(b.id[i]) - b.position[i]) * s[i];
            b.dragRate[i] += 2.0f * std::sqrt(s[i]) * damping;
        }
    }
};

/// Vectors that another program worked out; they may move and turn with an object.
struct Vectors : Force {
    VectorGridPtr grid;
    M44f toGrid, fromGrid;
    Strength strength;
    bool advects;
    float response;
    explicit Vectors(const PartContext& c) : strength(c.params(), kVectors.strength, kVectors.group) {
        const ResolvedParams& p = c.params();
        if (p[kVectors.file].empty())
            throw NothingToActOn("has no file", {}, "Choose a .vdb file that holds vectors");
        grid = c.query().vectors(p[kVectors.file], p[kVectors.grid]);
        if (const std::string& at = p[kVectors.at]; !at.empty()) fromGrid = c.query().placed(at).world;
        toGrid = fromGrid.inverse();
        advects = p[kVectors.mode] == "flow";
        response = float(p[kVectors.response]);
    }
    void act(ParticleBlock& b) const override {
        float s[kBlock];
        strength.over(b, s);
        for (size_t i = 0; i < b.count; ++i) {
            if (s[i] == 0) continue;
            V3f v = grid->at(b.position[i] * toGrid);
            fromGrid.multDirMatrix(V3f(v), v);
            if (!advects) {
                b.acceleration[i] += v * s[i];
            } else if (v != V3f(0.0f)) {  // outside there is no flow that could hold it
                b.dragRate[i] += response;
                b.mediumAcceleration[i] += v * (s[i] * response);
            }
        }
    }
};

struct SpeedLimit : Force {
    Range limits;
    Strength strength;
    explicit SpeedLimit(const PartContext& c)
        : limits(c.params()[kSpeedLimit.speed]),
          strength(c.params(), kSpeedLimit.strength, kSpeedLimit.group) {}
    void act(ParticleBlock&) const override {}
    void hold(const ParticleBlock& b, V3f* velocity) const override {
        float s[kBlock];
        strength.over(b, s);
        for (size_t i = 0; i < b.count; ++i) {
            const float speed = velocity[i].length();
            if (!(s[i] > 0) || !(speed > 0)) continue;
            const float held = std::clamp(speed, float(limits.min), float(limits.max));
            velocity[i] *= lerp(speed, held, std::min(s[i], 1.0f)) / speed;
        }
    }
};

}  // namespace

ParticleModifier gravityPart() {
    return forcePart<Gravity>("gravity", "Gravity", "Pulls everything alike", kGravity);
}

ParticleModifier dragPart() {
    return forcePart<Drag>("drag", "Drag", "Air or water at rest that slows down", kDrag);
}

ParticleModifier windPart() {
    return forcePart<Wind>("wind", "Wind", "Moving air or water that takes along", kWind);
}

ParticleModifier turbulencePart() {
    return forcePart<Turbulence>("turbulence", "Turbulence",
                                 "Whirls without sources or sinks: nothing gathers, nothing thins out",
                                 kTurbulence);
}

ParticleModifier vortexPart() {
    return forcePart<Vortex>("vortex", "Vortex", "Turns everything about an axis", kVortex);
}

ParticleModifier attractPart() {
    return forcePart<Attract>("attract", "Attract",
                              "Pulls to a place, an object, a curve or a layer; below 0 it repels", kAttract);
}

ParticleModifier followPart() {
    return forcePart<Follow>("follow_curve", "Follow a curve", "Goes along a curve, within a distance of it",
                             kFollowCurve);
}

ParticleModifier stayPart() {
    ParticleModifier part =
        forcePart<Stay>("stay_on", "Stay on a surface", "Goes on a surface, or at a height over it", kStayOn);
    part.step.ownSurface = kStayOn.on.id();
    return part;
}

ParticleModifier targetPart() {
    return forcePart<Target>("target", "Form a shape", "Each goes to a place of its own on a shape", kTarget);
}

ParticleModifier vectorsPart() {
    return forcePart<Vectors>("vectors", "Vectors of a file",
                              "Pushes, or takes along, by the vectors of an OpenVDB grid", kVectors);
}

ParticleModifier speedLimitPart() {
    return forcePart<SpeedLimit>("speed_limit", "Speed limit", "No slower and no faster", kSpeedLimit);
}

}  // namespace ovrix::sim
