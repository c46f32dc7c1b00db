// Curves among the other nodes of a scene, and masks that place nothing anew.
#include "base/error.h"
#include "document/edits/edits.h"
#include "eval/evaluator.h"
#include "eval/overlay.h"
#include "geo/points/curve_set.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

struct Path {
    Document document = Document::fresh();
    std::string plane, ball, curve, layer;
    Evaluator evaluator;
    Path() {
        Node p = makeNode(document, "plane"), s = makeNode(document, "sphere"),
             c = makeNode(document, "curve");
        p.params["size"].value = 4.0;
        s.params["radius"].value = 0.02;
        c.params["points"].value = CurvePoints{{{-1, 0, 0}, {0, 0, 0.5f}, {1, 0, 0}}};
        plane = p.id, ball = s.id, curve = c.id;
        for (const Node& n : {p, s, c}) document.put(n);
        document = withLayer(document, plane, ball, &layer);
        document = withStepReplaced(document, layer, "scatter", "along");
        document = withValue(document, {layer, "along", "curves"}, Refs{curve});
    }
    void set(const std::string& path, const std::string& text) { document = withText(document, path, text); }
    LayerResult eval() { return evaluate(evaluator); }
    LayerResult evaluate(Evaluator& with) {
        return with.layer(document, layer, {1, Purpose::Render, false}, Progress::none());
    }
};

std::vector<V3f> places(const LayerResult& r) {
    REQUIRE(r.ok);
    const auto p = std::get<std::shared_ptr<const Copies>>(r.geometry)->attributes.find<V3f>("P");
    return {p.begin(), p.end()};
}

}  // namespace

TEST_CASE("copies follow a curve, and the curve's place", "[curve][scene]") {
    Path s;
    s.set(s.layer + "/along/amount", "count");
    s.set(s.layer + "/along/count", "50");
    const auto before = places(s.eval());
    CHECK(before.size() == 50);
    const CurveSet line({curveLine(s.document, s.curve, 1)});
    for (const V3f& p : before) CHECK(line.closest(p)->distance < 1e-4f);
    s.set(s.curve + "/position", "0.3,0,0.2");
    const auto after = places(s.eval());
    REQUIRE(after.size() == 50);
    for (size_t i = 0; i < 50; ++i) CHECK((after[i] - before[i] - V3f(0.3f, 0, 0.2f)).length() < 1e-5f);
}

TEST_CASE("a mask by the distance to a curve clears a path", "[curve][scene]") {
    Path s;
    s.document = withStepReplaced(s.document, s.layer, "along", "scatter");
    s.set(s.layer + "/scatter/count", "3000");
    FieldSource away = makeSource("distance");
    away.params["to"].value = Refs{s.curve};
    away.params["range"].value = Range{0.2, 0.2};
    s.document = withField(s.document, {s.layer, "scatter", "mask"}, std::make_shared<Field>(Field{{away}}));
    const auto kept = places(s.eval());
    CHECK(kept.size() > 1000);
    CHECK(kept.size() < 3000);
    const CurveSet line({curveLine(s.document, s.curve, 1)});
    for (const V3f& p : kept) CHECK(line.closest(p)->distance >= 0.2f - 1e-5f);
}

TEST_CASE("curves are saved, and one that is deleted is named nowhere", "[curve][scene]") {
    Path s;
    s.set(s.curve + "/closed", "true");
    const std::string text = writeScene(s.document);
    CHECK(readScene(text) == s.document);
    CHECK(writeScene(readScene(text)) == text);
    CHECK(std::get<CurvePoints>(s.document.value(s.curve, "points")).list.size() == 3);
    const Document without = withoutNode(s.document, s.curve);
    CHECK(std::get<Refs>(paramAt(without, {s.layer, "along", "curves"}).value) == Refs{""});
    s.document = without;
    const LayerResult r = s.eval();
    CHECK_FALSE(r.ok);
    CHECK_THAT(r.steps[0].error, Catch::Contains("no curve"));
}

TEST_CASE("what is no list of points is refused with its place", "[curve][scene]") {
    Path s;
    const std::string text = writeScene(s.document);
    for (const char* bad : {"5", "[[1,2]]", "[[1,2,\"x\"]]", "{\"value\": 3}"}) {
        auto json = nlohmann::ordered_json::parse(text);
        for (auto& node : json["nodes"])
            if (node["id"] == s.curve) node["params"]["points"] = nlohmann::ordered_json::parse(bad);
        CHECK_THROWS_WITH(readScene(json.dump()), Catch::Contains("points"));
    }
}

TEST_CASE("a curve is no surface and no layer", "[curve][scene]") {
    Path s;
    s.set(s.layer + "/orient/up", "object");
    s.set(s.layer + "/orient/to_up", "1");
    s.document = withValue(s.document, {s.layer, "orient", "up_object"}, s.curve);
    CHECK_FALSE(s.eval().ok);
    s.set(s.layer + "/orient/up", "curve");
    CHECK_FALSE(s.eval().ok);  // none chosen yet
    s.document = withValue(s.document, {s.layer, "orient", "up_curves"}, Refs{s.curve});
    CHECK(s.eval().ok);
    s.document = withValue(s.document, {s.layer, "along", "curves"}, Refs{s.plane});
    CHECK_THAT(s.eval().steps[0].error, Catch::Contains("no curve"));
}

