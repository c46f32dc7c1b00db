// What particles meet when several things come together: heaps on floors, sticking with tips, faces that
// change, sharp edges, sources at one place.
#include <set>

#include "field/field.h"
#include "geo/mesh/sides.h"
#include "geo/points/nearest.h"
#include "geo/surface/moving_surface.h"
#include "sim/particle_parts.h"
#include "sim/sim_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// A wedge whose edge lies along Z at the origin and opens downward.
MeshPtr wedge(float degreesOpen) {
    const float half = 0.5f * radians(degreesOpen), x = std::sin(half), y = -std::cos(half);
    return meshOf({{0, 0, -1}, {0, 0, 1}, {-x, y, -1}, {-x, y, 1}, {x, y, -1}, {x, y, 1}},
                  {{0, 2, 3, 1}, {0, 1, 5, 4}, {2, 4, 5, 3}, {0, 4, 2}, {1, 3, 5}});
}

std::vector<V3f> heap(size_t count, float height) {
    std::mt19937_64 random(testSeed());
    std::uniform_real_distribution<float> u(-0.15f, 0.15f);
    std::vector<V3f> p;
    for (size_t i = 0; i < count; ++i) p.push_back(V3f(u(random), height + 0.5f * u(random), u(random)));
    return p;
}

}  // namespace

TEST_CASE("a heap that keeps apart lies on the floor, and none falls through it", "[sim][contacts]") {
    for (const bool mesh : {false, true}) {
        Sim sim;
        sim.source = points(heap(600, 0.4f));
        sim.part("gravity");
        Sim::set(sim.part("drag"), "strength", 1.0);
        if (mesh) {
            sim.world.objects["ground"] = [](double) { return placed(makePlane(4, 4)); };
            Sim::set(sim.part("collide"), "with", std::string("ground"));
        } else {
            sim.part("floor");
        }
        Step& apart = sim.part("spacing");
        Sim::set(apart, "radius", 0.03);
        const auto states = sim.run(48);
        size_t under = 0;
        for (const V3f& p : places(states.back())) under += !(p.y > -1e-4f);
        INFO((mesh ? "mesh" : "floor"));
        CHECK(under == 0);
        CHECK(places(states.back()).size() == 600);
    }
}

TEST_CASE("two particles bounce off each other as the laws of impact say", "[sim][contacts]") {
    // Equal weights, head on, without loss: they exchange their velocities.
    const auto after = [](double bounce, double friction, const V3f& v0, const V3f& v1) {
        Sim sim;
        sim.source = points({V3f(-0.2f, 0, 0), V3f(0.2f, 0, 0)}, {v0, v1});
        sim.set("substeps", int64_t(8));
        Step& apart = sim.part("spacing");
        Sim::set(apart, "radius", 0.05);
        Sim::set(apart, "bounce", bounce);
        Sim::set(apart, "friction", friction);
        const auto states = sim.run(24);
        return std::pair(speeds(states.back())[0], speeds(states.back())[1]);
    };
    const auto [a, b] = after(1, 0, V3f(1, 0, 0), V3f(-1, 0, 0));
    CHECK((a - V3f(-1, 0, 0)).length() < 1e-5f);
    CHECK((b - V3f(1, 0, 0)).length() < 1e-5f);
    const auto [c, d] = after(0, 0, V3f(1, 0, 0), V3f(0, 0, 0));  // without any bounce both go on together
    CHECK((c - V3f(0.5f, 0, 0)).length() < 1e-5f);
    CHECK((d - V3f(0.5f, 0, 0)).length() < 1e-5f);
    const auto [e, f] = after(0.5, 0, V3f(1, 0, 0), V3f(-1, 0, 0));
    CHECK((e - V3f(-0.5f, 0, 0)).length() < 1e-5f);
    CHECK((e + f).length() < 1e-6f);  // nothing is gained or lost in all
}

TEST_CASE("what sticks to a floor with its tip ahead stays where it is", "[sim][contacts]") {
    Sim sim;
    sim.source = points({V3f(0, 1, 0)}, {V3f(0, -4, 0)});
    Sim::set(sim.part("facing"), "damping", 0.0);
    Step& floor = sim.part("floor");
    Sim::set(floor, "then", std::string("stick"));
    Sim::set(floor, "ahead", 0.1);
    const auto states = sim.run(48);
    const float y = places(states.back())[0].y;
    CHECK(y == Approx(0.102).margin(2e-3));  // the tip lies a thickness over the floor
    CHECK(y == places(states[30])[0].y);
}

