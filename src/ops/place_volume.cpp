#include "ops/place_volume.h"

#include <atomic>

#include "base/error.h"
#include "base/parallel.h"
#include "base/specs.h"

namespace ovrix {

using namespace specs;

namespace {

PointSet empty(size_t count) {
    PointSet set;
    set.attributes.resize(count);
    set.attributes.add<V3f>("P"), set.attributes.add<V3f>("N", V3f(0, 1, 0)),
        set.attributes.add<uint64_t>("id");
    return set;
}

}  // namespace

std::shared_ptr<const PointSet> pointsInside(const Surface& surface, size_t count, uint64_t seed,
                                             Progress& progress) {
    if (!surface.closed())
        throw Error("the surface has open edges, so nothing is inside", {},
                    "Put the layer on a closed object");
    const Box3f box = surface.mesh().bounds();
    PointSet set = empty(count);
    const auto p = set.attributes.add<V3f>("P");
    const auto id = set.attributes.add<uint64_t>("id");
    std::atomic<size_t> missed{0};
    parallelFor(count, progress, [&](size_t i) {
        id[i] = i;
        for (uint64_t attempt = 0; attempt < 500; ++attempt) {
            const Random4 r = random4(seed + attempt * 0x9e3779b97f4a7c15ull, i, Stream::Place);
            p[i] = box.min + (box.max - box.min) * V3f(r[0], r[1], r[2]);
            if (surface.inside(p[i])) return;
        }
        ++missed;
    });
    if (missed) throw Error("next to nothing lies inside of the surface", {}, "Choose one that is less thin");
    return std::make_shared<const PointSet>(std::move(set));
}

std::shared_ptr<const PointSet> pointsOnRing(const M44f& world, float inner, float outer, size_t count,
                                             uint64_t seed, Progress& progress) {
    PointSet set = empty(count);
    const auto p = set.attributes.add<V3f>("P"), n = set.attributes.add<V3f>("N");
    const auto id = set.attributes.add<uint64_t>("id");
    V3f up;
    world.multDirMatrix(V3f(0, 1, 0), up);
    up = up.length() > 0 ? up.normalized() : V3f(0, 1, 0);
    const float low = std::min(inner, outer), high = std::max(inner, outer);
    parallelFor(count, progress, [&](size_t i) {
        const Random4 r = random4(seed, i, Stream::Place);
        const float radius = std::sqrt(lerp(low * low, high * high, r[0])), turn = 2 * kPi * r[1];
        id[i] = i;
        p[i] = V3f(radius * std::cos(turn), 0, radius * std::sin(turn)) * world;
        n[i] = up;
    });
    return std::make_shared<const PointSet>(std::move(set));
}

static StepType placing(const char* id, const char* title, const char* help, Specs params) {
    StepType type;
    type.id = id, type.title = title, type.help = help, type.phase = Phase::Place;
    type.takes = GeometryKind::Nothing, type.gives = GeometryKind::Points;
    type.params = Specs{whole("count", "Count", 1000, 0, 1e9, 0, 100000, "Points")} + params +
                  Specs{seedSpec("Another number, other places")};
    return type;
}

StepType insideStep() {
    StepType type = placing("inside", "Inside", "Points in the inside of a closed surface", {});
    type.apply = [](const StepInput& in) -> Geometry {
        if (!in.surface) throw Error("there is no surface", {}, "Put the layer on an object");
        const double count = std::round(double(in.params.integer("count")) * in.share);
        askForMemory(count * 40.0, in.memoryLimit, count);
        return pointsInside(*in.surface, size_t(count), uint64_t(in.params.integer("seed")), in.progress);
    };
    return type;
}

StepType ringStep() {
    StepType type =
        placing("ring", "On a ring", "Points on a flat ring or a disc",
                {ref("at", "Stands on", "object", "Moves and turns with it"),
                 number("outer", "Radius", 0.5, "m", 0, 1e6, 0, 5, "Of its outer edge"),
                 number("inner", "Hole", 0, "m", 0, 1e6, 0, 5, "Radius of its inner edge; 0 is a disc")});
    type.apply = [](const StepInput& in) -> Geometry {
        const double count = std::round(double(in.params.integer("count")) * in.share);
        askForMemory(count * 40.0, in.memoryLimit, count);
        const std::string& id = in.params.text("at");
        const M44f world = id.empty() || !in.around ? M44f() : in.around->placed(id).world;
        return pointsOnRing(world, float(in.params.number("inner")), float(in.params.number("outer")),
                            size_t(count), uint64_t(in.params.integer("seed")), in.progress);
    };
    return type;
}

}  // namespace ovrix
