// Strands as rods: how they sink, swing, keep their length and stay out of things.
#include <tbb/global_control.h>

#include "geo/strands/strands.h"
#include "sim/sim_support.h"
#include "sim/strands/rods.h"
#include "sim/strands/strand_pose.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// Straight strands from a place along a direction.
std::shared_ptr<StrandSet> straight(const std::vector<V3f>& roots, const V3f& direction, float length,
                                    size_t points) {
    auto set = std::make_shared<StrandSet>();
    std::vector<V3f> p;
    std::vector<uint64_t> id;
    std::vector<Quatf> frame;
    for (const V3f& r : roots) {
        for (size_t i = 0; i < points; ++i)
            p.push_back(r + direction * (length * float(i) / float(points - 1)));
        set->start.push_back(uint32_t(p.size()));
        id.push_back(id.size());
        frame.push_back(turnBetween(V3f(0, 1, 0), direction));
    }
    set->points.set("P", p);
    set->strands.set("P", roots);
    set->strands.set("id", id);
    set->strands.set("orient", frame);
    return set;
}

Sim strands(const StrandsPtr& set) {
    Sim sim;
    sim.step = "simulate_strands";
    sim.source = [set](double) { return Geometry(set); };
    sim.part("strand_gravity");
    return sim;
}

const StrandSet& setOf(const SolverState& s) { return *std::get<StrandsPtr>(s.geometry); }
std::span<const V3f> line(const SolverState& s, size_t k) {
    return pointsOf(setOf(s), setOf(s).points.find<V3f>("P"), k);
}

}  // namespace

TEST_CASE("a level strand sinks under its weight as the theory of beams says, at two resolutions",
          "[sim][rods]") {
    // Tip of a cantilever under an even load q: q L^4 / (8 E I) = L^4 / (8 stiff^3), small against L.
    for (const size_t points : {9, 17}) {
        Sim sim = strands(straight({V3f(0.0f)}, V3f(1, 0, 0), 0.1f, points));
        sim.set("stiff", 0.12);
        sim.set("along", Curve{{{0, 1}, {1, 1}}, true});
        sim.set("damping", 6.0);
        sim.set("substeps", int64_t(20));
        sim.set("iterations", int64_t(20));
        const auto states = sim.run(96);
        const double sag = -double(line(states.back(), 0).back().y),
                     theory = std::pow(0.1, 4) / (8 * std::pow(0.12, 3));
        INFO(points << " points: " << sag << " for " << theory);
        CHECK(sag == Approx(theory).epsilon(points == 9 ? 0.2 : 0.1));
    }
}

TEST_CASE("strands keep their length while they swing", "[sim][rods]") {
    for (const double stiff : {0.002, 0.05}) {
        Sim sim = strands(straight({V3f(0.0f), V3f(0.5f, 0, 0)}, V3f(1, 0, 0), 0.3f, 16));
        sim.set("stiff", stiff);
        sim.set("damping", 0.1);
        const auto states = sim.run(72);
        for (const SolverState& s : states)
            for (size_t k = 0; k < 2; ++k) CHECK(lengthOf(line(s, k)) == Approx(0.3).epsilon(0.01));
        CHECK(line(states.back(), 0).back().y < -0.01f);
    }
}

TEST_CASE("a limp strand of one piece swings as a pendulum does", "[sim][rods]") {
    Sim sim = strands(straight({V3f(0.0f)}, V3f(std::sin(0.1f), -std::cos(0.1f), 0), 0.5f, 2));
    sim.set("stiff", 1e-5);
    sim.set("root", 0.0);
    sim.set("damping", 0.0);
    sim.set("air", 0.0);
    sim.set("substeps", int64_t(8));
    const auto states = sim.run(24 * 5);
    // A mass at the end of a thread; at an amplitude of 0.1 the period is 0.06% longer than for none.
    std::vector<double> crossings;
    for (size_t f = 1; f < states.size(); ++f) {
        const double a = double(line(states[f - 1], 0)[1].x), b = double(line(states[f], 0)[1].x);
        if (a > 0 && b <= 0) crossings.push_back((double(f) - 1 + a / (a - b)) / 24.0);
    }
    REQUIRE(crossings.size() >= 3);
    const double period = (crossings.back() - crossings.front()) / double(crossings.size() - 1);
    CHECK(period == Approx(2 * double(kPi) * std::sqrt(0.5 / 9.81)).epsilon(0.01));
}