TEST_CASE("what sticks stays by its place when the faces become others", "[sim][contacts]") {
    Sim sim;
    std::vector<V3f> p;
    for (int i = 0; i < 20; ++i) p.push_back(V3f(-0.9f + 0.09f * float(i), 0.4f, 0.3f));
    sim.source = points(p, std::vector<V3f>(20, V3f(0, -3, 0)));
    sim.world.objects["ground"] = [](double frame) { return placed(makePlane(4, int(frame) % 3 + 5)); };
    Step& s = sim.part("collide");
    Sim::set(s, "with", std::string("ground"));
    Sim::set(s, "then", std::string("stick"));
    const auto states = sim.run(20);
    for (size_t i = 0; i < p.size(); ++i) {
        const V3f q = places(states.back())[i];
        CHECK((V3f(q.x, 0, q.z) - V3f(p[i].x, 0, p[i].z)).length() < 1e-4f);
        CHECK(std::abs(q.y) < 0.01f);
    }
}

TEST_CASE("columns that bind to a collider have names of their own", "[sim][contacts]") {
    Sim sim;
    sim.source = points({V3f(0.1f, 0.4f, 0.3f)}, {V3f(0, -3, 0)});
    sim.world.objects["ground"] = [](double) { return placed(makePlane(4, 40)); };
    Step& s = sim.part("collide");
    Sim::set(s, "with", std::string("ground"));
    Sim::set(s, "then", std::string("stick"));
    const auto states = sim.run(12);
    const AttributeSet& a = particles(states.back());
    CHECK(a.find<int32_t>("stuck_triangle")[0] > 0);
    CHECK_FALSE(a.has("triangle"));
    CHECK_FALSE(a.has("bary"));
}

TEST_CASE("a place that is of no triangle is looked for, and none is read past the end",
          "[field][contacts]") {
    const auto ball = std::make_shared<const Surface>(makeSphere(1, 8));
    const std::vector<V3f> p = {{0, 2, 0}, {0, 2, 0}, {0, 2, 0}};
    const std::vector<int32_t> triangle = {-1, 1 << 30, 3};
    const std::vector<V2f> bary(3, V2f(0.25f, 0.25f));
    const Samples s = Samples(p).with(channel::triangle, triangle).with(channel::bary, bary);
    CHECK(PlacesOn(*ball, s)[0].triangle == ball->closest(p[0]).triangle);
    CHECK(PlacesOn(*ball, s)[1].triangle == ball->closest(p[0]).triangle);
    CHECK(PlacesOn(*ball, s)[2].triangle == 3);
    const Surface none(meshOf({}, {}));
    CHECK_FALSE(PlacesOn(none, s)[1].hit);
    Surface::Sample sample{};
    Surface(meshOf({}, {})).sample(1, 1, 1, &sample);
    CHECK(sample.triangle == kNoTriangle);
}

TEST_CASE("the pseudonormal tells the side of a point at edges and corners", "[geo][contacts]") {
    std::mt19937_64 random(testSeed());
    std::uniform_real_distribution<float> u(-1.2f, 1.2f);
    for (const float degreesOpen : {8.0f, 20.0f, 60.0f, 150.0f}) {
        const Surface s(wedge(degreesOpen));
        size_t wrong = 0, outside = 0;
        for (int i = 0; i < 4000; ++i) {
            const V3f p(u(random), u(random), u(random));
            const SurfaceHit hit = s.closest(p);
            const bool inside = s.inside(p),
                       told = (p - hit.position).dot(s.outwardAt(hit.triangle, hit.u, hit.v)) < 0;
            if (hit.distance < 1e-4f) continue;  // on it, either is right
            wrong += inside != told, outside += !inside;
        }
        INFO("wedge of " << degreesOpen);
        CHECK(wrong == 0);
        CHECK(outside > 1000);
    }
}

