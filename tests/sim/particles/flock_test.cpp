// Swarms.
#include "sim/sim_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

float order(const SolverState& s) {
    V3f sum(0.0f);
    for (const V3f& v : speeds(s)) sum += v.length() > 0 ? v.normalized() : V3f(0.0f);
    return sum.length() / float(speeds(s).size());
}

Sim swarm(size_t count, float space) {
    Sim sim;
    std::vector<V3f> p, v;
    std::mt19937_64 random(testSeed());
    std::uniform_real_distribution<float> u(-1, 1);
    for (size_t i = 0; i < count; ++i) {
        p.push_back(V3f(u(random), u(random), u(random)) * space);
        v.push_back(V3f(u(random), u(random), u(random)));
    }
    sim.source = points(p, v);
    return sim;
}

}  // namespace

TEST_CASE("neighbours that go by each other come to go one way", "[sim][flock]") {
    Sim sim = swarm(150, 0.3f);
    Step& flock = sim.part("flock");
    Sim::set(flock, "alike", 4.0);
    Sim::set(flock, "sight", 2.0);
    // Held in a volume: else they only fly apart, each the way of its neighbours.
    sim.world.objects["pool"] = [](double) { return placed(makeSphere(1, 32)); };
    Step& roam = sim.part("roam");
    Sim::set(roam, "inside", std::string("pool"));
    Sim::set(roam, "strength", 0.0);
    sim.part("steer");
    const auto states = sim.run(600);
    CHECK(order(states[0]) < 0.2f);
    float later = 0;  // walls break the order again and again, so its mean counts
    for (size_t f = 300; f < 600; ++f) later += order(states[f]) / 300.0f;
    CHECK(later > 2.0f * order(states[0]));
    CHECK(later > 0.3f);
}

TEST_CASE("one that flies before its swarm sees the one ahead, however many are behind it", "[sim][flock]") {
    std::vector<V3f> p{V3f(0.0f), V3f(0, 0, 0.5f)}, v{V3f(0, 0, 1), V3f(1, 0, 0)};
    for (int i = 0; i < 40; ++i) {  // nearer than that, and more than it looks at of those that it sees
        p.push_back(V3f(0.01f * float(i % 8), 0.01f * float(i / 8), -0.1f));
        v.push_back(V3f(0, -1, 0));
    }
    Sim sim;
    sim.source = points(p, v);
    Step& flock = sim.part("flock");
    Sim::set(flock, "apart", 0.0);
    Sim::set(flock, "together", 0.0);
    Sim::set(flock, "alike", 4.0);
    Sim::set(flock, "sight", 1.0);
    Sim::set(flock, "angle", 120.0);
    const auto states = sim.run(2);
    const auto after = speeds(states.back());
    CHECK(after[0].x > 0.05f);
    CHECK(std::abs(after[0].y) < 1e-6f);
}

TEST_CASE("at rest no pair of a swarm is nearer than it keeps apart", "[sim][flock]") {
    Sim sim = swarm(200, 0.15f);
    Step& flock = sim.part("flock");
    Sim::set(flock, "apart", 40.0);
    Sim::set(flock, "together", 0.0);
    Sim::set(flock, "alike", 0.0);
    Sim::set(flock, "angle", 360.0);
    Sim::set(flock, "distance", 0.08);
    Sim::set(sim.part("drag"), "strength", 6.0);
    const auto kept1 = sim.run(24 * 20);
    const auto q = places(kept1.back());
    float nearest = 1;
    for (size_t i = 0; i < q.size(); ++i)
        for (size_t k = 0; k < i; ++k) nearest = std::min(nearest, (q[i] - q[k]).length());
    CHECK(nearest > 0.08f * 0.98f);
}

TEST_CASE("speed, turns and climbs keep to their limits", "[sim][flock]") {
    Sim sim = swarm(100, 0.5f);
    sim.set("substeps", int64_t(1));
    sim.part("flock");
    Sim::set(sim.part("roam"), "strength", 30.0);
    Step& steer = sim.part("steer");
    Sim::set(steer, "speed", Range{0.5, 1.0});
    Sim::set(steer, "turn_rate", 90.0);
    Sim::set(steer, "climb", 30.0);
    const auto states = sim.run(48);
    for (size_t f = 2; f < states.size(); ++f)
        for (size_t i = 0; i < 100; ++i) {
            const V3f a = speeds(states[f - 1])[i], b = speeds(states[f])[i];
            CHECK(b.length() >= 0.4999f);
            CHECK(b.length() <= 1.0001f);
            const float angle =
                degrees(std::acos(std::clamp(a.normalized().dot(b.normalized()), -1.0f, 1.0f)));
            // Climbing may be cut after turning, which turns it no further than to the limit.
            CHECK(angle < 90.0f / 24 + 1.0f);
            CHECK(degrees(std::asin(std::abs(b.normalized().y))) < 30.1f);
        }
}

TEST_CASE("a swarm goes after its target, keeps out of what it avoids and in where it stays",
          "[sim][flock]") {
    Sim sim = swarm(80, 0.2f);
    M44f far;
    far[3][0] = 4;
    sim.world.objects["lure"] = [far](double) { return placed(makeSphere(0.05f, 8), far); };
    M44f middle;
    middle[3][0] = 2;
    sim.world.objects["float"] = [middle](double) { return placed(makeSphere(0.4f, 32), middle); };
    sim.part("flock");
    Sim::set(sim.part("chase"), "target", std::string("lure"));
    Sim::set(sim.part("avoid"), "objects", Refs{"float"});
    sim.part("steer");
    const auto states = sim.run(24 * 6);
    float nearest = 10;
    for (const SolverState& s : states)
        for (const V3f& q : places(s)) nearest = std::min(nearest, (q - V3f(2, 0, 0)).length());
    CHECK(nearest > 0.4f);
    V3f mean(0.0f);
    for (const V3f& q : places(states.back())) mean += q / 80.0f;
    CHECK((mean - V3f(4, 0, 0)).length() < 0.6f);

    Sim in = swarm(80, 0.2f);
    in.world.objects["pool"] = [](double) { return placed(makeSphere(1, 32)); };
    Sim::set(in.part("roam"), "inside", std::string("pool"));
    in.part("steer");
    const auto kept2 = in.run(24 * 8);
    for (const V3f& q : places(kept2.back())) CHECK(q.length() < 1.15f);
}

TEST_CASE("a part of a swarm lands, and takes off when the part grows less", "[sim][flock]") {
    Sim sim = swarm(100, 0.4f);
    sim.world.objects["ground"] = [](double) {
        M44f m;
        m[3][1] = -1;
        return placed(makePlane(2, 2), m);
    };
    Step& land = sim.part("land");
    Sim::set(land, "on", std::string("ground"));
    land.params["fraction"].value = 0.5;
    land.params["fraction"].keys = {{1, 0.5, KeyEase::Hold}, {100, 0.0, KeyEase::Hold}};
    Sim::set(sim.part("roam"), "strength", 3.0);
    const auto landed = [](const SolverState& s) {
        size_t n = 0;
        for (size_t i = 0; i < places(s).size(); ++i)
            n += places(s)[i].y < -0.995f && speeds(s)[i].length() < 0.05f;
        return n;
    };
    const auto states = sim.run(160);
    CHECK(double(landed(states[95])) == Approx(50).margin(15));
    CHECK(landed(states.back()) < 5);
}