TEST_CASE("strands stay out of a ball that they fall on, and of one that comes", "[sim][rods]") {
    std::vector<V3f> roots;
    for (int i = 0; i < 20; ++i) roots.push_back(V3f(-0.5f, 0.15f, -0.1f + 0.01f * float(i)));
    Sim sim = strands(straight(roots, V3f(1, 0, 0), 0.9f, 24));
    sim.set("stiff", 0.01);
    const float radius = 0.2f;
    const auto centre = [](double frame) {
        return V3f(0, -0.15f + 0.004f * float(std::max(0.0, frame - 40)), 0);
    };
    sim.world.objects["ball"] = [=](double frame) {
        M44f m;
        const V3f c = centre(frame);
        m[3][0] = c.x, m[3][1] = c.y, m[3][2] = c.z;
        return placed(makeSphere(radius, 96), m);
    };
    Step& s = sim.part("strand_collide");
    Sim::set(s, "with", std::string("ball"));
    Sim::set(s, "thickness", 0.004);
    const auto states = sim.run(80);
    float nearest = 1;
    size_t touching = 0;
    for (size_t f = 0; f < states.size(); ++f)
        for (size_t k = 0; k < roots.size(); ++k)
            for (const V3f& p : line(states[f], k)) {
                const float d = (p - centre(double(f + 1))).length();
                nearest = std::min(nearest, d);
                touching += d < radius + 0.006f;
            }
    CHECK(touching > 100);
    // The ball of triangles lies inside of the round one by the height of its faces, 0.2 (1 - cos(pi / 96)).
    CHECK(nearest > radius - 0.0002f);
}

TEST_CASE("strands that lie between two balls touch both and stay out of them", "[sim][rods]") {
    std::vector<V3f> roots;
    for (int i = 0; i < 24; ++i) roots.push_back(V3f(-0.0092f + 0.0008f * float(i), 0.5f, 0));
    Sim sim = strands(straight(roots, V3f(0, -1, 0), 0.6f, 16));
    sim.set("stiff", 0.004);
    // So near each other that what lies on one is within reach of the other.
    for (const float side : {-1.0f, 1.0f}) {
        const std::string id = side < 0 ? "left" : "right";
        sim.world.objects[id] = [=](double frame) {
            M44f m;
            m.setTranslation(V3f(side * (0.2085f + 0.002f * float(std::sin(frame * 0.3))), 0.1f, 0));
            return placed(makeSphere(0.2f, 64), m);
        };
        Step& s = sim.part("strand_collide");
        Sim::set(s, "with", id);
        Sim::set(s, "thickness", 0.004);
    }
    bool onLeft = false, onRight = false;
    for (int f = 1; const SolverState& state : sim.run(60)) {
        CHECK(state.notes.empty());
        for (size_t k = 0; k < roots.size(); ++k) {
            for (const V3f& p : line(state, k)) {
                const float turn = 0.002f * float(std::sin(double(f) * 0.3));
                const float left = (p - V3f(-0.2085f - turn, 0.1f, 0)).length();
                const float right = (p - V3f(0.2085f + turn, 0.1f, 0)).length();
                onLeft |= left < 0.206f, onRight |= right < 0.206f;
                // A thickness off the balls, whose faces lie a part of a millimetre within them.
                if (f > 1) CHECK(std::min(left, right) > 0.203f);
            }
        }
        ++f;
    }
    CHECK(onLeft);
    CHECK(onRight);
}

