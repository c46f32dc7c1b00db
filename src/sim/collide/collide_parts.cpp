// The parts by which particles and strands meet meshes and floors.
#include "base/error.h"
#include "geo/strands/strands.h"
#include "params/param_table.h"
#include "sim/collide/collide.h"

namespace ovrix::sim {

using namespace specs;

namespace {

/// What becomes of those that meet something.
struct ContactParams {
    ParamTable& table;
    std::vector<std::string> choices;
    Handle<OnContact> then =
        table.add(choice("then", "On contact", "bounce", choices, "What becomes of those that meet it"));
    Handle<double> bounce = table.add(
        shownIf(unitNumber("bounce", "Bounce", 0.3, "Fraction of the speed that comes back"), "then=bounce"));
    Handle<double> friction =
        table.add(shownIf(number("friction", "Friction", 0.3, "", 0, 100, 0, 1.5,
                                 "Holds on slopes flatter than the angle whose tangent it is"),
                          "then=bounce|slide"));
    Handle<double> thickness =
        table.add(number("thickness", "Thickness", 0.002, "m", 1e-6, 1e4, 1e-4, 0.1, "Kept off the surface"));
    Handle<double> ahead = table.add(
        number("ahead", "Tip ahead", 0, "m", -1e4, 1e4, 0, 0.5,
               "From the middle of a copy to the point that meets: along its own axis, for long ones"));
};

const struct CollideParams : ParamTable {
    Handle<std::string> with =
        add(ref("with", "With", "object or layer", "The layer's own surface when none is chosen"));
    ContactParams contact{*this, {"slide", "bounce", "stick", "end", "wake"}};
    Handle<double> reach =
        add(shownIf(number("reach", "Wakes within", 0.2, "m", 0, 1e5, 0, 2, "Those that wait, so near to it"),
                    "then=wake"));
    Handle<int64_t> group = add(groupSpec());
} kCollide;

const struct FloorParams : ParamTable {
    Handle<double> height = add(number("height", "Height", 0, "m", -1e6, 1e6, -2, 2, "Where it lies"));
    ContactParams contact{*this, {"slide", "bounce", "stick", "end"}};
    Handle<int64_t> group = add(groupSpec());
} kFloor;

/// Of strands only some are asked for: they slide, and have no tips and groups.
Collider common(const PartContext& c, const ContactParams& params, const Handle<int64_t>& group) {
    const ResolvedParams& p = c.params();
    Collider collider;
    collider.then = p.has(params.then) ? p[params.then] : OnContact::Slide;
    collider.thickness = float(p[params.thickness]);
    collider.friction = float(p[params.friction]);
    if (p.has(params.bounce)) collider.bounce = float(p[params.bounce]);
    if (p.has(params.ahead)) collider.ahead = float(p[params.ahead]);
    if (p.has(group)) collider.group = int32_t(p[group]);
    return collider;
}

void addCollider(Collider collider, ParticleParts& parts) {
    parts.sticks |= collider.then == OnContact::Stick;
    parts.spins |= collider.ahead != 0;
    parts.colliders.push_back(std::move(collider));
}

void addMesh(const PartContext& c, ParticleParts& parts) {
    const std::string& id = c.params()[kCollide.with];
    Collider collider = common(c, kCollide.contact, kCollide.group);
    if (c.params().has(kCollide.reach)) collider.reach = float(c.params()[kCollide.reach]);
    if (id.empty() && !c.now.surface)
        throw NothingToActOn("has nothing to collide with", {},
                             "Choose an object or a layer that makes copies");
    const auto placedAt = [&](const SolverInput& in) {
        return id.empty() ? SceneQuery::Placed{in.surface, M44f()} : in.query->placed(id);
    };
    const SceneQuery::Placed now = placedAt(c.now), before = placedAt(c.before);
    if (now.shape == before.shape) {
        collider.surface = MovingSurface::moved(now.shape, before.world, now.world);
    } else {
        const auto world = [](const SceneQuery::Placed& p) {
            return p.world == M44f() ? p.shape->meshPtr() : transformed(p.shape->mesh(), p.world);
        };
        try {
            collider.surface = MovingSurface::deformed(world(before), world(now));
        } catch (const Error&) {
            parts.notes.push_back(
                "what it meets has other faces than a frame before: its speed there is not known");
            collider.fresh = true;
            collider.surface = MovingSurface::moved(now.shape, now.world, now.world);
        }
    }
    for (const SceneQuery::Placed& p : {before, now})
        collider.bounds.extendBy(placedBox(p.shape->mesh().bounds(), p.world));
    // One that turns sweeps past the corners of both boxes.
    if (now.shape == before.shape && before.world != now.world) {
        const V3f grow(0.25f * collider.bounds.size().length());
        collider.bounds.min -= grow, collider.bounds.max += grow;
    }
    addCollider(std::move(collider), parts);
}

void addFloor(const PartContext& c, ParticleParts& parts) {
    Collider collider = common(c, kFloor.contact, kFloor.group);
    const auto height = [&](const SolverInput& in, double otherwise) {
        for (const PartInput& part : in.parts)
            if (part.id == c.part.id) return (*part.params)[kFloor.height];
        return otherwise;
    };
    const double now = c.params()[kFloor.height];
    collider.point0 = V3f(0, float(height(c.before, now)), 0);
    collider.point1 = V3f(0, float(now), 0);
    addCollider(std::move(collider), parts);
}

}  // namespace

ParticleModifier collidePart() {
    StepType type = partType(
        "collide", "Collide with a mesh",
        "They meet an object, which may move and deform; nothing passes through, however fast", kCollide);
    return {type, addMesh};
}

ParticleModifier floorPart() {
    StepType type = partType("floor", "Floor", "A level plane that they meet", kFloor);
    return {type, addFloor};
}

}  // namespace ovrix::sim
