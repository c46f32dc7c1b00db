// Forces, rules, offspring and looks, each by what it must do alone.
#include <set>

#include "document/model/step_registry.h"
#include "geo/points/curve_set.h"
#include "geo/strands/strands.h"
#include "geo/volume/vector_grid.h"
#include "sim/particle_parts.h"
#include "sim/sim_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

double lengthOf(const V3f& v) { return double(v.length()); }

/// One particle at a place, under one part.
struct One : Sim {
    explicit One(const V3f& at, const V3f& speed = V3f(0.0f)) {
        source = points({at}, {speed});
        set("substeps", int64_t(8));
    }
    V3f after(int frames) { return places(run(frames).back())[0]; }
};

Geometry pointsAt(std::vector<V3f> p) { return points(std::move(p))(1); }

}  // namespace

TEST_CASE("a vortex turns what it holds on a circle", "[sim]") {
    // v^2 / r = inward: a speed of 2 m/s at 1 m asks for 4 m/s2 towards the axis.
    One sim(V3f(1, 0, 0), V3f(0, 0, -2));
    Step& vortex = sim.part("vortex");
    Sim::set(vortex, "round", 0.0);  // keeps the speed
    Sim::set(vortex, "inward", 4.0);
    Sim::set(vortex, "fading", 0.0);
    for (const SolverState& s : sim.run(49)) {
        const V3f p = places(s)[0];
        CHECK(lengthOf(V3f(p.x, 0, p.z)) == Approx(1).margin(0.01));  // second order at 192 substeps
        CHECK(p.y == Approx(0).margin(1e-6));
    }
    Sim::set(vortex, "strength", 0.5);
    Sim::set(vortex, "inward", 0.0);
    Sim::set(vortex, "along", 3.0);
    const auto states = sim.run(3);
    CHECK(speeds(states[2])[0].y == Approx(1.5 * 2 / 24).epsilon(1e-3));
}

TEST_CASE("attraction goes to a place, a surface, a curve or the nearest element, and repels below nothing",
          "[sim]") {
    One sim(V3f(3, 0, 0));
    Step& attract = sim.part("attract");
    Sim::set(attract, "strength", 2.0);
    Sim::set(attract, "fading", 0.0);
    CHECK(sim.after(13).x == Approx(3 - 0.5 * 2 * 0.25).margin(1e-3));
    Sim::set(attract, "strength", -2.0);
    CHECK(sim.after(13).x == Approx(3 + 0.5 * 2 * 0.25).margin(1e-3));
    SECTION("nothing beyond its reach") {
        Sim::set(attract, "reach", 2.0);
        CHECK(sim.after(13) == V3f(3, 0, 0));
    }
    Sim::set(attract, "strength", 2.0);
    SECTION("an object's middle or its surface") {
        sim.world.objects["ball"] = [](double) {
            M44f m;
            m.setTranslation(V3f(3, 4, 0));
            return placed(makeSphere(1.0f, 48), m);
        };
        Sim::set(attract, "to", std::string("ball"));
        CHECK(sim.after(13).y == Approx(0.25).margin(1e-3));
        sim.source = points({V3f(3, 4.5f, 0)});
        CHECK(sim.after(7).y < 4.5f);
        Sim::set(attract, "toward", std::string("surface"));
        CHECK(sim.after(7).y > 4.5f);
    }
    SECTION("the nearest of a layer") {
        sim.world.layers["crumbs"] = pointsAt({V3f(3, 0, 1), V3f(-30, 0, 0)});
        Sim::set(attract, "to", std::string("crumbs"));
        CHECK(sim.after(13).z == Approx(0.25).margin(1e-3));
        CHECK(sim.after(13).x == Approx(3).margin(1e-5));
    }
    SECTION("a curve") {
        sim.world.curves["line"] =
            std::make_shared<const CurveSet>(std::vector<std::vector<V3f>>{{V3f(-10, 5, 0), V3f(10, 5, 0)}});
        Sim::set(attract, "to", std::string("line"));
        CHECK(sim.after(13).y == Approx(0.25).margin(1e-3));
    }
}