TEST_CASE("a piece of strand between two points that touch does not cut off the edge between them",
          "[sim][rods]") {
    // Long pieces from one slope of a roof over its ridge to the other: with both ends on it they would cut
    // it.
    const float half = radians(40);
    const V3f down(std::sin(half), -std::cos(half), 0), up(std::cos(half), std::sin(half), 0);
    const MeshPtr roof = meshOf({{0, 0, -1},
                                 {0, 0, 1},
                                 {-down.x, down.y, -1},
                                 {-down.x, down.y, 1},
                                 {down.x, down.y, -1},
                                 {down.x, down.y, 1}},
                                {{0, 2, 3, 1}, {0, 1, 5, 4}, {2, 4, 5, 3}, {0, 4, 2}, {1, 3, 5}});
    std::vector<V3f> roots;
    for (int i = 0; i < 20; ++i)
        roots.push_back(V3f(-up.x, up.y, 0) * 0.006f + V3f(-down.x, down.y, 0) * (0.12f + 0.005f * float(i)) +
                        V3f(0, 0, -0.3f + 0.03f * float(i)));
    Sim sim = strands(straight(roots, V3f(down.x, -down.y, 0), 0.7f, 8));
    sim.set("stiff", 0.002);
    sim.world.objects["roof"] = [=](double) { return placed(roof); };
    Step& s = sim.part("strand_collide");
    Sim::set(s, "with", std::string("roof"));
    Sim::set(s, "thickness", 0.004);
    const auto states = sim.run(60);
    size_t over = 0;
    float deepest = 0;
    for (size_t f = 30; f < states.size(); ++f)
        for (size_t k = 0; k < roots.size(); ++k) {
            const auto p = line(states[f], k);
            for (size_t i = 0; i + 1 < p.size(); ++i) {
                if (p[i].x < -0.01f && p[i + 1].x > 0.01f)
                    over += p[i].y + (p[i + 1].y - p[i].y) * p[i].x / (p[i].x - p[i + 1].x) < 0.02f;
                for (float t = 0.02f; t < 1; t += 0.02f) {
                    const V3f q = p[i] + (p[i + 1] - p[i]) * t;
                    deepest = std::max(deepest, -V3f(std::abs(q.x), q.y, 0).dot(up));
                }
            }
        }
    CHECK(over > 20);  // they do lie on it
    // Neighbours that are moved in turn leave about a thickness; taken for clear it would be 0.037.
    CHECK(deepest < 0.006f);
}

TEST_CASE("strands that begin inside of what they meet are let out, and counted", "[sim][rods]") {
    // Through a ball beside its middle; the last hangs clear of it.
    std::vector<V3f> roots;
    for (int i = 0; i < 6; ++i) roots.push_back(V3f(0.1f + 0.03f * float(i), 0.5f, 0.02f));
    Sim sim = strands(straight(roots, V3f(0, -1, 0), 0.8f, 24));
    sim.world.objects["ball"] = [](double) { return placed(makeSphere(0.2f, 64)); };
    Sim::set(sim.part("strand_collide"), "with", std::string("ball"));
    const auto states = sim.run(40);
    REQUIRE(states[1].notes.size() == 1);
    CHECK(states[1].notes[0] ==
          "4 strands began inside of what they collide with, and were moved to its surface");
    for (size_t f = 2; f < states.size(); ++f) CHECK(states[f].notes.empty());
    for (size_t f : {size_t(1), size_t(10), states.size() - 1})
        for (size_t k = 0; k < roots.size(); ++k)
            for (const V3f& p : line(states[f], k)) CHECK(p.length() > 0.199f);  // 64 parts of a circle
    // It is looked for once: a state from a file goes on as it was.
    SolverState cold = states[20];
    cold.memo = nullptr;
    SolverInput before = sim.at(21), now = sim.at(22);
    const SolverState on = sim.solver().advance(cold, before, now, Progress::none());
    CHECK(setOf(on).points == setOf(states[21]).points);
}

