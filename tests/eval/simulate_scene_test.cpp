// Simulations in scenes: time, parts, what is kept and when it is worked out again.
#include <fmt/format.h>
#include <tbb/global_control.h>

#include "base/error.h"
#include "document/edits/edits.h"
#include "document/file/scene_file.h"
#include "document/model/motion.h"
#include "eval/evaluator.h"
#include "eval/simulated.h"
#include "eval/simulation/simulation_key.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// Drops fall from a plate onto a ball that goes sideways.
struct Rain {
    Document document = Document::fresh();
    Evaluator evaluator;
    std::string layer;

    Rain() {
        Node plate = makeNode(document, "plane", "Plate");
        plate.params["position"].value = V3d(0, 1, 0);
        document.put(plate);
        Node ball = makeNode(document, "sphere", "Ball");
        Param& p = ball.params["position"];
        p.keys = {{1, V3d(0, 0, 0), KeyEase::Linear}, {49, V3d(1, 0, 0), KeyEase::Linear}};
        document.put(ball);
        Node rain = makeNode(document, "layer", "Rain");
        rain.params["surface"].value = std::string("plate");
        rain.steps.push_back(makeStep("scatter", rain));
        rain.steps[0].params["count"].value = int64_t(200);
        document.put(rain);
        layer = "rain";
        document = withStep(document, layer, 1, makeStep("simulate", document.get(layer)));
        document = withPart(document, layer, "simulate", "collide");
        set("collide/with", std::string("ball"));
        set("emit/speed", Range{0, 0});
        set("emit/life", Range{0.5, 0.9});
    }
    void set(const std::string& path, const Value& value) {
        document = withValue(document, ParamPath::parse(document, layer + "/" + path), value);
    }
    LayerResult eval(double frame, bool full = true) {
        return evaluator.layer(document, layer, {frame, Purpose::Viewport, full}, Progress::none());
    }
    std::shared_ptr<const PointSet> points(double frame, bool full = true) {
        return std::get<std::shared_ptr<const PointSet>>(eval(frame, full).geometry);
    }
    uint64_t life() { return simulationKeyOf(document, document.get(layer), 1, 1.0); }
};

}  // namespace

TEST_CASE("parts stand in their step, come with it and go with it", "[simulate][edits]") {
    Rain r;
    const auto ids = [&] {
        std::vector<std::string> out;
        for (const Step& s : r.document.get(r.layer).steps)
            out.push_back(s.id + (s.in.empty() ? "" : "<" + s.in));
        return out;
    };
    using Ids = std::vector<std::string>;
    CHECK(ids() == Ids{"scatter", "simulate", "emit<simulate", "gravity<simulate", "collide<simulate"});
    r.document = withStep(r.document, r.layer, 2, makeStep("orient", r.document.get(r.layer)));
    CHECK(ids() ==
          Ids{"scatter", "simulate", "emit<simulate", "gravity<simulate", "collide<simulate", "orient"});
    r.document = withStepMoved(r.document, r.layer, "orient", 1);
    CHECK(ids() ==
          Ids{"scatter", "orient", "simulate", "emit<simulate", "gravity<simulate", "collide<simulate"});
    r.document = withStepMoved(r.document, r.layer, "gravity", 0);
    CHECK(ids() ==
          Ids{"scatter", "orient", "simulate", "gravity<simulate", "emit<simulate", "collide<simulate"});
    r.document = withStepMoved(r.document, r.layer, "gravity", 2);
    CHECK(ids() ==
          Ids{"scatter", "orient", "simulate", "emit<simulate", "collide<simulate", "gravity<simulate"});
    r.document = withStepMoved(r.document, r.layer, "simulate", 0);
    CHECK(ids() ==
          Ids{"simulate", "emit<simulate", "collide<simulate", "gravity<simulate", "scatter", "orient"});
    const Document again = readScene(writeScene(r.document), "x");
    CHECK(again == r.document);
    for (const StepType* t : fittingSteps(r.document.get(r.layer), 6)) CHECK(t->partOf.empty());
    CHECK(fittingParts(*r.document.get(r.layer).step("simulate")).size() > 15);
    CHECK(fittingParts(*r.document.get(r.layer).step("scatter")).empty());
    r.document = withoutStep(r.document, r.layer, "simulate");
    CHECK(ids() == Ids{"scatter", "orient"});
}

