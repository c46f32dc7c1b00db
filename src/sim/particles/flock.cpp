#include "sim/particles/flock.h"

#include "base/error.h"
#include "base/noise.h"
#include "base/parallel.h"
#include "geo/points/nearest.h"
#include "geo/points/order.h"
#include "params/param_table.h"
#include "sim/particles/bound_places.h"
#include "sim/particles/forces.h"

namespace ovrix::sim {

using namespace specs;

namespace {

ParamSpec weight(const char* id, const char* title, double value, const char* help) {
    return drivable(number(id, title, value, "", 0, 1e6, 0, 10, help));
}

const struct FlockParams : ParamTable {
    Handle<Varying> apart = add(weight("apart", "Separation", 4, "Keeps a distance from neighbours"));
    Handle<Varying> alike = add(weight("alike", "Alignment", 1.5, "Goes the way that neighbours go"));
    Handle<Varying> together = add(weight("together", "Cohesion", 1, "Goes to the middle of neighbours"));
    Handle<double> distance = add(number("distance", "Distance", 0.08, "m", 0, 1e5, 0, 2, "That they keep"));
    Handle<double> sight = add(number("sight", "Sight", 0.4, "m", 0, 1e5, 0, 5, "How far they see"));
    Handle<double> angle = add(
        number("angle", "Sight angle", 300, "deg", 0, 360, 60, 360, "How wide: at 360 also what is behind"));
    Handle<int64_t> group = add(groupSpec());
} kFlock;

const struct ChaseParams : ParamTable {
    Handle<std::string> target = add(ref("target", "Target", "object", "May be another in another scene"));
    Handle<Varying> strength = add(strengthOf(1, "1/s", 1e4, -5, 5, "How hard they turn to it"));
    Handle<double> speed = add(number("speed", "Speed", 1, "m/s", 0, 1e5, 0, 10, "That they want to go at"));
    Handle<double> slow = add(number("slow", "Slows within", 0, "m", 0, 1e5, 0, 5, "So near to it; 0 never"));
    Handle<int64_t> group = add(groupSpec());
} kChase;

const struct AvoidParams : ParamTable {
    Handle<Refs> objects = add(refs("objects", "Objects", "object or layer", "What they keep away from"));
    Handle<Varying> strength = add(strengthOf(8, "m/s2", 1e5, 0, 40, "How hard they turn away"));
    Handle<double> distance =
        add(number("distance", "Distance", 0.3, "m", 1e-4, 1e5, 0.02, 3, "Nearer than this they feel it"));
    Handle<double> ahead =
        add(number("ahead", "Looks ahead", 0.5, "s", 0, 100, 0, 3, "Sees what it would meet so soon"));
    Handle<int64_t> group = add(groupSpec());
} kAvoid;

const struct RoamParams : ParamTable {
    Handle<Varying> strength = add(strengthOf(0.5, "m/s2", 1e5, 0, 10, "How much they wander"));
    Handle<double> rate =
        add(number("rate", "Frequency", 0.5, "1/s", 0, 1000, 0, 5, "Changes of mind a second"));
    Handle<std::string> inside =
        add(ref("inside", "Stays in", "object", "A closed object; nothing holds them where none is chosen"));
    Handle<double> back = add(
        shownIf(number("back", "Turns back", 6, "m/s2", 0, 1e5, 0, 40, "How hard at its edge"), "inside!="));
    Handle<int64_t> seed = add(seedSpec("Another number, other ways"));
    Handle<int64_t> group = add(groupSpec());
} kRoam;

const struct LandParams : ParamTable {
    Handle<std::string> on =
        add(ref("on", "On", "object or layer", "The layer's own surface when none is chosen"));
    Handle<Varying> fraction = add(drivable(
        unitNumber("fraction", "Fraction", 1, "Of the swarm; give it keys to land and to take off")));
    Handle<double> speed = add(number("speed", "Speed", 1, "m/s", 0, 1e5, 0, 10, "On the way down"));
    Handle<int64_t> seed = add(seedSpec("Another number, other places"));
    Handle<int64_t> group = add(groupSpec());
} kLand;

const struct SteerParams : ParamTable {
    Handle<Range> speed =
        add(range("speed", "Speed", {0.3, 1.5}, "m/s", 0, 1e5, 0, 10, "Slowest and fastest"));
    Handle<double> turnRate = add(number("turn_rate", "Turn rate", 180, "deg/s", 0, 1e5, 10, 720, "At most"));
    Handle<double> climb = add(number("climb", "Climbs", 60, "deg", 0, 90, 0, 90, "At most, up or down"));
    Handle<int64_t> group = add(groupSpec());
} kSteer;

/// How many each goes by, and how many are looked at first.
constexpr size_t kNeighbours = 16, kLookedAt = 32;

/// Separation, alignment, cohesion. Reynolds, "Flocks, Herds, and Schools: A Distributed Behavioral Model",
/// SIGGRAPH 1987, doi:10.1145/37401.37406. Each goes by the sixteen nearest that it sees: so starlings do
/// (Ballerini et al., PNAS 105(4), 2008), and the work stays even where they crowd.
struct Flock : Force {
    Strength apart, alike, together_;
    float distance, sight, cosAngle;
    std::unique_ptr<const NearestPoints> tree;
    std::vector<V3f> velocity;
    std::vector<uint64_t> id;
    struct Seen {
        V3f away{0, 0, 0}, velocity{0, 0, 0}, middle{0, 0, 0};
        bool any = false;
    };
    std::vector<Seen> seen;