TEST_CASE("a resting contact is one contact, and children bear only as far as generations go",
          "[sim][contacts]") {
    for (const int64_t substeps : {2, 400}) {
        Sim sim;
        sim.source = points(std::vector<V3f>(5, V3f(0, 0.3f, 0)));
        sim.set("substeps", substeps);
        sim.part("gravity");
        Sim::set(sim.part("floor"), "bounce", 0.0);
        Step& offspring = sim.part("offspring");
        Sim::set(offspring, "count", int64_t(4));
        Sim::set(offspring, "forever", true);
        const auto states = sim.run(substeps > 10 ? 16 : 40);
        CHECK(places(states.back()).size() == 5 + 5 * 4);
    }
    Sim grand;
    grand.source = points({V3f(0, 0.3f, 0)});
    grand.part("gravity");
    grand.part("floor");
    Step& offspring = grand.part("offspring");
    Sim::set(offspring, "count", int64_t(2));
    Sim::set(offspring, "forever", true);
    Sim::set(offspring, "speed", Range{1, 1});
    Sim::set(offspring, "generations", int64_t(2));
    size_t eldest = 0;
    const auto states = grand.run(30);
    for (int32_t g : particles(states.back()).find<int32_t>("generation"))
        eldest = std::max(eldest, size_t(g));
    CHECK(eldest == 2);
}

TEST_CASE("offspring of two parts have ids of their own", "[sim][contacts]") {
    Sim sim;
    sim.source = points(std::vector<V3f>(100, V3f(0, 0.3f, 0)));
    sim.part("gravity");
    Sim::set(sim.part("floor"), "bounce", 0.0);
    for (int part = 0; part < 2; ++part) {
        Step& offspring = sim.part("offspring");
        Sim::set(offspring, "count", int64_t(5));
        Sim::set(offspring, "forever", true);
    }
    const auto states = sim.run(20);
    const auto ids = particles(states.back()).find<uint64_t>("id");
    CHECK(ids.size() == 100 + 2 * 5 * 100);
    CHECK(std::set<uint64_t>(ids.begin(), ids.end()).size() == ids.size());
}

TEST_CASE("births that memory does not hold are refused before they are made", "[sim][contacts]") {
    Sim sim;
    sim.source = points(std::vector<V3f>(1000, V3f(0, 0.1f, 0)));
    sim.part("gravity");
    sim.part("floor");
    Sim::set(sim.part("offspring"), "count", int64_t(100000));
    SolverInput before = sim.at(1);
    before.memoryLimit = 50'000'000;
    SolverState state = sim.solver().begin(before, Progress::none());
    CHECK_THROWS_WITH(
        [&] {
            for (int f = 2; f < 12; ++f) {
                SolverInput now = sim.at(f);
                now.memoryLimit = 50'000'000;
                state = sim.solver().advance(state, before, now, Progress::none());
                before = now;
            }
        }(),
        Catch::Contains("more than the limit"));
}

TEST_CASE("those near another are found where both are now", "[sim][contacts]") {
    Sim sim;  // they meet in the middle of the frame, each half a metre a substep
    sim.source = points({V3f(-1, 0, 0), V3f(1.02f, 0, 0)}, {V3f(24, 0, 0), V3f(-24, 0, 0)});
    sim.set("substeps", int64_t(1));
    Step& rule = sim.part("rule");
    Sim::set(rule, "when", std::string("near another"));
    Sim::set(rule, "distance", 0.05);
    Sim::set(rule, "to", int64_t(3));
    const auto states = sim.run(2);
    CHECK(particles(states.back()).find<int32_t>("group")[0] == 3);
    CHECK(particles(states.back()).find<int32_t>("group")[1] == 3);
}

TEST_CASE("thousands at one place come apart, and see each other as a swarm", "[sim][contacts]") {
    Sim heapSim;
    heapSim.source = points(std::vector<V3f>(3000, V3f(0, 0, 0)));
    Sim::set(heapSim.part("spacing"), "radius", 0.01);
    const auto states = heapSim.run(3);
    std::set<std::array<float, 3>> different;
    for (const V3f& p : places(states.back())) different.insert({p.x, p.y, p.z});
    CHECK(different.size() == 3000);

    Sim swarm;
    swarm.source = points(std::vector<V3f>(50, V3f(0, 0, 0)));
    swarm.part("flock");
    float apart = 0;
    const auto after = swarm.run(12);
    for (const V3f& p : places(after.back())) apart = std::max(apart, p.length());
    CHECK(apart > 0.01f);
}

TEST_CASE("many small ones around a large one do not hide it", "[sim][contacts]") {
    // Five hundred seeds in one stone: each has more of its own size near it than it looks at.
    Sim sim;
    std::mt19937_64 random(testSeed());
    std::uniform_real_distribution<float> u(-0.1f, 0.1f);
    std::vector<V3f> p{V3f(0, 0, 0)};
    for (int i = 0; i < 500; ++i) p.push_back(V3f(u(random), u(random), u(random)));
    Geometry mixed = points(p)(1);
    PointSet set = *std::get<std::shared_ptr<const PointSet>>(mixed);
    std::vector<float> scale(p.size(), 1.0f);
    scale[0] = 100.0f;
    set.attributes.set("scale", std::move(scale));
    mixed = std::make_shared<const PointSet>(std::move(set));
    sim.source = [mixed](double) { return mixed; };
    Sim::set(sim.part("spacing"), "radius", 0.01);
    const auto states = sim.run(30);
    const auto after = places(states.back());
    float nearest = 1e9f;
    for (size_t i = 1; i < after.size(); ++i) nearest = std::min(nearest, (after[i] - after[0]).length());
    CHECK(nearest > 0.99f * 1.01f);
}