TEST_CASE("what follows a curve goes along it at its speed and stays within its width", "[sim]") {
    One sim(V3f(0, 0.5f, 0));
    sim.world.curves["line"] =
        std::make_shared<const CurveSet>(std::vector<std::vector<V3f>>{{V3f(0, 0, 0), V3f(100, 0, 0)}});
    Step& follow = sim.part("follow_curve");
    Sim::set(follow, "curve", std::string("line"));
    Sim::set(follow, "strength", 2.0);
    Sim::set(follow, "response", 6.0);
    Sim::set(follow, "width", 0.1);
    const auto states = sim.run(97);
    CHECK(speeds(states.back())[0].x == Approx(2).margin(0.01));
    CHECK(std::abs(places(states.back())[0].y) < 0.11f);
    Sim::set(follow, "curve", std::string());
    CHECK(sim.run(2).back().notes.size() == 1);
}

TEST_CASE("what stays on a surface goes over it and never off it", "[sim]") {
    One sim(V3f(0, 1.2f, 0), V3f(1, 0, 0));
    sim.world.objects["ball"] = [](double) { return placed(makeSphere(1.0f, 96)); };
    Step& stay = sim.part("stay_on");
    Sim::set(stay, "on", std::string("ball"));
    Sim::set(stay, "height", 0.2);
    for (const SolverState& s : sim.run(49))
        CHECK(lengthOf(places(s)[0]) == Approx(1.2).margin(0.02));  // the ball's facets are 1e-3 deep
    CHECK(places(sim.run(49).back())[0].x > 0.5f);
}

TEST_CASE("no speed passes its limits", "[sim]") {
    One sim(V3f(0.0f), V3f(30, 0, 0));
    Step& limit = sim.part("speed_limit");
    Sim::set(limit, "speed", Range{1, 4});
    CHECK(lengthOf(speeds(sim.run(2).back())[0]) == Approx(4).epsilon(1e-5));
    sim.source = points({V3f(0.0f)}, {V3f(0, 0.1f, 0)});
    CHECK(speeds(sim.run(2).back())[0].y == Approx(1).epsilon(1e-5));
}

TEST_CASE("vectors of a grid push or carry, and turn with an object", "[sim]") {
    auto grid = std::make_shared<VectorGrid>();
    grid->size = V3i(5, 5, 5);
    grid->cellFromWorld.setTranslation(V3f(2, 2, 2));  // cells of a metre from -2 to 2
    grid->values.assign(125, V3f(1, 0, 0));
    CHECK(grid->at(V3f(0.3f, 1.9f, -2.4f)) == V3f(1, 0, 0));
    CHECK(grid->at(V3f(0, 0, 2.6f)) == V3f(0.0f));
    CHECK(grid->at(V3f(std::nanf(""), 0, 0)) == V3f(0.0f));
    One sim(V3f(0.0f));
    sim.world.grids["flow.vdb"] = grid;
    Step& vectors = sim.part("vectors");
    CHECK(sim.run(2).back().notes.size() == 1);  // it has no file, and says so
    Sim::set(vectors, "file", std::string("flow.vdb"));
    Sim::set(vectors, "mode", std::string("force"));
    CHECK(sim.after(13).x == Approx(0.5 * 0.25).epsilon(1e-4));
    Sim::set(vectors, "mode", std::string("flow"));
    Sim::set(vectors, "response", 4.0);
    // Towards a flow of 1 m/s: x = t - (1 - e^-4t) / 4.
    CHECK(sim.after(13).x == Approx(0.5 - (1 - std::exp(-2.0)) / 4).epsilon(1e-4));
    sim.world.objects["raft"] = [](double) {
        M44f m;
        m.setAxisAngle(V3f(0, 0, 1), kPi / 2);
        return placed(makePlane(1.0f, 1), m);
    };
    Sim::set(vectors, "at", std::string("raft"));
    CHECK(sim.after(13).y == Approx(0.5 - (1 - std::exp(-2.0)) / 4).epsilon(1e-3));
    // Halfway between two cells, halfway between their vectors.
    for (int x = 0; x < 5; ++x) grid->values[size_t(x)] = V3f(float(x), 0, 0);
    CHECK(grid->at(V3f(-0.5f, -2, -2)).x == Approx(1.5).epsilon(1e-6));
}