TEST_CASE("frames are worked out one after another, once, and alike whichever is asked first", "[simulate]") {
    Rain a, b;
    const auto late = a.points(40);
    CHECK(late->size() > 50);
    const size_t runs = a.evaluator.stepsRun();
    for (int f = 1; f <= 40; ++f) a.points(f);
    CHECK(a.evaluator.stepsRun() == runs);  // all were there
    for (int f : {7, 3, 25, 40}) CHECK(b.points(f)->attributes == a.points(f)->attributes);
    CHECK(a.points(1)->size() == 0);
    CHECK(a.points(-20)->size() == 0);  // before it began, nothing yet
    CHECK(a.evaluator.simulations().frames(a.life()).size() == 40);
    const auto single = [&] {
        tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
        Rain c;
        return c.points(40);
    }();
    CHECK(single->attributes == late->attributes);
    // Draft makes some of them, on the same ways.
    const auto some = a.points(40, false);
    CHECK(some->size() < late->size() / 4);
    std::map<uint64_t, V3f> all;
    for (size_t i = 0; i < late->size(); ++i)
        all[late->attributes.find<uint64_t>("id")[i]] = late->attributes.find<V3f>("P")[i];
    for (size_t i = 0; i < some->size(); ++i)
        CHECK(all.at(some->attributes.find<uint64_t>("id")[i]) == some->attributes.find<V3f>("P")[i]);
}

TEST_CASE("a simulation is stale after each kind of edit that it depends on, and after no other",
          "[simulate]") {
    Rain r;
    const uint64_t before = r.life();
    const auto changes = [&](const std::function<Document(const Document&)>& edit) {
        const Document kept = r.document;
        r.document = edit(r.document);
        REQUIRE_FALSE(r.document == kept);
        const bool changed = r.life() != before;
        r.document = kept;
        return changed;
    };
    const auto value = [&](const std::string& path, const std::string& text) {
        return changes([&](const Document& d) { return withText(d, path, text); });
    };
    const auto keyed = [&](const std::string& path) {
        return changes([&](const Document& d) {
            const ParamPath p = ParamPath::parse(d, path);
            Param param = paramAt(d, p);
            param.keys.push_back({90, param.value, KeyEase::Linear});
            return withParam(d, p, param);
        });
    };
    CHECK(value("rain/simulate/substeps", "5"));
    CHECK(value("rain/gravity/strength", "0.5"));
    CHECK(value("rain/emit/rate", "50"));
    CHECK(value("rain/scatter/count", "201"));
    CHECK(value("plate/size", "3"));
    CHECK(value("plate/position", "0,2,0"));
    CHECK(value("ball/radius", "0.6"));
    CHECK(value("ball/position", "0,0,1"));
    CHECK(value("rain/gravity/on", "false"));
    CHECK(value("scene/rate", "25"));
    CHECK(value("scene/first", "2"));
    CHECK(value("scene/preroll", "10"));
    CHECK(keyed("rain/gravity/strength"));
    CHECK(keyed("ball/rotation"));
    CHECK(keyed("plate/divisions"));
    CHECK(changes([](const Document& d) { return withPart(d, "rain", "simulate", "drag"); }));
    CHECK(changes([](const Document& d) { return withoutStep(d, "rain", "collide"); }));
    CHECK(changes([](const Document& d) { return withStepMoved(d, "rain", "gravity", 0); }));
    CHECK(changes([](const Document& d) {
        return withField(d, ParamPath::parse(d, "rain/gravity/strength"),
                         std::make_shared<Field>(Field{{makeSource("noise")}}));
    }));
    CHECK(changes([](const Document& d) {  // the ball comes to follow something else
        Document out = d;
        out.put(makeNode(d, "sphere", "Carrier"));
        return withText(out, "ball/parent", "carrier");
    }));
    CHECK_FALSE(value("rain/view_share", "0.5"));
    CHECK_FALSE(value("rain/simulate/bake_use", "never"));
    CHECK_FALSE(changes([](const Document& d) {
        Document out = d;
        out.put(makeNode(d, "surface", "Glass"));
        return withText(out, "ball/material", "glass");
    }));
    CHECK_FALSE(value("scene/last", "500"));
    CHECK_FALSE(value("sun/elevation", "12"));
    CHECK_FALSE(changes(
        [](const Document& d) { return withStep(d, "rain", 99, makeStep("orient", d.get("rain"))); }));
}

