// Particles: flight, drag, births, ends.
#include <tbb/global_control.h>

#include "base/noise.h"
#include "sim/particles/curl_noise.h"
#include "sim/particles/emit.h"
#include "sim/particles/particles_between.h"
#include "sim/sim_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

TEST_CASE("flight without air follows the parabola at any number of substeps", "[sim]") {
    for (int substeps : {1, 2, 7}) {
        Sim sim;
        sim.source = points({V3f(0, 0, 0)}, {V3f(3, 10, 0)});
        sim.set("substeps", int64_t(substeps));
        sim.part("gravity");
        const auto states = sim.run(49);  // two seconds
        const V3f p = places(states.back())[0], v = speeds(states.back())[0];
        // Floats of this size are 1e-6 apart, and some hundred sums are made.
        CHECK(p.x == Approx(6).margin(1e-4));
        CHECK(p.y == Approx(20 - 0.5 * 9.81 * 4).margin(1e-4));
        CHECK(v.y == Approx(10 - 9.81 * 2).margin(1e-4));
    }
}

TEST_CASE("a swing about a centre comes closer to the exact one by the square of the substep", "[sim]") {
    // Under a pull that grows evenly with the distance, cos(w t); the method's error must fall by about four
    // when the substeps are halved.
    const auto errorAt = [](int substeps) {
        Sim sim;
        sim.source = points({V3f(1, 0, 0)});
        sim.set("substeps", int64_t(substeps));
        Step& t = sim.part("target");
        Sim::set(t, "shape", std::string("spot"));
        Sim::set(t, "strength", 40.0);
        Sim::set(t, "damping", 0.0);
        PointSet spot;
        spot.attributes.set("P", std::vector<V3f>{V3f(0.0f)});
        sim.world.layers["spot"] = std::make_shared<const PointSet>(spot);
        const auto states = sim.run(13);
        return std::abs(double(places(states.back())[0].x) - std::cos(std::sqrt(40.0) * 0.5));
    };
    const double coarse = errorAt(1), halved = errorAt(2), finest = errorAt(4);
    INFO(coarse << " " << halved << " " << finest);
    CHECK(coarse / halved > 3.5);
    CHECK(halved / finest > 3.5);
    CHECK(finest < 0.01);
}

TEST_CASE("with drag, a fall ends at the speed where both are even, and takes the time it should", "[sim]") {
    Sim sim;
    sim.source = points({V3f(0, 0, 0)});
    sim.part("gravity");
    Sim::set(sim.part("drag"), "strength", 2.0);
    const auto states = sim.run(24 * 6 + 1);
    // dv/dt = g - k v: v = g / k (1 - e^-kt), exactly, for one force and one drag.
    for (int f : {3, 13, 25, 145}) {
        const double t = (f - 1) / 24.0;
        CHECK(double(speeds(states[size_t(f) - 1])[0].y) ==
              Approx(-9.81 / 2 * (1 - std::exp(-2 * t))).epsilon(1e-5));
    }
    Sim square;
    square.source = points({V3f(0, 0, 0)});
    square.part("gravity");
    Step& drag = square.part("drag");
    Sim::set(drag, "strength", 0.0);
    Sim::set(drag, "square", 0.5);
    const double last = double(speeds(square.run(24 * 6 + 1).back())[0].y);
    CHECK(last == Approx(-std::sqrt(9.81 / 0.5)).epsilon(1e-4));
    // Twice as heavy: half the air's hold.
    Sim wind;
    wind.source = points({V3f(0, 0, 0)});
    Step& w = wind.part("wind");
    Sim::set(w, "velocity", V3d(4, 0, 0));
    Sim::set(w, "gusts", 0.0);
    const double blown = double(speeds(wind.run(25).back())[0].x);
    CHECK(blown == Approx(4 * (1 - std::exp(-1.0))).epsilon(1e-5));
}

TEST_CASE("turbulence has no sources: its divergence is rounding", "[sim]") {
    CurlNoiseOptions o;
    o.scale = 0.7f;
    o.octaves = 3;
    std::mt19937_64 random(testSeed());
    std::uniform_real_distribution<float> place(-5, 5);
    const float h = 2e-3f;  // differences of floats over it err by 1e-4, the third derivative by less
    double divergence = 0, gradient = 0, size = 0;
    for (int k = 0; k < 2000; ++k) {
        const V3f p(place(random), place(random), place(random));
        o.phase = 0.01 * k;
        double d = 0;
        for (int axis = 0; axis < 3; ++axis) {
            V3f e(0.0f);
            e[axis] = h;
            const double slope =
                double(curlNoise(p + e, o)[axis] - curlNoise(p - e, o)[axis]) / double(2 * h);
            d += slope;
            gradient += slope * slope;
        }
        divergence += d * d;
        size += double(curlNoise(p, o).length2());
    }
    INFO(std::sqrt(divergence / gradient));
    CHECK(std::sqrt(divergence / gradient) < 0.01);
    CHECK(std::sqrt(size / 2000) == Approx(1).margin(0.1));
    CHECK(isFinite(curlNoise(V3f(1e30f, -1e30f, std::nanf("")), o)));
}