TEST_CASE("strands that keep apart do not pass through each other", "[sim][rods]") {
    auto set = straight({V3f(0, 0.1f, 0)}, V3f(1, 0, 0), 0.4f, 12);
    auto across = straight({V3f(0.2f, 0.0f, -0.2f)}, V3f(0, 0, 1), 0.4f, 12);
    auto both = std::make_shared<StrandSet>();
    std::vector<V3f> p, roots = {V3f(0, 0.1f, 0), V3f(0.2f, 0.0f, -0.2f)};
    for (const auto& s : {set, across}) {
        const auto q = std::as_const(s->points).find<V3f>("P");
        p.insert(p.end(), q.begin(), q.end());
        both->start.push_back(uint32_t(p.size()));
    }
    both->points.set("P", p);
    both->strands.set("P", roots);
    both->strands.set("id", std::vector<uint64_t>{1, 2});
    both->strands.set("orient", std::vector<Quatf>{turnBetween(V3f(0, 1, 0), V3f(1, 0, 0)),
                                                   turnBetween(V3f(0, 1, 0), V3f(0, 0, 1))});
    Sim sim = strands(both);
    sim.set("stiff", 0.03);
    sim.params["along"].value = Curve{{{0, 1}, {1, 1}}, true};
    // The lower one stands firm: it is held up by its shape.
    sim.set("shape_memory", 0.6);
    Step& s = sim.part("strand_spacing");
    Sim::set(s, "thickness", 0.02);
    Sim::set(s, "rounds", int64_t(4));
    Step& wind = sim.part("strand_wind");
    Sim::set(wind, "velocity", V3d(0, -8, 0));
    Sim::set(wind, "strength", 1.5);
    Sim::set(wind, "gusts", 0.0);
    for (const SolverState& state : sim.run(48)) {
        float nearest = 1;
        const auto a = line(state, 0), b = line(state, 1);
        for (size_t i = 0; i + 1 < a.size(); ++i)
            for (int t = 0; t <= 20; ++t)
                for (size_t j = 0; j + 1 < b.size(); ++j)
                    for (int u = 0; u <= 20; ++u)
                        nearest = std::min(nearest, (a[i] + (a[i + 1] - a[i]) * (0.05f * float(t)) - b[j] -
                                                     (b[j + 1] - b[j]) * (0.05f * float(u)))
                                                        .length());
        CHECK(nearest > 0.012f);
    }
}

TEST_CASE("strands go with their roots, alike on one thread and many, and begin anew where they are others",
          "[sim][rods]") {
    std::vector<V3f> roots;
    for (int i = 0; i < 200; ++i) roots.push_back(V3f(0.01f * float(i), 0, 0));
    Sim sim = strands(nullptr);
    sim.source = [roots](double frame) {
        std::vector<V3f> moved = roots;
        for (V3f& r : moved) r.z = 0.3f * std::sin(float(frame) * 0.4f);
        if (frame > 30) moved.pop_back();
        return Geometry(StrandsPtr(straight(moved, V3f(0, 1, 0), 0.2f, 12)));
    };
    sim.part("strand_turbulence");
    const auto states = sim.run(32);
    for (size_t f = 0; f < 30; ++f)
        CHECK(std::abs(line(states[f], 7)[0].z - 0.3f * std::sin(float(f + 1) * 0.4f)) < 1e-5f);
    CHECK(std::abs(line(states[20], 7)[11].z - line(states[20], 7)[0].z) > 0.005f);  // the tips lag behind
    REQUIRE(states[30].notes.size() == 1);
    CHECK(setOf(states[30]).size() == 199);
    CHECK(states[31].notes.empty());
    tbb::global_control single(tbb::global_control::max_allowed_parallelism, 1);
    const auto again = sim.run(32);
    CHECK(setOf(again.back()).points == setOf(states.back()).points);
}

TEST_CASE("strands of a runner hang as those of one who stands, once they swing no more", "[sim][rods]") {
    // At an even 6 m/s and without air nothing but damping, were it of the world's motion, would make them
    // trail.
    Sim sim = strands(nullptr);
    sim.source = [](double frame) {
        const V3f root(float(frame) * 0.25f, 0, 0);
        return Geometry(StrandsPtr(straight({root}, V3f(0, -1, 0), 0.3f, 8)));
    };
    sim.set("air", 0.0);
    sim.set("damping", 6.0);
    sim.set("stiff", 0.01);
    const auto states = sim.run(200);
    const auto p = line(states.back(), 0);
    CHECK(std::abs(p[7].x - p[0].x) < 0.003f);  // a hundredth of its length; it trailed by most of it
    CHECK(p[0].y - p[7].y == Approx(0.3f).epsilon(0.01));
}