TEST_CASE("a linked simulation is stale with the recipe that it follows, and not with what its original has",
          "[simulate][link]") {
    Rain r;
    std::string linked;
    r.document = withLinkedLayer(r.document, "rain", "ball", &linked);
    const auto life = [&](const Document& d) {
        return simulationKeyOf(d, *recipeOf(d, d.get(linked)), 1, 1.0);
    };
    const auto changes = [&](const std::string& path, const std::string& text) {
        const Document d = withText(r.document, path, text);
        REQUIRE_FALSE(d == r.document);
        return life(d) != life(r.document);
    };
    CHECK(changes("rain/gravity/strength", "0.5"));
    CHECK(changes("rain/scatter/count", "201"));
    CHECK(changes("ball/radius", "0.6"));
    CHECK_FALSE(changes("rain/surface", "ball"));
    CHECK_FALSE(changes("rain/rest", "5"));
    CHECK_FALSE(changes("rain/show_as", "boxes"));
    CHECK_FALSE(changes("plate/size", "3"));  // on which the original lies
    r.document = withText(r.document, linked + "/scatter/count", "77");
    CHECK_FALSE(changes("rain/scatter/count", "201"));  // it has its own
}

TEST_CASE("a part that cannot be made says so on the step, and what follows rests", "[simulate]") {
    Rain r;
    const Document before = r.document;
    r.document = withPart(r.document, r.layer, "simulate", "vectors");
    r.document = withText(r.document, r.layer + "/vectors/file", "none.vdb");
    const LayerResult result = r.eval(5);
    CHECK_FALSE(result.ok);
    REQUIRE(result.steps.size() == 2);
    CHECK(result.steps[1].step == "simulate");
    CHECK(result.steps[1].error.find("Vectors of a file") != std::string::npos);
    CHECK(result.steps[1].error.find("does not exist") != std::string::npos);
    // One that has nothing to act on stops nothing.
    r.document = withPart(before, r.layer, "simulate", "follow_curve");
    const LayerResult without = r.eval(5);
    CHECK(without.ok);
    REQUIRE(without.steps.size() == 2);
    CHECK(without.steps[1].note.find("Follow a curve") != std::string::npos);
    CHECK(without.steps[1].note.find("no curve") != std::string::npos);
    r.document = before;
    CHECK(elementCount(without.geometry) == elementCount(r.eval(5).geometry));
    Progress cancelled;
    cancelled.cancel();
    Rain fresh;
    CHECK_THROWS_AS(
        fresh.evaluator.layer(fresh.document, fresh.layer, {30, Purpose::Viewport, true}, cancelled),
        Cancelled);
    CHECK(fresh.points(30)->size() > 20);
}

