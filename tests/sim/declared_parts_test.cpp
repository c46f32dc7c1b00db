// Every part that is declared is built and run with its defaults, in each simulation that it may stand in,
// with all that it may refer to and with nothing.
#include "geo/points/curve_set.h"
#include "geo/strands/strands.h"
#include "sim/particle_parts.h"
#include "sim_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

StrandsPtr someStrands() {
    auto set = std::make_shared<StrandSet>();
    std::vector<V3f> p, roots;
    std::vector<uint64_t> id;
    for (int s = 0; s < 6; ++s) {
        for (int i = 0; i < 5; ++i) p.push_back(V3f(0.05f * float(s), 0.3f + 0.05f * float(i), 0));
        set->start.push_back(uint32_t(p.size()));
        roots.push_back(p[p.size() - 5]);
        id.push_back(uint64_t(s));
    }
    set->points.set("P", p);
    set->strands.set("P", roots);
    set->strands.set("id", id);
    set->strands.set("orient", std::vector<Quatf>(6));
    return set;
}

Sim hostOf(const std::string& kind) {
    Sim sim;
    if (kind == "strands") {
        sim.step = "simulate_strands";
        const StrandsPtr set = someStrands();
        sim.source = [set](double) { return Geometry(set); };
    } else {
        sim.source = points({{0, 0.4f, 0}, {0.05f, 0.5f, 0}, {0.3f, 0.2f, 0.1f}});
    }
    sim.world.objects["ball"] = [](double frame) {
        return placed(makeSphere(0.2f, 12), M44f().setTranslation(V3f(0.01f * float(frame), 0, 0)));
    };
    sim.world.objects["nothing"] = [](double) { return placed(meshOf({}, {})); };
    PointSet set;
    set.attributes.set("P", std::vector<V3f>{{0, 1, 0}, {1, 1, 0}});
    sim.world.layers["cloud"] = std::make_shared<const PointSet>(std::move(set));
    sim.world.curves["line"] =
        std::make_shared<const CurveSet>(std::vector<std::vector<V3f>>{{{0, 0, 0}, {1, 1, 0}, {2, 1, 1}}});
    return sim;
}

bool allFinite(const SolverState& state) {
    for (const V3f& p : placesOf(state.geometry))
        if (!isFinite(p)) return false;
    return true;
}

}  // namespace

TEST_CASE("every part runs with its defaults in all that it may stand in", "[sim][declared]") {
    size_t run = 0;
    for (const ParticleModifier& part : particleParts())
        for (const std::string& host : part.step.partOf)
            for (const std::string refersTo : {"", "ball", "cloud", "line", "nothing"}) {
                Sim sim = hostOf(host);
                Step& s = sim.part(part.step.id);
                bool refers = false;
                for (const ParamSpec& spec : part.step.params) {
                    const bool fits =
                        (refersTo == "cloud" && spec.refKind.find("layer") != std::string::npos) ||
                        (refersTo == "line" && spec.refKind.find("curve") != std::string::npos) ||
                        ((refersTo == "ball" || refersTo == "nothing") &&
                         spec.refKind.find("object") != std::string::npos);
                    if (!fits) continue;
                    refers = true;
                    if (spec.type == ParamType::Ref) Sim::set(s, spec.id, refersTo);
                    if (spec.type == ParamType::Refs) Sim::set(s, spec.id, Refs{refersTo});
                }
                if (!refersTo.empty() && !refers) continue;
                INFO(part.step.id << " in " << host << ", refers to \"" << refersTo << "\"");
                try {
                    const auto states = sim.run(4);
                    CHECK(allFinite(states.back()));
                    ++run;
                } catch (
                    const Error& e) {  // a cloud has no surface, a hull that is open no inside: said in words
                    CHECK_FALSE(e.problem().empty());
                    CHECK(!refersTo.empty());
                } catch (const std::out_of_range&) {  // the world of this test has no such surface
                    CHECK(refersTo == "cloud");
                }
            }
    CHECK(run > 60);
}