TEST_CASE("fields of age, speed and rooms limit a force", "[sim]") {
    One sim(V3f(0.0f));
    Step& gravity = sim.part("gravity");
    Field field;
    field.sources.push_back(makeSource("age"));
    field.sources[0].params["range"].value = Range{0.5, 0.5};
    gravity.params["strength"].field = std::make_shared<const Field>(field);
    gravity.params["strength"].low = 0.0;
    gravity.params["strength"].value = 1.0;
    CHECK(sim.after(12) == V3f(0.0f));
    CHECK(sim.after(25).y == Approx(-0.5 * 9.81 * 0.25).epsilon(0.02));  // a substep more or less
    field.sources = {makeSource("speed")};
    field.sources[0].params["range"].value = Range{1, 1};
    gravity.params["strength"].field = std::make_shared<const Field>(field);
    CHECK(sim.after(12) == V3f(0.0f));
    sim.source = points({V3f(0.0f)}, {V3f(2, 0, 0)});
    CHECK(sim.after(12).y < -0.5f);
    sim.source = points({V3f(0.0f)});
    field.sources = {makeSource("inside")};
    gravity.params["strength"].field = std::make_shared<const Field>(field);
    CHECK_THROWS_AS(sim.run(2), Error);
    sim.world.objects["ball"] = [](double frame) {
        M44f m;
        m.setTranslation(V3f(frame < 10 ? 5.0f : 0.0f, 0, 0));
        return placed(makeSphere(1.0f, 32), m);
    };
    field.sources[0].params["object"].value = std::string("ball");
    gravity.params["strength"].field = std::make_shared<const Field>(field);
    CHECK(sim.after(9) == V3f(0.0f));
    CHECK(sim.after(12).y < 0.0f);
}