TEST_CASE("what is kept of a long simulation stays within its limit, and its early frames stay",
          "[simulate]") {
    Rain r;
    const auto exact = r.points(40)->attributes;
    Rain small;
    small.evaluator.simulations().setLimit(40000);
    CHECK(small.points(40)->attributes == exact);
    CHECK(small.evaluator.simulations().bytes() < 60000);
    const auto frames = small.evaluator.simulations().frames(small.life());
    REQUIRE(frames.size() > 4);
    CHECK(frames[0].first == 1);
    CHECK(frames[3].first == 4);
    CHECK(frames.back().first == 40);
    CHECK(small.points(20)->attributes == r.points(20)->attributes);
}

TEST_CASE("keys go straight, eased, held, smooth and by handles; they repeat; formulas stand above them",
          "[keys]") {
    Param p;
    p.value = 0.0;
    p.keys = {{0, 0.0, KeyEase::Linear},
              {10, 10.0, KeyEase::Smooth},
              {20, 20.0, KeyEase::Smooth},
              {30, 20.0, KeyEase::Hold},
              {40, 0.0, KeyEase::Free, {}, {5, {8}}},
              {50, 0.0, KeyEase::Linear, {5, {8}}, {}}};
    const auto at = [&](double f) { return std::get<double>(p.at(f)); };
    CHECK(at(5) == 5);
    CHECK(at(35) == 20);
    CHECK(at(30) == 20);
    for (double f = 20; f <= 30; f += 0.5) CHECK(at(f) == Approx(20));  // no overshoot
    for (double f = 10; f < 20; f += 0.5) CHECK(at(f) < at(f + 0.5));
    // Handles half way along time and 8 up: the cubic's middle is 3/4 of that.
    CHECK(at(45) == Approx(6).margin(1e-6));
    CHECK(at(-5) == 0);
    CHECK(at(99) == 0);
    p.keys = {{0, 1.0, KeyEase::Linear}, {10, 3.0, KeyEase::Linear}};
    p.repeat = KeyRepeat::Cycle;
    CHECK(at(25) == Approx(2));
    CHECK(at(-5) == Approx(2));
    p.repeat = KeyRepeat::Onward;
    CHECK(at(25) == Approx(6));
    CHECK(at(-5) == Approx(0));
    p.formulas[0] = "2*frame + time";
    CHECK(std::get<double>(p.at(48, 24)) == Approx(98));
    p.formulas[0] = "frame +";
    CHECK(at(5) == Approx(2));  // one that cannot be worked out counts as none
    CHECK_THROWS_AS(formulaAt("1/0", 1, 24), Error);
    Param v;
    v.value = V3d(0, 0, 0);
    v.formulas[1] = "frame/10";
    CHECK(std::get<V3d>(v.at(5)) == V3d(0, 0.5, 0));
}

TEST_CASE("keys, handles, repeats and formulas come back from the file; older eases keep what they did",
          "[keys]") {
    Document d = Document::fresh();
    d.put(makeNode(d, "sphere", "Ball"));
    Param p = paramAt(d, {"ball", "", "position"});
    p.keys = {{1.5, V3d(1, 2, 3), KeyEase::Free, {2, {1, 2, 3}}, {4, {0, -1, 0}}},
              {9, V3d(0, 0, 0), KeyEase::Smooth}};
    p.repeat = KeyRepeat::Onward;
    d = withParam(d, {"ball", "", "position"}, p);
    Param r = paramAt(d, {"ball", "", "radius"});
    r.formulas[0] = "0.5 + 0.1*sin(time)";
    d = withParam(d, {"ball", "", "radius"}, r);
    CHECK(readScene(writeScene(d), "x") == d);
    nlohmann::ordered_json old{{"version", 3},
                               {"nodes",
                                {{{"params",
                                   {{"size",
                                     {{"keys",
                                       {{{"frame", 1}, {"value", 2}},
                                        {{"frame", 2}, {"value", 2}, {"ease", "smooth"}},
                                        {{"frame", 3}, {"value", 2}, {"ease", "linear"}}}}}}}}}}}};
    migrateScene(old, sceneMigrations(), "x");
    const auto keys = old["nodes"][0]["params"]["size"]["keys"];
    CHECK(keys[0]["ease"] == "eased");
    CHECK(keys[1]["ease"] == "eased");
    CHECK(keys[2]["ease"] == "linear");
}