TEST_CASE("a part that has nothing to act on does nothing, and says so", "[sim][declared]") {
    for (const char* id :
         {"avoid", "chase", "target", "land", "follow_curve", "stay_on", "vectors", "collide"}) {
        Sim sim = hostOf("particles");
        sim.part(id);
        const auto states = sim.run(3);
        INFO(id);
        REQUIRE(states.back().notes.size() == 1);
        CHECK(states.back().notes[0].find("does nothing") != std::string::npos);
        CHECK(places(states.back())[0] == V3f(0, 0.4f, 0));
    }
}

TEST_CASE("places on a surface are bound once, at rest", "[sim][declared]") {
    // A sheet that is drawn out on one side: each target goes with its own triangle.
    const auto sheet = [](double frame) {
        auto mesh = std::make_shared<Mesh>(*makePlane(1, 8));
        for (V3f& p : mesh->points.add<V3f>("P"))
            if (p.x > 0) p.x *= 1.0f + 0.1f * float(frame - 1);
        mesh->finish();
        return placed(mesh);
    };
    Sim sim = hostOf("particles");
    std::vector<V3f> start(200, V3f(0, 0.2f, 0));
    sim.source = points(start);
    sim.world.objects["sheet"] = sheet;
    Step& s = sim.part("target");
    Sim::set(s, "shape", std::string("sheet"));
    Sim::set(s, "strength", 2000.0);
    sim.set("substeps", int64_t(16));
    const auto states = sim.run(40);
    // Those on the half that stands still come to rest, and no target crosses the middle.
    for (size_t i = 0; i < start.size(); ++i) {
        const V3f a = places(states[30])[i], b = places(states[39])[i];
        if (a.x < -0.01f) CHECK((a - b).length() < 2e-3f);
        CHECK((a.x < 0) == (b.x < 0));
    }
}

TEST_CASE("speeds that take keys move their noise by what they add up to", "[sim][declared]") {
    Param speed;
    speed.value = 1.0;
    CHECK(speed.sum(48)[0] == Approx(2.0));
    speed.keys = {{0, 1.0, KeyEase::Linear}, {24, 3.0, KeyEase::Linear}};
    CHECK(speed.sum(24)[0] == Approx(2.0));    // the mean of 1 and 3 for a second
    CHECK(speed.sum(48)[0] == Approx(5.0));    // and 3 for another
    CHECK(speed.sum(-24)[0] == Approx(-1.0));  // before the first key it is the first
    speed.keys[0].ease = KeyEase::Hold;
    CHECK(speed.sum(24)[0] == Approx(1.0));
    CHECK(speed.sum(36.5)[0] == Approx(1.0 + 12.5 / 24 * 3));
    Param wind;
    wind.value = V3d(1, 2, -3);
    CHECK(wind.sum(24)[2] == Approx(-3.0));

    // After the speed came to 0 the whirls stand still: nothing jumps though time goes on.
    Sim sim = hostOf("particles");
    Step& s = sim.part("turbulence");
    s.params["speed"].value = 5.0;
    s.params["speed"].keys = {{1, 5.0, KeyEase::Linear}, {10, 0.0, KeyEase::Linear}};
    Sim::set(s, "mode", std::string("flow"));
    Sim::set(s, "response", 1000.0);
    Sim::set(s, "strength", 0.01);
    const auto states = sim.run(20);
    CHECK((speeds(states[15])[0] - speeds(states[19])[0]).length() < 0.1f * speeds(states[15])[0].length());
}

TEST_CASE("forces stand where their objects are in each part of the frame", "[sim][declared]") {
    // Chasing what goes evenly, the same way in one frame of 8 substeps as in 8 frames of one.
    const auto end = [](int substeps, double rate, int frames) {
        Sim sim;
        sim.rate = rate;
        sim.source = points({V3f(0, 0, 0)});
        sim.set("substeps", int64_t(substeps));
        sim.world.objects["bait"] = [rate](double frame) {
            return placed(makeSphere(0.1f, 8),
                          M44f().setTranslation(V3f(float(12 * (frame - 1) / rate), 1, 0)));
        };
        Sim::set(sim.part("chase"), "target", std::string("bait"));
        return places(sim.run(frames).back())[0];
    };
    CHECK((end(8, 3, 4) - end(1, 24, 25)).length() < 1e-5f);
}