TEST_CASE("a rule changes what it says, of whom it says, once it holds", "[sim]") {
    const std::string when = GENERATE(as<std::string>(), "past an age", "inside an object", "on contact",
                                      "near another", "by a field");
    const std::string does =
        GENERATE(as<std::string>(), "changes group", "recolours", "ends", "waits", "is woken");
    INFO(when << ", then it " << does);
    // The first comes to where all of it holds; the second stays where nothing does.
    Sim sim;
    sim.source = points({V3f(0, 2, 0), V3f(50, 2, 0), V3f(0.0f)}, {V3f(0, -2, 0), V3f(0, -2, 0), V3f(0.0f)});
    if (when != "near another")
        sim.source = points({V3f(0, 2, 0), V3f(50, 2, 0)}, {V3f(0, -2, 0), V3f(0, -2, 0)});
    if (does == "is woken") sim.set("waiting", true);
    sim.world.objects["room"] = [](double) { return placed(makeSphere(1.0f, 32)); };
    sim.world.objects["floor"] = [](double) { return placed(makePlane(4.0f, 1)); };
    Step& rule = sim.part("rule");
    Sim::set(rule, "when", when);
    Sim::set(rule, "object", std::string("room"));
    Sim::set(rule, "age", 0.4);
    Sim::set(rule, "distance", 0.5);
    Sim::set(rule, "does", does);
    Sim::set(rule, "to", int64_t(3));
    Sim::set(rule, "color", Color(1, 0, 0));
    Field field;
    field.sources.push_back(makeSource("distance"));
    field.sources[0].params["to"].value = Refs{"room"};
    field.sources[0].params["range"].value = Range{0.2, 0.3};
    field.sources[0].invert = true;
    rule.params["where"].field = std::make_shared<const Field>(field);
    rule.params["where"].value = 1.0, rule.params["where"].low = 0.0;
    if (when == "on contact") Sim::set(sim.part("collide"), "with", std::string("floor"));
    const auto states = sim.run(36);
    const AttributeSet& last = particles(states.back());
    const bool asleep = does == "is woken";  // then none gets anywhere: only age cannot hold
    const auto group = last.find<int32_t>("group"), state = last.find<int32_t>("state");
    const auto id = last.find<uint64_t>("id");
    if (asleep) {
        CHECK(state[1] == int32_t(ParticleState::Waiting));
        return;
    }
    const bool all = when == "past an age";  // the second grows old too
    if (does == "ends") {
        CHECK(std::find(id.begin(), id.end(), uint64_t(0)) == id.end());
        CHECK((std::find(id.begin(), id.end(), uint64_t(1)) == id.end()) == all);
        return;
    }
    REQUIRE(id[1] == 1);
    if (does == "changes group") {
        CHECK(group[0] == 3);
        CHECK(group[1] == (all ? 3 : 0));
    }
    if (does == "recolours") {
        const auto color = last.find<Color>("color");
        CHECK(color[0] == Color(1, 0, 0));
        CHECK((color[1] == Color(1, 0, 0)) == all);
    }
    if (does == "waits") {
        CHECK(state[0] == int32_t(ParticleState::Waiting));
        CHECK((state[1] == int32_t(ParticleState::Waiting)) == all);
        CHECK(speeds(states.back())[0] == V3f(0.0f));
    }
}

TEST_CASE("a rule asks only those of its group", "[sim]") {
    Sim sim;
    sim.source = points({V3f(0.0f), V3f(1, 0, 0)});
    Step& first = sim.part("rule");
    Sim::set(first, "age", 0.2);
    Sim::set(first, "of", int64_t(2));
    CHECK(particles(sim.run(12).back()).find<int32_t>("group")[0] == 0);
    Sim::set(first, "of", int64_t(0));
    CHECK(particles(sim.run(12).back()).find<int32_t>("group")[0] == 1);
}