TEST_CASE("births are as many as the rate says, over any frames and for any substeps", "[sim]") {
    for (const auto& [rate, substeps] :
         std::vector<std::pair<double, int>>{{24, 1}, {100, 3}, {7, 2}, {1000.5, 5}}) {
        Sim sim;
        sim.source = points({V3f(0, 0, 0), V3f(1, 0, 0)});
        sim.set("substeps", int64_t(substeps));
        Step& emit = sim.part("emit");
        Sim::set(emit, "rate", rate);
        Sim::set(emit, "forever", true);
        const auto states = sim.run(24 * 4 + 1);
        for (int f = 1; f <= 24 * 4 + 1; ++f)
            CHECK(particles(states[size_t(f) - 1]).size() ==
                  size_t(std::floor(rate * (f - 1) / 24.0 + 1e-6)));
    }
}

TEST_CASE("a keyed rate gives its sum, and bursts and limits hold", "[sim]") {
    Sim sim;
    sim.source = points({V3f(0, 0, 0)});
    Step& emit = sim.part("emit");
    emit.params["rate"].value = 0.0;
    emit.params["rate"].keys = {
        {1, 0.0, KeyEase::Hold}, {10, 240.0, KeyEase::Hold}, {20, 0.0, KeyEase::Hold}};
    Sim::set(emit, "burst", int64_t(5));
    Sim::set(emit, "burst_at", 4.0);
    Sim::set(emit, "forever", true);
    auto states = sim.run(30);
    CHECK(particles(states[2]).size() == 0);
    CHECK(particles(states[3]).size() == 5);
    CHECK(particles(states[8]).size() == 5);
    CHECK(particles(states[29]).size() == 5 + 100);  // ten a frame while frames 10 to 19 end
    Sim::set(emit, "most", int64_t(42));
    CHECK(particles(sim.run(30).back()).size() == 42);
    // A burst before the first frame is there with it.
    Sim::set(emit, "burst_at", -10.0);
    CHECK(particles(sim.run(1).back()).size() == 5);
}

TEST_CASE("each lives as long as its life says", "[sim]") {
    Sim sim;
    sim.source = points({V3f(0, 0, 0)});
    Step& emit = sim.part("emit");
    Sim::set(emit, "rate", 240.0);
    Sim::set(emit, "life", Range{0.5, 0.5});
    const auto states = sim.run(49);
    // Half a second of births, but for those that end within this substep.
    CHECK(particles(states.back()).size() == Approx(120).margin(10));
    for (float age : particles(states.back()).find<float>("age")) CHECK(age < 0.5f);
    sim.set("keep_ended", true);
    CHECK(particles(sim.run(49).back()).size() == 480);
    Sim::set(sim.parts[0], "life", Range{0, 0});
    sim.set("keep_ended", false);
    CHECK(particles(sim.run(20).back()).size() == 0);
}

TEST_CASE("births come in the order that was chosen", "[sim]") {
    AttributeSet a;
    a.set("P", std::vector<V3f>{V3f(3, 0, 0), V3f(1, 0, 0), V3f(2, 0, 0), V3f(-4, 0, 0)});
    a.set("id", std::vector<uint64_t>{7, 8, 9, 10});
    const auto order = [&](BirthOrder o, bool reversed = false) {
        return birthOrder(o, reversed, a, V3f(0.0f), V3f(1, 0, 0), Varying{0, 1, nullptr}, Progress::none());
    };
    using Order = std::vector<uint32_t>;
    CHECK(order(BirthOrder::Index) == Order{0, 1, 2, 3});
    CHECK(order(BirthOrder::Index, true) == Order{3, 2, 1, 0});
    CHECK(order(BirthOrder::Distance) == Order{1, 2, 0, 3});
    CHECK(order(BirthOrder::Distance, true) == Order{3, 0, 2, 1});
    CHECK(order(BirthOrder::Direction) == Order{3, 1, 2, 0});
    Field height;
    height.sources.push_back(makeSource("formula"));
    height.sources[0].params["formula"].value = std::string("x*x");
    const Varying field{0, 1, std::make_shared<CompiledField>(height, FieldContext{})};
    CHECK(birthOrder(BirthOrder::Field, false, a, V3f(0.0f), V3f(1, 0, 0), field, Progress::none()) ==
          Order{1, 2, 0, 3});
    // In a simulation a volley sweeps across: one a frame, along the direction.
    Sim sim;
    sim.source = [&](double) { return Geometry(std::make_shared<const PointSet>(PointSet{a})); };
    Step& emit = sim.part("emit");
    Sim::set(emit, "rate", 24.0);
    Sim::set(emit, "order", std::string("direction"));
    Sim::set(emit, "speed", Range{0, 0});
    Sim::set(emit, "forever", true);
    const auto kept1 = sim.run(5);
    const auto p = places(kept1.back());
    REQUIRE(p.size() == 4);
    for (size_t i = 1; i < 4; ++i) CHECK(p[i - 1].x < p[i].x);
}