TEST_CASE("objects wander, follow curves, and stop where that goes in a circle", "[keys]") {
    Document d = Document::fresh();
    d.put(makeNode(d, "sphere", "Ball"));
    Node curve = makeNode(d, "curve", "Way");
    curve.params["points"].value = CurvePoints{{V3f(0, 0, 0), V3f(0, 0, 2)}};
    curve.params["round"].value = false;
    d.put(curve);
    d = withText(d, "ball/path", "way");
    d = withText(d, "ball/position", "0,1,0");
    d = withText(d, "ball/path_at", "0.25");
    const M44f m = d.worldMatrix("ball", 1);
    CHECK((V3f(m[3][0], m[3][1], m[3][2]) - V3f(0, 1, 0.5f)).length() < 1e-5f);
    d = withText(d, "ball/wander", "true");
    std::vector<float> lengths;
    for (int f = 1; f < 240; ++f) {
        const M44f w = d.worldMatrix("ball", f);
        lengths.push_back((V3f(w[3][0], w[3][1], w[3][2]) - V3f(0, 1, 0.5f)).length());
    }
    CHECK(*std::max_element(lengths.begin(), lengths.end()) > 0.02f);
    CHECK(*std::max_element(lengths.begin(), lengths.end()) < 0.2f);
    const Document other = withText(d, "ball/wander_seed", "2");
    CHECK(d.worldMatrix("ball", 30) == d.worldMatrix("ball", 30));
    CHECK_FALSE(d.worldMatrix("ball", 30) == other.worldMatrix("ball", 30));
    d = withText(d, "way/parent", "ball");  // the ball follows what it carries
    const M44f c = d.worldMatrix("ball", 1);
    CHECK(std::isfinite(c[3][1]));
}

TEST_CASE("a layer with a time of its own shows frames backward, slower and again, from what is kept",
          "[simulate]") {
    Rain plain, warped;
    warped.document = withText(warped.document, "rain/warp", "true");
    ParamPath at = ParamPath::parse(warped.document, "rain/warp_at");
    Param backward = paramAt(warped.document, at);
    backward.formulas[0] = "41 - frame";
    warped.document = withParam(warped.document, at, backward);
    CHECK(warped.life() == plain.life());  // it changes no frame
    const size_t before = warped.evaluator.stepsRun();
    for (int f : {1, 5, 20, 40}) CHECK(warped.points(f)->attributes == plain.points(41 - f)->attributes);
    CHECK(warped.evaluator.simulations().frames(warped.life()).size() == 40);
    CHECK(warped.evaluator.stepsRun() > before);
    backward.formulas[0] = "1 + (frame - 1)/4";
    warped.document = withParam(warped.document, at, backward);
    CHECK(warped.points(21)->attributes == plain.points(6)->attributes);
    const auto between = warped.points(23);  // frame 6.5
    const auto a = plain.points(6), b = plain.points(7);
    std::map<uint64_t, V3f> first, second;
    for (const auto& [set, places] : {std::pair{a, &first}, std::pair{b, &second}})
        for (size_t i = 0; i < set->size(); ++i)
            (*places)[set->attributes.find<uint64_t>("id")[i]] = set->attributes.find<V3f>("P")[i];
    size_t matched = 0;
    for (size_t i = 0; i < between->size(); ++i) {
        const uint64_t id = between->attributes.find<uint64_t>("id")[i];
        if (!first.count(id) || !second.count(id)) continue;
        const float y = between->attributes.find<V3f>("P")[i].y;
        CHECK(y <= first[id].y + 1e-5f);
        CHECK(y >= second[id].y - 1e-5f);
        ++matched;
    }
    CHECK(matched > 5);
    // Other layers that look at it see the frame that it shows.
    CHECK(warped.eval(21).hash != warped.eval(22).hash);
}

