// The parts by which particles and strands meet meshes and floors.
#include "base/error.h"
#include "params/specs.h"
#include "sim/collide/collide.h"

namespace ovrix::sim {

using namespace specs;

namespace {

const char* const kThen[] = {"slide", "bounce", "stick", "end", "wake"};

OnContact thenOf(const std::string& text) {
    for (size_t i = 0; i < std::size(kThen); ++i)
        if (text == kThen[i]) return OnContact(i);
    return OnContact::Bounce;
}

Collider common(const PartContext& c) {
    const ResolvedParams& p = c.params();
    Collider collider;
    collider.then = p.has("then") ? thenOf(p.text("then")) : OnContact::Slide;  // strands slide
    collider.thickness = float(p.number("thickness"));
    collider.friction = float(p.number("friction"));
    if (p.has("bounce")) collider.bounce = float(p.number("bounce"));
    if (p.has("ahead")) collider.ahead = float(p.number("ahead"));
    if (p.has("group")) collider.group = int32_t(p.integer("group"));
    return collider;
}

void addCollider(Collider collider, ParticleParts& parts) {
    parts.sticks |= collider.then == OnContact::Stick;
    parts.spins |= collider.ahead != 0;
    parts.colliders.push_back(std::move(collider));
}

void addMesh(const PartContext& c, ParticleParts& parts) {
    const std::string& id = c.params().text("with");
    Collider collider = common(c);
    if (c.params().has("reach")) collider.reach = float(c.params().number("reach"));
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
    Collider collider = common(c);
    const auto height = [&](const SolverInput& in, double otherwise) {
        for (const PartInput& part : in.parts)
            if (part.id == c.part.id) return part.params->number("height");
        return otherwise;
    };
    const double now = c.params().number("height");
    collider.point0 = V3f(0, float(height(c.before, now)), 0);
    collider.point1 = V3f(0, float(now), 0);
    addCollider(std::move(collider), parts);
}

Specs contactSpecs(std::vector<std::string> choices) {
    return {choice("then", "On contact", "bounce", std::move(choices), "What becomes of those that meet it"),
            shownIf(unitNumber("bounce", "Bounce", 0.3, "Part of the speed that comes back"), "then=bounce"),
            shownIf(number("friction", "Friction", 0.3, "", 0, 100, 0, 1.5,
                           "Holds on slopes flatter than the angle whose tangent it is"),
                    "then=bounce|slide"),
            number("thickness", "Thickness", 0.002, "m", 1e-6, 1e4, 1e-4, 0.1, "Kept off the surface"),
            number("ahead", "Tip ahead", 0, "m", -1e4, 1e4, 0, 0.5,
                   "From the middle of a copy to the point that meets: along its own axis, for long ones")};
}

}  // namespace

ParticleModifier collidePart() {
    StepType type = partType(
        "collide", "Collide with a mesh",
        "They meet an object, which may move and deform; nothing passes through, however fast",
        Specs{ref("with", "With", "object or layer", "The layer's own surface when none is chosen")} +
            contactSpecs({std::begin(kThen), std::end(kThen)}) +
            Specs{shownIf(number("reach", "Wakes within", 0.2, "m", 0, 1e5, 0, 2,
                                 "Those that wait, so near to it"),
                          "then=wake"),
                  groupSpec()});
    return {type, addMesh};
}

ParticleModifier floorPart() {
    StepType type = partType("floor", "Floor", "A level plane that they meet",
                             Specs{number("height", "Height", 0, "m", -1e6, 1e6, -2, 2, "Where it lies")} +
                                 contactSpecs({"slide", "bounce", "stick", "end"}) + Specs{groupSpec()});
    return {type, addFloor};
}

}  // namespace ovrix::sim