TEST_CASE("particles are born along the way of a moving source, with its speed", "[sim]") {
    Sim sim;
    sim.source = [](double frame) {
        return points({V3f(float(frame - 1) / 24.0f * 2.0f, 0, 0)})(frame);  // two metres a second
    };
    Step& emit = sim.part("emit");
    Sim::set(emit, "rate", 240.0);
    Sim::set(emit, "speed", Range{0, 0});
    Sim::set(emit, "inherit", 0.0);
    Sim::set(emit, "forever", true);
    auto states = sim.run(13);
    auto p = places(states.back());
    REQUIRE(p.size() == 120);
    for (size_t i = 0; i < p.size(); ++i)  // evenly: one each twelfth of a frame's way
        CHECK(p[i].x == Approx(float(i + 1) * 2.0f / 240.0f).margin(1e-5));
    Sim::set(emit, "inherit", 1.0);
    states = sim.run(13);
    for (const V3f& v : speeds(states.back())) CHECK(v.x == Approx(2).epsilon(1e-4));
    for (const V3f& q : places(states.back())) CHECK(q.x == Approx(1).epsilon(1e-4));  // all go with it
}

TEST_CASE("the same bits on one thread and on many; fewer in Draft are some of all", "[sim]") {
    Sim sim;
    sim.world.objects["ball"] = [](double) { return placed(makeSphere(0.4f, 24)); };
    std::vector<V3f> bank;
    for (int i = 0; i < 50; ++i) bank.push_back(V3f(0.02f * float(i), 1, 0));
    sim.source = points(bank);
    Step& emit = sim.part("emit");
    Sim::set(emit, "rate", 5000.0);
    Sim::set(emit, "random", 1.0);
    sim.part("gravity");
    sim.part("turbulence");
    Sim::set(sim.part("collide"), "with", std::string("ball"));
    const auto many = sim.run(24);
    const auto one = [&] {
        tbb::global_control single(tbb::global_control::max_allowed_parallelism, 1);
        return sim.run(24);
    }();
    CHECK(particles(many.back()).size() > 4000);
    CHECK(particles(many.back()) == particles(one.back()));
    sim.share = 0.25;
    const auto few = sim.run(24);
    std::map<uint64_t, V3f> all;
    const auto id = particles(many.back()).find<uint64_t>("id");
    for (size_t i = 0; i < id.size(); ++i) all[id[i]] = places(many.back())[i];
    const auto some = particles(few.back()).find<uint64_t>("id");
    CHECK(double(some.size()) == Approx(0.25 * double(id.size())).margin(200));
    for (size_t i = 0; i < some.size(); ++i) CHECK(all.at(some[i]) == places(few.back())[i]);
}

TEST_CASE("what no force can mean freezes or holds a particle, and is counted", "[sim]") {
    Sim sim;
    sim.source = points({V3f(0, 0, 0), V3f(std::nanf(""), 0, 0)});
    Step& g = sim.part("gravity");
    Sim::set(g, "strength", 1e6);
    const auto states = sim.run(30);
    REQUIRE(particles(states.back()).size() == 2);
    CHECK(isFinite(places(states.back())[0]));
    CHECK(speeds(states.back())[0].length() == Approx(1000).epsilon(1e-4));
    REQUIRE(states.back().notes.size() == 2);
    CHECK(states.back().notes[0].find("1 particle is frozen") == 0);
    CHECK(states.back().notes[1].find("1 particle was too fast") == 0);
    // Nothing to begin with, and far too much.
    Sim empty;
    empty.part("gravity");
    CHECK(particles(empty.run(3).back()).size() == 0);
    empty.part("emit");
    CHECK(particles(empty.run(3).back()).size() == 0);
    Sim huge;
    huge.source = points({V3f(0.0f)});
    Step& emit = huge.part("emit");
    Sim::set(emit, "burst", int64_t(20000000));
    SolverInput first = huge.at(1), second = huge.at(2);
    second.memoryLimit = size_t(100) << 20;
    const SolverState start = huge.solver().begin(first, Progress::none());
    CHECK_THROWS_AS(huge.solver().advance(start, first, second, Progress::none()), Error);
}