    explicit Flock(const PartContext& c)
        : apart(c.params(), kFlock.apart, kFlock.group),
          alike(c.params(), kFlock.alike, kFlock.group),
          together_(c.params(), kFlock.together, kFlock.group) {
        const ResolvedParams& p = c.params();
        distance = float(p[kFlock.distance]);
        sight = std::max(distance, float(p[kFlock.sight]));
        cosAngle = std::cos(radians(0.5f * float(p[kFlock.angle])));
    }
    bool together() const override { return true; }

    /// What each sees, worked out in an order in which neighbours follow each other: so the tree and the
    /// velocities that are read lie near in memory.
    void prepare(const Crowd& crowd, Progress& progress) override {
        const size_t count = crowd.position.size();
        const std::vector<uint32_t> order = orderInSpace(crowd.position);
        std::vector<V3f> positions(count);
        velocity.resize(count), id.resize(count);
        for (size_t k = 0; k < count; ++k) {
            const uint32_t i = order[k];
            const bool in = (apart.of(crowd.group[i])) && crowd.state[i] != int32_t(ParticleState::Ended);
            positions[k] =
                in ? crowd.position[i] : V3f(std::numeric_limits<float>::quiet_NaN());  // never found
            velocity[k] = crowd.velocity[i], id[k] = crowd.id[i];
        }
        tree = std::make_unique<const NearestPoints>(std::move(positions));
        seen.resize(count);
        parallelRanges(count, kBlock, progress, [&](size_t begin, size_t end) {
            for (size_t k = begin; k < end; ++k) seen[order[k]] = seenFrom(k);
        });
    }

    void act(ParticleBlock& b) const override {
        float a[kBlock], l[kBlock], t[kBlock];
        apart.over(b, a), alike.over(b, l), together_.over(b, t);
        for (size_t i = 0; i < b.count; ++i) {
            if (a[i] == 0 && l[i] == 0 && t[i] == 0) continue;
            const Seen& s = seen[b.begin + i];
            b.acceleration[i] += s.away * a[i];
            if (s.any) b.acceleration[i] += (s.velocity - b.velocity[i]) * l[i] + s.middle * t[i];
        }
    }

    Seen seenFrom(size_t self) const {
        const V3f &p = tree->points()[self], &v = velocity[self];
        if (!isFinite(p)) return {};
        const float speed = v.length();
        const V3f ahead = speed > 1e-6f ? v / speed : V3f(0.0f);
        const bool allRound = cosAngle <= -1.0f;  // then rounding hides nobody straight behind
        const auto visible = [&](uint32_t j) {
            const V3f d = tree->points()[j] - p;
            return allRound || speed <= 1e-6f || d == V3f(0.0f) || d.dot(ahead) >= cosAngle * d.length();
        };
        uint32_t near[kLookedAt];
        float d2[kLookedAt];
        // Those behind its back are not seen, so more are looked at than count; where that is not enough,
        // all.
        const size_t looked = allRound ? kNeighbours + 1 : kLookedAt;
        size_t found = tree->closestFew(p, looked, near, d2);
        const bool all = found < looked || d2[found - 1] > sight * sight;
        size_t count = 0;
        for (size_t k = 0; k < found && count <= kNeighbours; ++k)
            if (visible(near[k])) near[count] = near[k], d2[count++] = d2[k];
        if (!all && count <= kNeighbours)
            count = tree->closestFewOf(p, kNeighbours + 1, sight, visible, near, d2);
        return of(self, {near, count}, d2);
    }