TEST_CASE("strands that are gone on with from a file move as those that were never stopped", "[sim][rods]") {
    std::vector<V3f> roots;
    for (int i = 0; i < 60; ++i)
        roots.push_back(V3f(-0.3f + 0.01f * float(i % 8), 0.25f, -0.3f + 0.01f * float(i)));
    Sim sim = strands(straight(roots, V3f(1, 0, 0), 0.6f, 14));
    sim.set("stiff", 0.01);
    sim.world.objects["ball"] = [](double frame) {
        M44f m;
        m.setTranslation(V3f(0, 0.01f * float(std::sin(frame)), 0));
        return placed(makeSphere(0.2f, 48), m);
    };
    Sim::set(sim.part("strand_collide"), "with", std::string("ball"));
    Sim::set(sim.part("strand_spacing"), "thickness", 0.008);
    const auto whole = sim.run(30);
    // What a frame only remembers to be quicker is not in a file.
    SolverState state = whole[0];
    SolverInput before = sim.at(1);
    for (int f = 2; f <= 30; ++f) {
        state.memo = nullptr;
        SolverInput now = sim.at(f);
        state = sim.solver().advance(state, before, now, Progress::none());
        before = now;
        const auto p = setOf(state).points.find<V3f>("P"),
                   q = setOf(whole[size_t(f) - 1]).points.find<V3f>("P");
        REQUIRE(std::equal(p.begin(), p.end(), q.begin()));
    }
}

TEST_CASE("heavy strands are blown less, and hold their speed limit", "[sim][rods]") {
    const auto blown = [](double weight, double fastest) {
        Sim sim = strands(straight({V3f(0.0f)}, V3f(0, -1, 0), 0.4f, 10));
        sim.set("weight", weight);
        sim.set("stiff", 0.005);
        Step& wind = sim.part("strand_wind");
        Sim::set(wind, "velocity", V3d(3, 0, 0));
        Sim::set(wind, "strength", 2.0);
        Sim::set(wind, "gusts", 0.0);
        Step& limit = sim.part("strand_speed_limit");
        Sim::set(limit, "speed", Range{0, fastest});
        return line(sim.run(10).back(), 0)[9].x;
    };
    const float light = blown(1, 100), heavy = blown(8, 100), slow = blown(1, 0.05);
    INFO(light << " " << heavy << " " << slow);
    CHECK(light > 0.05f);
    CHECK(heavy < 0.5f * light);
    CHECK(slow < 0.4f * light);
}

TEST_CASE("impossible forces leave strands where they were, and are counted", "[sim][rods]") {
    Sim sim = strands(straight({V3f(0.0f)}, V3f(0, 1, 0), 0.2f, 8));
    sim.parts[0].params["strength"].value = 1e6;
    Step& w = sim.part("strand_wind");
    Sim::set(w, "velocity", V3d(1e30, 1e30, 0));
    Sim::set(w, "strength", 1e6);
    const auto states = sim.run(4);
    for (const V3f& p : line(states.back(), 0)) CHECK(isFinite(p));
    Sim none = strands(std::make_shared<StrandSet>());
    CHECK(setOf(none.run(3).back()).size() == 0);
}

