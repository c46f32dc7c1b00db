// What particles meet.
#include "geo/surface/moving_surface.h"
#include "sim/sim_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

M44f at(const V3f& p, float turnZ = 0) {
    M44f m;
    m.rotate(V3f(0, 0, turnZ));
    m[3][0] = p.x, m[3][1] = p.y, m[3][2] = p.z;
    return m;
}

Step& meets(Sim& sim, const std::string& object, const std::string& then) {
    Step& s = sim.part("collide");
    Sim::set(s, "with", object);
    Sim::set(s, "then", then);
    Sim::set(s, "thickness", 1e-4);
    return s;
}

}  // namespace

TEST_CASE("a point and a triangle that both move meet when they lie in one plane", "[sim]") {
    const MovingTriangle low{V3f(-1, 0, -1), V3f(-1, 0, 1), V3f(1, 0, 0)};
    const MovingTriangle high{V3f(-1, 2, -1), V3f(-1, 2, 1), V3f(1, 2, 0)};
    float u, v;
    CHECK(meetTriangle(V3f(-0.5f, 1, 0), V3f(-0.5f, 1, 0), low, high, u, v) == Approx(0.5));
    CHECK(meetTriangle(V3f(-0.5f, 3, 0), V3f(-0.5f, 0, 0), low, high, u, v) == Approx(3.0 / 5));
    CHECK(low.at(u, v).x == Approx(-0.5));
    CHECK(meetTriangle(V3f(3, 3, 0), V3f(3, 0, 0), low, high, u, v) < 0);
    CHECK(meetTriangle(V3f(-0.5f, 3, 0), V3f(-0.5f, 2.5f, 0), low, high, u, v) < 0);
    const MovingTriangle flat{V3f(0.0f), V3f(0.0f), V3f(0.0f)};
    CHECK(meetTriangle(V3f(0, 1, 0), V3f(0, -1, 0), flat, flat, u, v) < 0);
}

TEST_CASE("a bounce without loss keeps its energy, one with loss loses as much as it says", "[sim]") {
    Sim sim;
    sim.source = points({V3f(0, 1, 0)});
    sim.part("gravity");
    Step& floor = sim.part("floor");
    Sim::set(floor, "bounce", 1.0);
    Sim::set(floor, "friction", 0.0);
    Sim::set(floor, "thickness", 1e-6);
    const auto states = sim.run(24 * 10);
    for (const SolverState& s : states) {
        const double energy = 9.81 * double(places(s)[0].y) + 0.5 * double(speeds(s)[0].length2());
        CHECK(energy == Approx(9.81).epsilon(2e-4));  // some 500 sums of floats, and eleven bounces
    }
    Sim::set(floor, "bounce", 0.5);
    double highest = 0;  // between the first contact, after 0.45 s, and the second
    const auto lossy = sim.run(24);
    for (int f = 12; f < 20; ++f) {
        const double vy = double(speeds(lossy[size_t(f)])[0].y), y = double(places(lossy[size_t(f)])[0].y);
        highest = std::max(highest, y + vy * std::abs(vy) / (2 * 9.81));
    }
    CHECK(highest == Approx(0.25).epsilon(1e-3));
}

TEST_CASE("friction holds on slopes flatter than its angle, and slows by the rest on steeper ones", "[sim]") {
    for (const float friction : {0.3f, 0.6f, 1.0f})
        for (const float slope : {0.8f, 1.25f}) {  // of the angle at which it just holds
            Sim sim;
            const float angle = std::atan(friction * slope);
            const M44f world = at(V3f(0.0f), -angle);
            sim.world.objects["slope"] = [world](double) { return placed(makePlane(400, 4), world); };
            sim.source = points({V3f(0, 1e-4f, 0) * world});
            sim.part("gravity");
            Step& s = meets(sim, "slope", "bounce");
            Sim::set(s, "friction", double(friction));
            Sim::set(s, "bounce", 0.0);
            const auto states = sim.run(49);
            const double along = double(places(states.back())[0].length());
            INFO("friction " << friction << ", slope " << degrees(angle));
            if (slope < 1) {
                CHECK(along < 1e-3);
            } else {
                const double a =
                    9.81 * (std::sin(double(angle)) - double(friction) * std::cos(double(angle)));
                CHECK(along == Approx(0.5 * a * 4).epsilon(0.02));  // by substeps of 1/48 s, half of one late
            }
        }
}