TEST_CASE("sizes that are nothing, huge or no number keep nobody else from coming apart", "[sim][contacts]") {
    std::vector<V3f> p;
    for (int i = 0; i < 12; ++i) p.push_back(V3f(0.001f * float(i), 1, 0));
    PointSet set = *std::get<std::shared_ptr<const PointSet>>(points(p)(1));
    const float inf = std::numeric_limits<float>::infinity();
    set.attributes.set("scale", std::vector<float>{1, 1, 0, 1, std::nanf(""), 1, 1e-30f, 1, -1, 1, 1, 1});
    for (const float last : {1.0f, 1e30f, inf}) {
        set.attributes.add<float>("scale")[11] = last;
        const Geometry odd = std::make_shared<const PointSet>(set);
        Sim sim;
        sim.source = [odd](double) { return odd; };
        Sim::set(sim.part("spacing"), "radius", 0.01);
        const auto states = sim.run(20);
        const auto after = places(states.back());
        CHECK(after.size() == p.size());
        if (last != 1.0f)
            continue;  // what is larger than all throws all as far as the limit of speed lets it
        for (const auto& [a, b] : {std::pair<size_t, size_t>{0, 1}, {3, 5}, {7, 9}})
            CHECK((after[a] - after[b]).length() > 0.0199f);
    }
}

TEST_CASE("those that ended take no place among what is looked at", "[sim][contacts]") {
    // A hundred that ended on the floor at one place, then one that bumps into another just over it.
    Sim sim;
    std::vector<V3f> p(100, V3f(0, 0.5f, 0)), v(100, V3f(0, -60, 0));
    p.insert(p.end(), {V3f(0, 0.015f, 0), V3f(0.1f, 0.015f, 0)});
    v.insert(v.end(), {V3f(0, 0, 0), V3f(-0.5f, 0, 0)});
    sim.source = points(p, v);
    Step& floor = sim.part("floor");
    Sim::set(floor, "then", std::string("end"));
    sim.set("keep_ended", true);
    Sim::set(sim.part("spacing"), "radius", 0.01);
    const auto states = sim.run(20);
    const auto state = particles(states.back()).find<int32_t>("state");
    REQUIRE(std::count(state.begin(), state.end(), int32_t(ParticleState::Ended)) >= 100);
    const auto after = places(states.back());
    CHECK((after[101] - after[100]).length() > 0.0199f);
}

TEST_CASE("nearest points are the same whichever way the cloud is cut", "[geo][contacts]") {
    std::mt19937_64 random(testSeed());
    std::uniform_real_distribution<float> u(-1, 1);
    std::vector<V3f> cloud;
    for (int i = 0; i < 40000; ++i) {
        if (i % 3 == 1) cloud.push_back(cloud.back());  // many lie where another does
        cloud.push_back(V3f(u(random), u(random), u(random)));
    }
    const NearestPoints tree(cloud);
    for (int i = 0; i < 60; ++i) {
        const V3f p(u(random), u(random), u(random));
        std::vector<std::pair<float, uint32_t>> all;
        for (uint32_t k = 0; k < cloud.size(); ++k) all.emplace_back((cloud[k] - p).length2(), k);
        std::sort(all.begin(), all.end());
        uint32_t index[12];
        float d2[12];
        REQUIRE(tree.closestFew(p, 12, index, d2) == 12);
        for (size_t k = 0; k < 12; ++k) CHECK(d2[k] == Approx(all[k].first).margin(1e-6));
        CHECK(tree.nearest(p, 10) == all[0].second);
        size_t near = 0, within = 0;
        for (const auto& [d, k] : all) near += d < 0.01f;
        tree.within(p, 0.1f, [&](uint32_t) { ++within; });
        CHECK(within == near);
        std::vector<uint32_t> some;
        tree.withinMost(p, 0.1f, 5, some);
        CHECK(some.size() == std::min<size_t>(5, near));
    }
}