TEST_CASE(
    "particles bear others on contact, at their end, along their way, and when something begins to hold",
    "[sim]") {
    const auto childrenOf = [](Sim& sim, int frames) {
        std::vector<uint64_t> ids;
        const auto states = sim.run(frames);
        for (uint64_t id : particles(states.back()).find<uint64_t>("id"))
            if (id >> 63) ids.push_back(id);
        CHECK(std::set<uint64_t>(ids.begin(), ids.end()).size() == ids.size());
        return ids.size();
    };
    Sim sim;
    sim.source = points({V3f(0, 2, 0)}, {V3f(0, -2, 0)});
    Step& offspring = sim.part("offspring");
    Sim::set(offspring, "forever", true);
    Sim::set(offspring, "count", int64_t(3));
    Sim::set(offspring, "speed", Range{0, 0});
    SECTION("on contact, each time") {
        sim.part("gravity");
        Step& floor = sim.part("floor");
        Sim::set(floor, "bounce", 1.0);
        // Born on the floor, the young meet it themselves, but only the first group bears.
        Sim::set(offspring, "group", int64_t(7));
        sim.part("rule");  // all others come to group 1, and bear
        Sim::set(sim.parts.back(), "age", 0.0);
        Sim::set(offspring, "of", int64_t(1));
        Sim::set(sim.parts.back(), "of", int64_t(0));
        const auto states = sim.run(20);
        CHECK(particles(states[1]).size() == 1);
        CHECK(childrenOf(sim, 20) >= 3);
    }
    SECTION("at the end") {
        Sim::set(offspring, "when", std::string("at the end"));
        Step& rule = sim.part("rule");
        Sim::set(rule, "age", 0.25);
        Sim::set(rule, "does", std::string("ends"));
        Sim::set(rule, "of", int64_t(0));
        Sim::set(offspring, "group", int64_t(5));
        CHECK(childrenOf(sim, 6) == 0);
        const auto states = sim.run(9);
        CHECK(particles(states[8]).size() == 3);
    }
    SECTION("along the way, evenly") {
        Sim::set(offspring, "when", std::string("along its path"));
        Sim::set(offspring, "rate", 12.0);
        Sim::set(offspring, "inherit", 0.0);
        Sim::set(offspring, "of", int64_t(0));
        Sim::set(offspring, "group", int64_t(9));
        Step& rule = sim.part("rule");  // the young bear none
        Sim::set(rule, "age", 0.0);
        Sim::set(rule, "of", int64_t(9));
        Sim::set(rule, "does", std::string("waits"));
        const auto states = sim.run(26);
        std::vector<float> y;
        const auto id = particles(states[25]).find<uint64_t>("id");
        for (size_t i = 0; i < id.size(); ++i)
            if (id[i] >> 63) y.push_back(places(states[25])[i].y);
        REQUIRE(y.size() == 12);
        std::sort(y.begin(), y.end());
        for (size_t k = 0; k + 1 < y.size(); ++k)
            CHECK(y[k + 1] - y[k] == Approx(2.0 / 12).margin(1e-4));  // at 2 m/s, twelve a second
    }
    SECTION("once when an age is passed") {
        Sim::set(offspring, "when", std::string("past an age"));
        Sim::set(offspring, "age", 0.25);
        Sim::set(offspring, "group", int64_t(4));
        Sim::set(offspring, "of", int64_t(0));
        Step& still = sim.part("rule");
        Sim::set(still, "of", int64_t(4));
        Sim::set(still, "age", 0.0);
        Sim::set(still, "does", std::string("waits"));
        CHECK(childrenOf(sim, 6) == 0);
        CHECK(childrenOf(sim, 10) == 3);
        CHECK(childrenOf(sim, 30) == 3);
    }
    SECTION("each time one comes into a room") {
        Sim::set(offspring, "when", std::string("inside an object"));
        Sim::set(offspring, "object", std::string("room"));
        Sim::set(offspring, "group", int64_t(4));
        Step& still = sim.part("rule");
        Sim::set(still, "of", int64_t(4));
        Sim::set(still, "age", 0.0);
        Sim::set(still, "does", std::string("waits"));
        sim.source = points({V3f(0.0f)});
        sim.world.objects["room"] = [](double frame) {  // there from 5 to 9 and from 15 on
            M44f m;
            m.setTranslation(V3f((frame >= 5 && frame < 10) || frame >= 15 ? 0.0f : 9.0f, 0, 0));
            return placed(makeSphere(1.0f, 24), m);
        };
        CHECK(childrenOf(sim, 4) == 0);
        CHECK(childrenOf(sim, 9) == 3);
        CHECK(childrenOf(sim, 14) == 3);
        CHECK(childrenOf(sim, 20) == 6);
    }
}