TEST_CASE("what a simulation depends on is looked at once, however often it is referred to", "[simulate]") {
    // Each layer lies on copies of the two below it: the paths to the lowest double with each of thirty rows.
    Document d = Document::fresh();
    const auto layer = [&](const std::string& name, const std::string& a, const std::string& b) {
        Node node = makeNode(d, "layer", name);
        node.steps.push_back(makeStep("from_file", node));
        node.steps[0].params["file"].value = name + ".csv";
        node.steps.push_back(makeStep("copies_of", node));
        if (!a.empty()) node.steps[1].params["prototypes"].value = PrototypeMix{{a, 1}, {b, 1}};
        d.put(node);
        return node.id;
    };
    std::string a = layer("A 0", {}, {}), b = layer("B 0", {}, {});
    for (int row = 1; row <= 30; ++row) {
        const std::string above = layer(fmt::format("A {}", row), a, b);
        b = layer(fmt::format("B {}", row), a, b);
        a = above;
    }
    Node top = makeNode(d, "layer", "Top");
    top.params["surface"].value = a;
    top.steps.push_back(makeStep("from_file", top));
    d.put(top);
    d = withStep(d, top.id, 1, makeStep("simulate", d.get(top.id)));
    std::map<std::string, int> asked;
    const auto life = [&](const Document& of) {
        const auto stamp = [&](const std::string& path) {
            ++asked[path];
            return uint64_t(7);
        };
        return SimulationKey(of, stamp).upTo(of.get(top.id), 1);
    };
    const uint64_t first = life(d);
    CHECK(asked.size() > 60);
    for (const auto& [path, times] : asked)
        if (!path.empty()) CHECK(times == 1);
    CHECK(life(d) == first);
    CHECK(life(withText(d, "b_0/from_file/offset", "3")) != first);  // the lowest counts all the same
}

TEST_CASE("a scene whose frames take no time, or run backward, is taken by the nearest that can be",
          "[simulate]") {
    Rain r;
    for (const char* bad : {R"({"rate": 0})", R"({"rate": -24})", R"({"rate": 1e300})",
                            R"({"first": 500, "last": -99999999999})", R"({"preroll": -3})"}) {
        auto j = nlohmann::ordered_json::parse(writeScene(r.document));
        for (auto& node : j["nodes"])
            if (node["id"] == "scene") node["params"].update(nlohmann::ordered_json::parse(bad));
        const Document d = readScene(j.dump());
        CHECK(d.rate() >= 1);
        CHECK(d.rate() <= 1000);
        CHECK(d.frames().first <= d.frames().second);
        Evaluator evaluator;
        const LayerResult result = evaluator.layer(
            d, "rain", {double(d.frames().first) + 3, Purpose::Render, true}, Progress::none());
        REQUIRE(result.ok);
        const auto& set = *std::get<std::shared_ptr<const PointSet>>(result.geometry);
        for (const V3f& p : set.attributes.find<V3f>("P")) CHECK(isFinite(p));
    }
}

TEST_CASE("a live run of one scene does not go on from what another one showed", "[simulate]") {
    Rain first, second;
    second.set("gravity/acceleration", V3d(0, 20, 0));
    for (int f = 1; f <= 12; ++f) first.points(f);
    EvalOptions o{13, Purpose::Viewport, true};
    o.live = 1;
    // Its layer has the same id; the evaluator is that of the window.
    first.evaluator.forgetLast();
    const LayerResult shown = first.evaluator.layer(second.document, second.layer, o, Progress::none());
    CHECK(shown.steps[1].note.empty());
    CHECK(std::get<std::shared_ptr<const PointSet>>(shown.geometry)->attributes ==
          second.points(13)->attributes);
}