TEST_CASE("weights, lives and substeps that mean nothing are taken as the least that mean something",
          "[sim]") {
    Sim sim;
    sim.source = points({V3f(0.0f)});
    sim.set("substeps", int64_t(0));
    Step& emit = sim.part("emit");
    Sim::set(emit, "burst", int64_t(50));
    Sim::set(emit, "rate", -100.0);
    Sim::set(emit, "forever", true);
    Sim::set(emit, "weight", Range{-3, 0});
    sim.part("gravity");
    Sim::set(sim.part("drag"), "strength", 2.0);
    Step& wind = sim.part("wind");
    Sim::set(wind, "strength", 3.0);
    for (const SolverState& s : sim.run(48)) {
        for (const V3f& p : places(s)) CHECK(isFinite(p));
        for (const V3f& v : speeds(s)) CHECK(v.length() < 1000.0f + 1e-2f);
    }
    CHECK(particles(sim.run(4).back()).size() == 50);  // no rate below nothing takes any away
    Sim::set(emit, "forever", false);
    Sim::set(emit, "life", Range{-5, -1});
    CHECK(particles(sim.run(6).back()).size() == 0);
    Sim::set(emit, "life", Range{5, 1});  // the wrong way round is a range all the same
    CHECK(particles(sim.run(6).back()).size() == 50);
}

TEST_CASE("between frames each goes its own curve, by id", "[sim]") {
    Sim sim;
    sim.source = points({V3f(0, 0, 0)}, {V3f(3, 10, 0)});
    sim.part("gravity");
    const auto states = sim.run(10);
    for (double part : {0.25, 0.5, 0.75}) {
        const double t = (8 + part) / 24.0;
        const Geometry g = sim.solver().between(states[8], states[9], part, 24);
        const V3f p = std::get<std::shared_ptr<const PointSet>>(g)->attributes.find<V3f>("P")[0];
        CHECK(p.x == Approx(3 * t).margin(1e-4));
        CHECK(p.y == Approx(10 * t - 0.5 * 9.81 * t * t).margin(1e-4));  // a cubic holds a parabola exactly
    }
    CHECK(sim.solver().between(states[8], states[9], 0, 24) == states[8].geometry);
    CHECK(sim.solver().between(states[8], states[9], 1, 24) == states[9].geometry);
    Sim births;
    births.source = points({V3f(0, 0, 0)});
    Step& emit = births.part("emit");
    Sim::set(emit, "rate", 240.0);
    Sim::set(emit, "forever", true);
    const auto b = births.run(5);
    const auto counted = [&](double part) {
        return elementCount(births.solver().between(b[3], b[4], part, 24));
    };
    CHECK(counted(0) == 30);
    CHECK(counted(1) == 40);
    CHECK(counted(0.45) == 34);
}

TEST_CASE("between frames each is itself, whoever waited for its birth behind a newborn", "[sim]") {
    const auto stateOf = [](double frame, std::vector<uint64_t> ids, std::vector<V3f> p,
                            std::vector<float> ages, std::vector<int32_t> states) {
        PointSet set;
        set.attributes.set("P", std::move(p));
        set.attributes.set("v", std::vector<V3f>(ids.size(), V3f(0.0f)));
        set.attributes.set("scale", std::vector<float>(ids.size(), 1.0f));
        set.attributes.set("age", std::move(ages));
        set.attributes.set("state", std::move(states));
        set.attributes.set("id", std::move(ids));
        SolverState state;
        state.frame = frame;
        state.geometry = std::make_shared<const PointSet>(std::move(set));
        return state;
    };
    const auto unborn = int32_t(ParticleState::Unborn);
    // All three of the later frame are shown, and not in its order: the newborn come last.
    const SolverState a = stateOf(1, {1, 5}, {V3f(0.0f), V3f(5, 0, 0)}, {1, 0}, {0, unborn});
    const SolverState b = stateOf(2, {1, 7, 5}, {V3f(2, 0, 0), V3f(7, 0, 0), V3f(5, 0, 0)},
                                  {1 + 1 / 24.0f, 1, 0}, {0, 0, unborn});
    const Geometry g = particlesBetween(a, b, 0.5, 24);
    const AttributeSet& set = std::get<std::shared_ptr<const PointSet>>(g)->attributes;
    const auto id = set.find<uint64_t>("id");
    REQUIRE(id.size() == 3);
    for (size_t i = 0; i < 3; ++i) {
        const float wanted = id[i] == 1 ? 1.0f : float(id[i]);
        CHECK(set.find<V3f>("P")[i] == V3f(wanted, 0, 0));
    }
}