TEST_CASE("those yet to be born are shown where they will be, and go from there", "[sim]") {
    Sim sim;
    sim.source = [](double frame) { return pointsAt({V3f(0, float(frame), 0), V3f(5, float(frame), 0)}); };
    Step& emit = sim.part("emit");
    Sim::set(emit, "rate", 24.0);
    Sim::set(emit, "most", int64_t(10));
    Sim::set(emit, "forever", true);
    Sim::set(emit, "order", std::string("index"));
    Sim::set(emit, "speed", Range{1, 1});
    const auto plain = sim.run(13);
    sim.set("show_before", true);
    const auto shown = sim.run(13);
    const auto unborn = [](const SolverState& s) {
        size_t n = 0;
        for (int32_t state : particles(s).find<int32_t>("state"))
            n += state == int32_t(ParticleState::Unborn);
        return n;
    };
    for (size_t f = 0; f < shown.size(); ++f) {
        CHECK(particles(shown[f]).size() == 10);
        CHECK(unborn(shown[f]) == 10 - particles(plain[f]).size());
        // Those that are born are the same, to the bit.
        const auto p = places(plain[f]), q = places(shown[f]);
        CHECK(std::equal(p.begin(), p.end(), q.begin()));
    }
    // They hang on their source, which rises a metre a frame.
    CHECK(places(shown[2]).back().y == Approx(3));
    // Between two frames nobody is lost, and one that is not born yet stays.
    const Geometry half = sim.solver().between(shown[2], shown[3], 0.25, 24);
    CHECK(elementCount(half) == 10);
    Sim::set(emit, "most", int64_t(0));
    const auto endless = sim.run(2);
    REQUIRE(endless[1].notes.size() == 1);
    CHECK(endless[1].notes[0].find("At most") != std::string::npos);
}

TEST_CASE("sizes and colours follow life, and copies face where they go", "[sim]") {
    Sim sim;
    sim.source = points({V3f(0.0f)});
    Step& emit = sim.part("emit");
    Sim::set(emit, "rate", 0.0);
    Sim::set(emit, "burst", int64_t(1));
    Sim::set(emit, "burst_at", 1.0);
    Sim::set(emit, "life", Range{1, 1});
    Sim::set(emit, "speed", Range{3, 3});
    Sim::set(emit, "cone", 0.0);
    Sim::set(emit, "size", Range{2, 2});
    Step& size = sim.part("size_over_life");
    size.params["curve"].value = Curve{{{0, 1}, {1, 0}}, false};
    Sim::set(size, "vary", 0.0);
    Step& color = sim.part("color_over_life");
    Sim::set(color, "start", Color(0.0f));
    Sim::set(color, "middle", Color(1.0f));
    Sim::set(color, "end", Color(0.0f));
    const auto states = sim.run(19);
    for (const SolverState& s : states) {
        const float age = particles(s).find<float>("age")[0];
        CHECK(particles(s).find<float>("scale")[0] == Approx(2 * (1 - double(age))).margin(1e-4));
        const double grey = age < 0.5f ? 2 * double(age) : 2 - 2 * double(age);
        CHECK(particles(s).find<Color>("color")[0].x == Approx(grey).margin(1e-4));
    }
    Step& facing = sim.part("facing");
    Sim::set(facing, "damping", 0.0);
    const auto axisAfter = [&](const char* how, int frames, const V3f& axis) {
        Sim::set(sim.parts.back(), "mode", std::string(how));
        return rotate(particles(sim.run(frames).back()).find<Quatf>("orient")[0], axis);
    };
    // It rises along +Y, its source's normal.
    CHECK((axisAfter("along velocity", 3, V3f(0, 1, 0)) - V3f(0, 1, 0)).length() < 1e-5f);
    CHECK((axisAfter("as its source", 3, V3f(0, 1, 0)) - V3f(0, 1, 0)).length() < 1e-5f);
    Sim::set(sim.parts[0], "axis", V3d(30, -3, 0));
    CHECK((axisAfter("ahead, upright", 3, V3f(0, 0, 1)) - V3f(1, 0, 0)).length() < 1e-4f);
    CHECK((axisAfter("ahead, upright", 3, V3f(0, 1, 0)) - V3f(0, 1, 0)).length() < 1e-4f);
    Sim::set(sim.parts[0], "spin", Range{180, 180});
    Sim::set(sim.parts.back(), "mode", std::string("by its spin"));
    const Quatf before = particles(sim.run(1).back()).find<Quatf>("orient")[0];
    const Quatf after = particles(sim.run(13).back()).find<Quatf>("orient")[0];
    const Quatf turn = after * ~before;
    CHECK(2 * std::acos(std::min(1.0, std::abs(double(turn.r)))) == Approx(kPi / 2).margin(1e-3));
}