TEST_CASE("a change of the mask asks only who stays, and gives what a fresh evaluation does", "[mask]") {
    for (const char* place : {"scatter", "spread", "grid", "on_mesh", "along"}) {
        INFO(place);
        Path s;
        s.set(s.plane + "/divisions", "20");
        if (std::string(place) != "along") s.document = withStepReplaced(s.document, s.layer, "along", place);
        FieldSource noise = makeSource("noise");
        noise.params["size"].value = 0.4;
        const ParamPath keep{s.layer, place, "mask"};
        s.document = withField(s.document, keep, std::make_shared<Field>(Field{{noise}}));
        const auto first = places(s.eval());
        for (const double contrast : {2.0, 5.0}) {
            noise.params["contrast"].value = contrast;
            s.document = withField(s.document, keep, std::make_shared<Field>(Field{{noise}}));
            Evaluator fresh;
            CHECK(places(s.eval()) == places(s.evaluate(fresh)));
        }
        // No mask at all: everything that was thinned is there, where it was.
        s.document = withField(s.document, keep, nullptr);
        const auto all = places(s.eval());
        CHECK(all.size() > first.size());
        for (const V3f& p : first) CHECK(std::find(all.begin(), all.end(), p) != all.end());
    }
}

TEST_CASE("while a mask is painted the result is the same, and fewer steps run", "[mask]") {
    Path s;
    s.document = withStepReplaced(s.document, s.layer, "along", "scatter");
    s.set(s.layer + "/scatter/count", "5000");
    s.document = withStep(s.document, s.layer, 3, makeStep("vary_color", s.document.get(s.layer)));
    s.document = withStep(s.document, s.layer, 5, makeStep("keep_apart", s.document.get(s.layer)));
    FieldSource noise = makeSource("noise");
    const ParamPath keep{s.layer, "scatter", "mask"};
    const EvalOptions plain{1, Purpose::Viewport, true, {}}, painted{1, Purpose::Viewport, true, s.layer};
    for (int round = 0; round < 3; ++round) {
        noise.params["contrast"].value = 1.0 + round;
        s.document = withField(s.document, keep, std::make_shared<Field>(Field{{noise}}));
        Evaluator fresh;
        const LayerResult one = fresh.layer(s.document, s.layer, plain, Progress::none());
        const size_t ran = s.evaluator.stepsRun();
        const LayerResult two = s.evaluator.layer(s.document, s.layer, painted, Progress::none());
        if (round > 0) CHECK(s.evaluator.stepsRun() - ran == 1);  // keeping apart looks at the others
        CHECK(one.hash == two.hash);
        CHECK(std::get<std::shared_ptr<const Copies>>(one.geometry)->attributes ==
              std::get<std::shared_ptr<const Copies>>(two.geometry)->attributes);
        REQUIRE(one.steps.size() == two.steps.size());
        for (size_t i = 0; i < one.steps.size(); ++i) {
            CHECK(one.steps[i].in == two.steps[i].in);
            CHECK(one.steps[i].out == two.steps[i].out);
        }
    }
    s.set(s.layer + "/orient/front", "object");  // what fails, fails as it does otherwise
    const LayerResult bad = s.evaluator.layer(s.document, s.layer, painted, Progress::none());
    CHECK_FALSE(bad.ok);
    CHECK(bad.steps[0].error.empty());
    CHECK_FALSE(bad.steps[1].error.empty());
}

TEST_CASE("the zone of a field is as large as its part of the surface", "[overlay]") {
    Path s;
    s.document = withStepReplaced(s.document, s.layer, "along", "scatter");
    FieldSource away = makeSource("distance");  // linear from the ball at the middle out to 1 m
    away.params["to"].value = Refs{s.ball};
    away.params["range"].value = Range{0, 1};
    const ParamPath keep{s.layer, "scatter", "mask"};
    s.document = withField(s.document, keep, std::make_shared<Field>(Field{{away}}));
    const auto overlay = makeOverlay(s.document, keep, s.evaluator, {1}, Progress::none());
    REQUIRE(overlay);
    REQUIRE(overlay->error == "");
    // Within r of a ball of 2 cm on 16 square metres: pi (r + 0.02)^2 / 16; 4096 places, five sigma.
    for (const float r : {0.3f, 0.8f}) {
        const double inside = double(kPi) * (r + 0.02) * (r + 0.02) / 16.0;
        CHECK(std::abs(1.0 - overlay->shareFrom(r) - inside) < 5.0 * std::sqrt(inside * (1 - inside) / 4096));
    }
    CHECK(overlay->shareFrom(0.0f) == 1.0);
    CHECK(Overlay().shareFrom(0.5f) == 0.0);
}