TEST_CASE("while it plays, a change takes hold from what was shown, and exact frames stay exact",
          "[simulate]") {
    Rain r, exact;
    const auto live = [&](double frame, uint64_t run) {
        EvalOptions o{frame, Purpose::Viewport, true};
        o.live = run;
        const LayerResult result = r.evaluator.layer(r.document, r.layer, o, Progress::none());
        REQUIRE(result.ok);
        return result;
    };
    const auto pointsIn = [](const LayerResult& result) {
        return std::get<std::shared_ptr<const PointSet>>(result.geometry);
    };
    for (int f = 1; f <= 12; ++f) r.points(f);
    const size_t before = r.evaluator.stepsRun();
    // Without an edit, live is exact.
    CHECK(pointsIn(live(12, 1))->attributes == exact.points(12)->attributes);
    r.set("gravity/acceleration", V3d(0, 20, 0));
    exact.set("gravity/acceleration", V3d(0, 20, 0));
    const LayerResult next = live(13, 1);
    CHECK(next.steps[1].note.find("goes on from before") != std::string::npos);
    CHECK(r.evaluator.stepsRun() - before < 8);  // one frame, not thirteen
    // Those that fell before the change are still below, and rise from there.
    CHECK(pointsIn(next)->attributes.find<V3f>("P")[0].y < 1.0f);
    CHECK(exact.points(13)->attributes.find<V3f>("P")[0].y >= 1.0f);
    CHECK(pointsIn(live(14, 1))->attributes.find<V3f>("v")[0].y >
          pointsIn(next)->attributes.find<V3f>("v")[0].y);
    // Frames are left out when playing keeps time; other parts come and go.
    CHECK(pointsIn(live(18, 1))->size() > 0);
    r.document = withStep(r.document, r.layer, 9, makeStep("trails", r.document.get(r.layer)));
    r.document = withoutStep(r.document, r.layer, "collide");
    r.document = withPart(r.document, r.layer, "simulate", "floor");
    r.document = withText(r.document, "rain/floor/then", "stick");
    r.document = withPart(r.document, r.layer, "simulate", "emit");
    for (int f = 19; f < 30; ++f) live(f, 1);
    r.document = withoutStep(r.document, r.layer, "floor");
    r.document = withoutStep(r.document, r.layer, "trails");
    for (int f = 30; f < 34; ++f) live(f, 1);
    // What is asked exactly knows nothing of it.
    exact.document = r.document;
    CHECK(r.points(20)->attributes == exact.points(20)->attributes);
    CHECK(pointsIn(live(20, 2))->attributes == exact.points(20)->attributes);
    // Strands too.
    Document d = Document::fresh();
    d.put(makeNode(d, "sphere", "Ball"));
    Node coat = makeNode(d, "layer", "Coat");
    coat.params["surface"].value = std::string("ball");
    coat.steps.push_back(makeStep("scatter", coat));
    coat.steps.push_back(makeStep("grow", coat));
    d.put(coat);
    d = withText(d, "coat/scatter/count", "30");
    d = withStep(d, "coat", 2, makeStep("simulate_strands", d.get("coat")));
    d = withPart(d, "coat", "simulate_strands", "strand_collide");
    Evaluator evaluator;
    const auto coatAt = [&](double frame, uint64_t run) {
        EvalOptions o{frame, Purpose::Viewport, true};
        o.live = run;
        return evaluator.layer(d, "coat", o, Progress::none());
    };
    for (int f = 1; f < 8; ++f) coatAt(f, 0);
    d = withText(d, "coat/simulate_strands/stiff", "0.5");
    d = withText(d, "coat/strand_collide/thickness", "0.01");
    CHECK(coatAt(8, 3).steps[2].note.find("goes on") != std::string::npos);
    CHECK(coatAt(8, 0).steps[2].note.empty());
}