TEST_CASE("strands start from a pose at rest, and keep to the shape of the recipe", "[sim][rods][pose]") {
    const auto roots = std::vector<V3f>{V3f(0.0f), V3f(0, 0, 0.1f)};
    const auto level = straight(roots, V3f(1, 0, 0), 0.2f, 10);
    Sim sim = strands(level);
    sim.set("stiff", 0.06);
    sim.set("damping", 8.0);
    const SolverState hung = sim.run(120).back();
    sim.world.strandFiles["hung.ply"] = withPose(setOf(hung));
    sim.set("starts_as", std::string("hung.ply"));
    auto states = sim.run(24);
    for (const SolverState& s : states) CHECK(s.notes.empty());
    const auto farthest = [&](const SolverState& s, const SolverState& from) {
        float most = 0;
        const auto a = setOf(s).points.find<V3f>("P"), b = setOf(from).points.find<V3f>("P");
        for (size_t i = 0; i < a.size(); ++i) most = std::max(most, (a[i] - b[i]).length());
        return most;
    };
    CHECK(farthest(states[0], hung) < 1e-6f);  // into the root's frame and back is rounding
    for (const V3f& v : setOf(states[0]).points.find<V3f>("v")) CHECK(v == V3f(0.0f));
    CHECK(farthest(states.back(), hung) < 0.002f);  // it has come to rest; without a pose it falls
    sim.set("starts_as", std::string());
    CHECK(farthest(sim.run(24)[0], hung) > 0.05f);
    // Without weight they go back to the level shape, which is theirs still.
    Sim weightless = strands(level);
    weightless.parts.clear();
    weightless.world.strandFiles = sim.world.strandFiles;
    weightless.set("starts_as", std::string("hung.ply"));
    weightless.set("shape_memory", 0.5);
    const SolverState back = weightless.run(72).back();
    for (size_t k = 0; k < 2; ++k) CHECK(std::abs(line(back, k).back().y) < 0.002f);
}

TEST_CASE("a pose goes with its roots, and what it has not is said", "[sim][rods][pose]") {
    const auto level = straight({V3f(0.0f), V3f(0, 0, 0.1f)}, V3f(1, 0, 0), 0.2f, 5);
    auto bent = std::make_shared<StrandSet>(*level);
    const auto p = bent->points.add<V3f>("P");
    for (size_t i = 0; i < p.size(); ++i) p[i].y -= 0.1f * float(i % 5);
    // Elsewhere and turned: what hung down beside the strand goes with the frame of its root.
    const auto up = straight({V3f(5, 0, 0), V3f(5, 0, 0.1f)}, V3f(0, 1, 0), 0.2f, 5);
    StrandSet taken(*up);
    CHECK(takePose(*withPose(*bent), taken) == 0);
    const Quatf turn =
        up->strands.find<Quatf>("orient")[0] * level->strands.find<Quatf>("orient")[0].inverse();
    const auto q = std::as_const(taken.points).find<V3f>("P");
    for (size_t i = 0; i < 5; ++i) {
        const V3f expected = V3f(5, 0, 0) + rotate(turn, std::as_const(bent->points).find<V3f>("P")[i]);
        CHECK((q[i] - expected).length() < 1e-6f);
    }
    // Of another program: only from its root.
    StrandSet shifted(*up);
    CHECK(takePose(*bent, shifted) == 0);
    CHECK((std::as_const(shifted.points).find<V3f>("P")[4] - V3f(5.2f, -0.4f, 0)).length() < 1e-6f);
    // Those without a pose stay: other ids, other numbers of points, nothing at all.
    StrandSet other(*up);
    other.strands.set("id", std::vector<uint64_t>{1, 7});
    CHECK(takePose(*bent, other) == 1);
    CHECK(std::as_const(other.points).find<V3f>("P")[9] == up->points.find<V3f>("P")[9]);
    StrandSet longer(*straight({V3f(0.0f)}, V3f(0, 1, 0), 0.2f, 6));
    CHECK(takePose(*bent, longer) == 1);
    StrandSet none;
    none.points.set("P", std::vector<V3f>());
    CHECK(takePose(*bent, none) == 0);
    Sim sim = strands(up);
    sim.world.strandFiles["poses/few.ply"] = straight({V3f(0.0f)}, V3f(1, 0, 0), 0.2f, 5);
    sim.set("starts_as", std::string("poses/few.ply"));
    const auto states = sim.run(2);
    REQUIRE(states[0].notes.size() == 1);
    CHECK(states[0].notes[0] ==
          "1 strand is not in the pose of few.ply, with as many points: it starts as placed");
}