    /// @param near  those that are visible, nearest first, itself among them
    Seen of(size_t self, std::span<const uint32_t> near, const float* d2) const {
        Seen out;
        float number = 0;
        for (size_t k = 0; k < near.size() && number < float(kNeighbours); ++k) {
            const uint32_t j = near[k];
            if (j == self) continue;
            if (d2[k] > sight * sight) break;
            const V3f d = tree->points()[j] - tree->points()[self];
            const float r = std::sqrt(d2[k]);
            if (r < distance)
                out.away -= r > 0 ? d * ((distance - r) / (r * distance)) : apartBy(id[self], id[j]);
            out.velocity += velocity[j];
            out.middle += d;
            number += 1;
        }
        out.any = number > 0;
        if (out.any) out.velocity /= number, out.middle /= number;
        return out;
    }
};

struct Chase : Force {
    V3f target;
    Strength strength;
    float speed, slow;
    explicit Chase(const PartContext& c) : strength(c.params(), kChase.strength, kChase.group) {
        const std::string& id = c.params()[kChase.target];
        if (id.empty()) throw NothingToActOn("has nothing to chase", {}, "Choose an object");
        target = c.query().placed(id).world.translation();
        speed = float(c.params()[kChase.speed]);
        slow = float(c.params()[kChase.slow]);
    }
    void act(ParticleBlock& b) const override {
        float s[kBlock];
        strength.over(b, s);
        for (size_t i = 0; i < b.count; ++i) {
            const V3f d = target - b.position[i];
            const float r = d.length();
            if (!(r > 0) || s[i] == 0) continue;
            const float wanted = slow > 0 ? speed * std::min(1.0f, r / slow) : speed;
            b.acceleration[i] += (d * (wanted / r) - b.velocity[i]) * s[i];
        }
    }
};

/// Away from what they come near to, and to the side before they would meet it.
struct Avoid : Force {
    std::vector<SurfacePtr> surfaces;
    Strength strength;
    float distance, seconds;
    explicit Avoid(const PartContext& c) : strength(c.params(), kAvoid.strength, kAvoid.group) {
        for (const std::string& id : c.params()[kAvoid.objects])
            if (!id.empty()) surfaces.push_back(c.query().surface(id));
        if (surfaces.empty()) throw NothingToActOn("has nothing to avoid", {}, "Choose an object");
        distance = float(c.params()[kAvoid.distance]);
        seconds = float(c.params()[kAvoid.ahead]);
    }
    void act(ParticleBlock& b) const override {
        float s[kBlock];
        strength.over(b, s);
        for (size_t i = 0; i < b.count; ++i) {
            if (s[i] == 0) continue;
            const V3f& p = b.position[i];
            const float speed = b.velocity[i].length();
            for (const SurfacePtr& surface : surfaces) {
                if (const SurfaceHit hit = surface->closest(p, distance); hit.hit && hit.distance > 0) {
                    const V3f away = (p - hit.position) / hit.distance;
                    b.acceleration[i] += away * (s[i] * (1.0f - hit.distance / distance));
                }
                if (!(speed > 1e-4f) || !(seconds > 0)) continue;
                const V3f ahead = b.velocity[i] / speed;
                const SurfaceHit hit = surface->intersect(p, ahead, speed * seconds);
                if (!hit.hit) continue;
                V3f side = hit.normal - ahead * hit.normal.dot(ahead);
                if (side.length() < 1e-3f) {
                    V3f unused;
                    basis(ahead, side, unused);
                }
                b.acceleration[i] += side.normalized() * (s[i] * (1.0f - hit.distance / (speed * seconds)));
            }
        }
    }
};

/// Wanders at random, and stays inside a volume.
struct Roam : Force {
    Strength strength;
    SurfacePtr volume;
    Travelled minds;  // how often it has changed its mind
    float edge;
    uint64_t seed;
    explicit Roam(const PartContext& c)
        : strength(c.params(), kRoam.strength, kRoam.group), minds(c.travelled(kRoam.rate)) {
        if (const std::string& id = c.params()[kRoam.inside]; !id.empty()) volume = c.query().surface(id);
        edge = float(c.params()[kRoam.back]);
        seed = uint64_t(c.params()[kRoam.seed]);
    }
    void act(ParticleBlock& b) const override {
        float s[kBlock];
        strength.over(b, s);
        const float t = float(std::fmod(minds.at(b.seconds).x, 1e5));
        for (size_t i = 0; i < b.count; ++i) {
            if (s[i] != 0) {
                const Random4 r = random4(seed, b.id[i], Stream::Wander);
                V3f acceleration;
                for (int k = 0; k < 3; ++k)
                    acceleration[k] =
                        2.0f * gradientNoise(
                                   V3f(t + 97.0f * r[0], 53.0f * r[1] + 11.0f * float(k), 31.0f * r[2]), 5u);
                b.acceleration[i] += acceleration * s[i];
            }
            if (!volume || !strength.of(b.group[i])) continue;
            const SurfaceHit hit = volume->closest(b.position[i]);
            if (!hit.hit) continue;
            const V3f d = hit.position - b.position[i];
            const bool outside = d.dot(volume->outwardAt(hit.triangle, hit.u, hit.v)) < 0;
            if (outside)  // back, the harder the farther
                b.acceleration[i] +=
                    d * (edge * 4.0f / std::max(hit.distance, 1e-6f)) * std::min(1.0f, 0.3f + hit.distance);
            else if (hit.distance < 0.15f && b.velocity[i].dot(hit.normal) > 0)
                b.acceleration[i] -= hit.normal * (edge * (1.0f - hit.distance / 0.15f));
        }
    }
};

/// A part of the swarm goes down to places of its own on a surface, and stays there; when the part grows
/// less, those leave again.
struct Land : Force {
    BoundPlaces places;
    Strength share;
    float speed;
    uint64_t seed;
    explicit Land(const PartContext& c)
        : places(c, kLand.on, kLand.seed, "has nothing to land on"),
          share(c.params(), kLand.fraction, kLand.group),
          speed(float(c.params()[kLand.speed])),
          seed(uint64_t(c.params()[kLand.seed])) {}
    void act(ParticleBlock&) const override {}
    void hold(const ParticleBlock& b, V3f* velocity) const override {
        float s[kBlock];
        share.over(b, s);
        for (size_t i = 0; i < b.count; ++i) {
            if (!(random1(seed, b.id[i], Stream::Target) < s[i])) continue;
            const V3f d = places.placeOf(b.id[i]) - b.position[i];
            const float r = d.length();
            const float wanted = std::min(speed, r * 3.0f);  // slower the nearer
            const V3f to = r > 1e-6f ? d * (wanted / r) : V3f(0.0f);
            // The nearer, the less anything else counts.
            const float fraction = 1.0f - std::exp(-b.dt * (6.0f + 60.0f * std::max(0.0f, 1.0f - 2.0f * r)));
            velocity[i] += (to - velocity[i]) * fraction;
            if (r < 0.03f) velocity[i] = d / std::max(b.dt, 1e-6f) * fraction;
        }
    }
};

/// No body turns at once: speed, turning and climbing have limits.
struct Steer : Force {
    Range speed;
    float turn, climb;
    int32_t group;
    explicit Steer(const PartContext& c) {
        const ResolvedParams& p = c.params();
        speed = p[kSteer.speed];
        turn = radians(float(p[kSteer.turnRate]));
        climb = radians(float(p[kSteer.climb]));
        group = int32_t(p[kSteer.group]);
    }
    void act(ParticleBlock&) const override {}
    void hold(const ParticleBlock& b, V3f* velocity) const override {
        for (size_t i = 0; i < b.count; ++i) {
            if (group != 0 && b.group[i] != group) continue;
            velocity[i] = limited(b.velocity[i], velocity[i], b.dt);
        }
    }
    V3f limited(const V3f& before, const V3f& wanted, float dt) const {
        const float v0 = before.length(), v1 = wanted.length();
        if (!(v1 > 1e-9f)) return v0 > 1e-9f ? before * (float(speed.min) / v0) : wanted;
        V3f d = wanted / v1;
        if (v0 > 1e-9f) {
            const V3f was = before / v0;
            const float angle = std::acos(std::clamp(was.dot(d), -1.0f, 1.0f)), most = turn * dt;
            if (angle > most) {
                V3f side = d - was * was.dot(d);
                if (side.length() < 1e-5f) {
                    V3f unused;
                    basis(was, side, unused);
                }
                d = was * std::cos(most) + side.normalized() * std::sin(most);
            }
        }
        const float flat = std::sqrt(d.x * d.x + d.z * d.z), steepest = std::tan(std::min(climb, 1.553f));
        if (flat > 1e-6f && std::abs(d.y) > steepest * flat) {
            d.y = std::copysign(steepest * flat, d.y);
            d.normalize();
        }
        return d * std::clamp(v1, float(speed.min), float(speed.max));
    }
};

}  // namespace

ParticleModifier flockPart() {
    return forcePart<Flock>("flock", "Flock", "Each goes by the neighbours that it sees", kFlock);
}

ParticleModifier chasePart() { return forcePart<Chase>("chase", "Chase", "Goes after an object", kChase); }

ParticleModifier avoidPart() {
    return forcePart<Avoid>("avoid", "Avoid", "Keeps away from objects, and turns before it meets them",
                            kAvoid);
}

ParticleModifier roamPart() {
    return forcePart<Roam>("roam", "Roam", "Wanders at random, and stays in a volume", kRoam);
}

ParticleModifier landPart() {
    ParticleModifier part = forcePart<Land>(
        "land", "Land", "A part of them goes down to a surface; when it grows less, they take off", kLand);
    part.step.ownSurface = kLand.on.id();
    return part;
}

ParticleModifier steerPart() {
    return forcePart<Steer>("steer", "Steering",
                            "Bodies do not turn at once: limits of speed, turning and climbing", kSteer);
}

}  // namespace ovrix::sim