TEST_CASE("spins come to the one that is asked for, and limits hold as hard as they say", "[sim]") {
    Sim sim;
    sim.source = points({V3f(0.0f)});
    Step& emit = sim.part("emit");
    Sim::set(emit, "burst", int64_t(1));
    Sim::set(emit, "burst_at", 1.0);
    Sim::set(emit, "rate", 0.0);
    Sim::set(emit, "forever", true);
    Sim::set(emit, "spin", Range{360, 360});
    Step& spin = sim.part("spin");
    Sim::set(spin, "rate", 90.0);
    Sim::set(spin, "strength", 2.0);
    const V3f before = particles(sim.run(1).back()).find<V3f>("spin")[0];
    const V3f after = particles(sim.run(25).back()).find<V3f>("spin")[0];
    const V3f wanted = V3f(0, radians(90.0f), 0);
    CHECK((after - wanted - (before - wanted) * std::exp(-2.0f)).length() < 1e-3f);
    CHECK(before.length() == Approx(2 * kPi).epsilon(1e-4));
    One half(V3f(0.0f), V3f(30, 0, 0));
    half.set("substeps", int64_t(1));
    Step& limit = half.part("speed_limit");
    Sim::set(limit, "speed", Range{0, 10});
    Sim::set(limit, "strength", 0.5);
    CHECK(speeds(half.run(2).back())[0].x == Approx(20).epsilon(1e-5));
}

TEST_CASE("what is born may start along the axes of an object, and by the age of what bears it", "[sim]") {
    Sim sim;
    sim.source = points({V3f(0.0f)});
    sim.world.objects["gun"] = [](double) {
        M44f m;
        m.setEulerAngles(V3f(0, 0, kPi / 2));
        m.scale(V3f(3.0f));
        return placed(makePlane(1.0f, 1), m);
    };
    Step& emit = sim.part("emit");
    Sim::set(emit, "burst", int64_t(1));
    Sim::set(emit, "burst_at", 1.0);
    Sim::set(emit, "rate", 0.0);
    Sim::set(emit, "speed", Range{0, 0});
    Sim::set(emit, "axis", V3d(2, 0, 0));
    CHECK((speeds(sim.run(1).back())[0] - V3f(2, 0, 0)).length() < 1e-5f);
    Sim::set(emit, "axis_of", std::string("gun"));
    CHECK((speeds(sim.run(1).back())[0] - V3f(0, 2, 0)).length() < 1e-5f);
    // Sizes by the age of the source: an older one bears larger ones.
    PointSet old;
    old.attributes.set("P", std::vector<V3f>{V3f(0.0f)});
    old.attributes.set("id", std::vector<uint64_t>{0});
    old.attributes.set("age", std::vector<float>{3});
    const Geometry source = std::make_shared<const PointSet>(old);
    sim.source = [source](double) { return source; };
    Field field;
    field.sources.push_back(makeSource("age"));
    field.sources[0].params["range"].value = Range{0, 4};
    emit.params["size"].value = Range{0, 1};
    emit.params["size"].field = std::make_shared<const Field>(field);
    CHECK(particles(sim.run(1).back()).find<float>("scale")[0] == Approx(0.75));
}

TEST_CASE("parts of strands ask for nothing that only particles have", "[sim][rods]") {
    for (const StepType& type : stepTypes()) {
        if (type.partOf != std::vector<std::string>{"strands"}) continue;
        INFO(type.id);
        for (const char* id : {"group", "then", "bounce", "ahead"}) CHECK(!findSpec(type.params, id));
    }
    CHECK(findStepType("strand_gravity"));
    CHECK(findStepType("strand_vectors"));
}