TEST_CASE("nothing passes through a thin sheet at 500 m/s, whichever of them moves", "[sim]") {
    std::vector<V3f> p, v;
    std::mt19937_64 random(testSeed());
    std::uniform_real_distribution<float> u(-0.9f, 0.9f);
    for (int i = 0; i < 2000; ++i) {
        p.push_back(V3f(u(random), 2 + u(random), u(random)));
        v.push_back(V3f(u(random), -500, u(random)) + V3f(0, 5 * u(random), 0));
    }
    for (const bool moves : {false, true}) {
        Sim sim;
        sim.world.objects["sheet"] = [moves](double frame) {
            const float t = float(frame - 1) / 24.0f;
            return placed(makePlane(60, 16), at(V3f(0, moves ? -1 + 300 * t : 0, 0), moves ? 0.2f * t : 0));
        };
        sim.source = points(p, v);
        sim.set("fastest", 5000.0);
        sim.set("substeps", int64_t(1));
        Step& s = meets(sim, "sheet", "bounce");
        Sim::set(s, "bounce", 0.4);
        const auto states = sim.run(4);
        for (size_t f = 1; f < states.size(); ++f) {
            const SceneQuery::Placed sheet = sim.world.objects["sheet"](double(f + 1));
            for (const V3f& q : places(states[f])) CHECK((q * sheet.world.inverse()).y > 0);
        }
    }
    // The same with a sheet that deforms: its points go their own ways.
    Sim sim;
    sim.world.objects["sheet"] = [](double frame) {
        auto mesh = std::make_shared<Mesh>(*makePlane(60, 16));
        for (V3f& q : mesh->points.add<V3f>("P"))
            q.y = 0.5f * std::sin(q.x) * float(frame) + 6.0f * float(frame - 1);
        mesh->finish();
        return placed(mesh);
    };
    sim.source = points(p, v);
    sim.set("fastest", 5000.0);
    sim.set("substeps", int64_t(2));
    meets(sim, "sheet", "slide");
    for (V3f& q : p) q.y += 3;
    sim.source = points(p, v);
    const auto states = sim.run(4);
    for (size_t f = 1; f < states.size(); ++f) {
        const Surface sheet(sim.world.objects["sheet"](double(f + 1)).shape->meshPtr());
        for (const V3f& q : places(states[f]))
            CHECK(sheet.intersect(V3f(q.x, 1000, q.z), V3f(0, -1, 0)).position.y <= q.y + 1e-3f);
    }
}

TEST_CASE("what sticks goes with a turning body exactly", "[sim]") {
    Sim sim;
    sim.world.objects["ball"] = [](double frame) {
        return placed(makeSphere(0.5f, 16), at(V3f(0.1f * float(frame), 0, 0), 0.3f * float(frame)));
    };
    std::vector<V3f> p, v;
    for (int i = -3; i <= 3; ++i) p.push_back(V3f(0.3f + 0.1f * float(i), 2, 0)), v.push_back(V3f(0, -8, 0));
    sim.source = points(p, v);
    meets(sim, "ball", "stick");
    const auto states = sim.run(40);
    size_t checked = 0;
    for (size_t f = 1; f < states.size(); ++f) {
        const AttributeSet& a = particles(states[f]);
        const SceneQuery::Placed ball = sim.world.objects["ball"](double(f + 1));
        const Mesh& mesh = ball.shape->mesh();
        for (size_t i = 0; i < a.size(); ++i) {
            if (a.find<int32_t>("state")[i] != 2) continue;
            const Triangle& t = mesh.triangles()[size_t(a.find<int32_t>("stuck_triangle")[i])];
            const V2f w = a.find<V2f>("stuck_bary")[i];
            const V3f A = mesh.cornerPosition(t[0]) * ball.world, B = mesh.cornerPosition(t[1]) * ball.world,
                      C = mesh.cornerPosition(t[2]) * ball.world;
            const V3f on = A * (1 - w.x - w.y) + B * w.x + C * w.y;
            const V3f n = (B - A).cross(C - A).normalized();
            const float side = a.find<int32_t>("stuck_in")[i] < 0 ? -1.0f : 1.0f;
            if (f > 30) {
                CHECK((places(states[f])[i] - on - n * (side * 1e-4f)).length() < 2e-6f);
                ++checked;
            }
        }
    }
    CHECK(checked > 20);
    // The turn that it had to the ball when it came stays.
    const auto relative = [&](const SolverState& s, size_t f, size_t i) {
        const V3f axis = rotate(particles(s).find<Quatf>("orient")[i], V3f(0, 1, 0));
        V3f local;
        sim.world.objects["ball"](double(f + 1)).world.inverse().multDirMatrix(axis, local);
        return local;
    };
    for (size_t i = 0; i < p.size(); ++i)
        if (particles(states[30]).find<int32_t>("state")[i] == 2)
            CHECK((relative(states[30], 30, i) - relative(states[39], 39, i)).length() < 1e-4f);
}

TEST_CASE("long ones meet with their tip", "[sim]") {
    Sim sim;
    sim.source = points({V3f(0, 3, 0)}, {V3f(0, -6, 0)});
    sim.world.objects["ground"] = [](double) { return placed(makePlane(4, 2)); };
    Sim::set(sim.part("facing"), "damping", 0.0);
    Step& s = meets(sim, "ground", "stick");
    Sim::set(s, "ahead", 0.25);
    const auto states = sim.run(24);
    CHECK(places(states.back())[0].y == Approx(0.25).margin(2e-3));
    CHECK(rotate(particles(states.back()).find<Quatf>("orient")[0], V3f(0, 1, 0)).y < -0.99f);
}

TEST_CASE("ends on contact, begins inside, and wakes", "[sim]") {
    Sim sim;
    sim.source = points({V3f(0, 1, 0), V3f(5, 1, 0)}, {V3f(0, -2, 0), V3f(0, -2, 0)});
    sim.world.objects["ground"] = [](double) { return placed(makePlane(4, 2)); };
    meets(sim, "ground", "end");
    CHECK(particles(sim.run(24).back()).size() == 1);

    Sim inside;
    inside.source = points({V3f(0.1f, 0.2f, 0), V3f(2, 0, 0)});
    inside.world.objects["ball"] = [](double) { return placed(makeSphere(0.5f, 64)); };
    meets(inside, "ball", "bounce");
    const auto states = inside.run(3);
    CHECK(places(states.back())[0].length() > 0.499f);
    REQUIRE(states[0].notes.size() == 1);
    CHECK(states[0].notes[0].find("1 particle began inside") == 0);

    Sim wake;  // a ball passes by those that wait
    wake.source = points({V3f(0, 0, 0), V3f(1, 0, 0), V3f(2, 0, 0)});
    wake.set("waiting", true);
    wake.part("gravity");
    wake.world.objects["crab"] = [](double frame) {
        return placed(makeSphere(0.1f, 16), at(V3f(float(frame) * 0.1f - 0.5f, 0, 0)));
    };
    Sim::set(meets(wake, "crab", "wake"), "reach", 0.15);
    const auto w = wake.run(12);  // it comes to 0.7
    CHECK(places(w.back())[0].y < -0.01f);
    CHECK(places(w.back())[2].y == 0.0f);
}

TEST_CASE("other faces than a frame before are taken up and said", "[sim]") {
    Sim sim;
    sim.source = points({V3f(0.2f, 1, 0.1f)});
    sim.part("gravity");
    sim.world.objects["ground"] = [](double frame) { return placed(makePlane(4, frame < 5 ? 2 : 3)); };
    Step& s = meets(sim, "ground", "bounce");
    Sim::set(s, "bounce", 0.0);
    const auto states = sim.run(30);
    CHECK(states[5].notes.empty());
    REQUIRE(states[4].notes.size() == 1);
    CHECK(states[4].notes[0].find("other faces") != std::string::npos);
    CHECK(places(states.back())[0].y == Approx(1e-4).margin(1e-4));
}

TEST_CASE("those that keep apart have no pair nearer than both radii, and lose no one", "[sim]") {
    Sim sim;
    std::vector<V3f> p;
    std::mt19937_64 random(testSeed());
    std::uniform_real_distribution<float> u(-0.3f, 0.3f);
    for (int i = 0; i < 600; ++i) p.push_back(V3f(u(random), 0.6f + u(random), u(random)));
    p[1] = p[0];
    sim.source = points(p);
    Sim::set(sim.part("drag"), "strength", 4.0);
    Step& apart = sim.part("spacing");
    Sim::set(apart, "radius", 0.03);
    Sim::set(apart, "rounds", int64_t(8));
    const auto states = sim.run(60);
    const auto q = places(states.back());
    float nearest = 1;
    for (size_t i = 0; i < q.size(); ++i)
        for (size_t k = 0; k < i; ++k) nearest = std::min(nearest, (q[i] - q[k]).length());
    CHECK(nearest > 0.059f);
}
