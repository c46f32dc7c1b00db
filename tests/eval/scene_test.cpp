#include <fstream>

#include "base/files.h"
#include "deliver/render_scene_builder.h"
#include "document/edits/edits.h"
#include "document/file/scene_file.h"
#include "eval/checks/checks.h"
#include "eval/overlay.h"
#include "low_tide.h"
#include "small_scene.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

struct Small : SmallScene {
    Evaluator evaluator;
    LayerResult eval(Purpose purpose = Purpose::Render) {
        return evaluator.layer(document, layer, {1, purpose, false}, Progress::none());
    }
    std::vector<Check> checks() {
        return findChecks(document, {{layer, eval(Purpose::Viewport)}}, evaluator, 1, Progress::none());
    }
    bool hasCheck(const std::string& part) {
        for (const Check& c : checks())
            if (c.text.find(part) != std::string::npos) return true;
        return false;
    }
};

const AttributeSet& copiesIn(const LayerResult& r) {
    return std::get<std::shared_ptr<const Copies>>(r.geometry)->attributes;
}

std::string demoScene() {
    static const TemporaryFolder folder;
    static const auto path = ovrix::demo::writeLowTide(folder.path());
    return path.string();
}

/// Of each pixel of a small picture after one pass.
std::vector<V3f> lightOf(const RenderJob& job) {
    Film film(48, 27);
    Renderer(*job.scene, job.cameraFor(48, 27), job.options)
        .renderPass(film, 0, {0, 0, 48, 27}, Progress::none());
    std::vector<V3f> out;
    for (const FilmPixel& p : film.pixels()) out.push_back(p.direct + p.indirect);
    return out;
}

}  // namespace

TEST_CASE("scenes are written and read byte for byte", "[scene-file]") {
    Small s;
    Param keyed = paramAt(s.document, {s.layer, "scatter", "density"});
    keyed.keys = {{1, 2.0, KeyEase::Linear}, {24, 3.5, KeyEase::Hold}};
    s.document = withParam(s.document, {s.layer, "scatter", "density"}, keyed);
    for (const SourceType& t : sourceTypes()) {
        Param p = paramAt(s.document, {s.layer, "scatter", "mask"});
        Field f = p.field ? *p.field : Field();
        f.sources.push_back(makeSource(t.id));
        f.sources.back().blend = Blend::Max;
        f.sources.back().remap = Curve{{{0.1f, 0}, {0.3f, 1}, {0.7f, 1}, {0.9f, 0}}, true};
        p.field = std::make_shared<Field>(f);
        s.document = withParam(s.document, {s.layer, "scatter", "mask"}, p);
    }
    for (const NodeType& t : nodeTypes())
        if (t.category != Category::Settings) s.document.put(makeNode(s.document, t.id));
    const std::string text = writeScene(s.document);
    const Document back = readScene(text);
    CHECK(back == s.document);
    CHECK(writeScene(back) == text);
    const std::string demo = readFile(demoScene());
    CHECK(writeScene(readScene(demo)) == demo);
}

TEST_CASE("what a newer version wrote is kept", "[scene-file]") {
    const std::string text = R"({"format": "ovrix-scene", "version": 1, "later": {"a": 1},
        "nodes": [{"id": "x", "type": "hologram", "name": "X", "shown": true, "rendered": true, "params": {"depth": 3}, "aura": [1, 2]},
                  {"id": "p", "type": "plane", "name": "P", "params": {"size": 2, "wobble": 7}}]})";
    const std::string again = writeScene(readScene(text));
    for (const char* part : {"\"later\"", "\"aura\"", "\"wobble\": 7", "\"depth\": 3", "hologram"})
        CHECK(again.find(part) != std::string::npos);
    CHECK(writeScene(readScene(again)) == again);
}

TEST_CASE("scenes that cannot be read say where and why", "[scene-file]") {
    const auto refused = [](const std::string& text, const std::string& why) {
        INFO(text);
        CHECK_THROWS_WITH(readScene(text, "a.ovrix"), Catch::Contains("a.ovrix") && Catch::Contains(why));
    };
    refused("", "JSON");
    refused("{\n\n oops", "line 3");
    refused("[]", "no Ovrix scene");
    refused(R"({"format": "ovrix-scene"})", "version");
    refused(R"({"format": "ovrix-scene", "version": 99, "nodes": []})", "newer");
    refused(R"({"format": "ovrix-scene", "version": 1})", "nodes");
    refused(R"({"format": "ovrix-scene", "version": 1, "nodes": [{"type": "plane"}]})", "nodes[0]");
    refused(
        R"({"format": "ovrix-scene", "version": 1, "nodes": [{"id": "a", "type": "plane"}, {"id": "a", "type": "plane"}]})",
        "two nodes");
    refused(
        R"({"format": "ovrix-scene", "version": 1, "nodes": [{"id": "a", "type": "plane", "params": {"size": "big"}}]})",
        "size");
    refused(
        R"({"format": "ovrix-scene", "version": 1, "nodes": [{"id": "a", "type": "layer", "steps": [{"type": "scatter", "params": {"amount": "much"}}]}]})",
        "no choice");
}

TEST_CASE("no mutation of a scene brings the reader or the evaluation down", "[scene-file][mutation]") {
    Small s;
    s.document = withField(s.document, {s.layer, "scatter", "mask"}, fieldOf("slope"));
    s.set(s.layer + "/scatter/count", "50");
    const std::string text = writeScene(s.document);
    std::mt19937_64 random(testSeed());
    size_t read = 0, refused = 0;
    const std::vector<std::string> words = {
        "null", "1e999", "-1", "99999999999999999999", "\"x\"", "[]", "{}", "true", "NaN", "\"\"", "0"};
    for (int round = 0; round < 2000; ++round) {
        std::string bytes = text;
        for (int e = 0; e < 1 + int(random() % 3); ++e) {
            const size_t at = random() % bytes.size(), colon = bytes.find(": ", at);
            if (random() % 4 || colon == std::string::npos) {
                damage(bytes, random);
            } else {  // another value where one stood
                const size_t end = bytes.find_first_of(",\n", colon);
                bytes.replace(colon + 2, end - colon - 2, words[random() % words.size()]);
            }
        }
        try {
            const Document d = readScene(bytes);
            ++read;
            if (round % 4) continue;
            Evaluator evaluator;
            for (const NodePtr& n : d.nodes(Category::Layer))
                if (d.find("scene"))
                    evaluator.layer(d, n->id, {1, Purpose::Viewport, false}, Progress::none());
        } catch (const Error&) {
            ++refused;
        }
    }
    CHECK(read > 50);
    CHECK(refused > 100);
}

TEST_CASE("the command line's texts set every kind of value", "[edits]") {
    Small s;
    s.set(s.layer + "/scatter/count", "3000");
    s.set(s.layer + "/vary_size/between", "0.2..0.8");
    s.set(s.plane + "/position", "1,2,3");
    s.set("sun/color", "#ff0000");
    s.set(s.layer + "/copies_of/prototypes", s.ball + ":0.7," + s.plane + ":0.3");
    s.set(s.layer + "/scatter/amount", "density");
    s.set(s.layer + "/orient/on", "false");
    s.set(s.layer + "/scatter/mask", R"({"value": 1, "field": [{"type": "slope"}]})");
    const auto value = [&](const std::string& p) {
        return paramAt(s.document, ParamPath::parse(s.document, p)).value;
    };
    CHECK(std::get<int64_t>(value(s.layer + "/scatter/count")) == 3000);
    CHECK(std::get<Range>(value(s.layer + "/vary_size/between")) == Range{0.2, 0.8});
    CHECK(std::get<V3d>(value(s.plane + "/position")) == V3d(1, 2, 3));
    CHECK(std::get<Color>(value("sun/color")).x == Approx(1));
    CHECK(std::get<PrototypeMix>(value(s.layer + "/copies_of/prototypes")).size() == 2);
    CHECK_FALSE(s.document.get(s.layer).step("orient")->on);
    CHECK(paramAt(s.document, ParamPath::parse(s.document, s.layer + "/scatter/mask")).field);
    s.set(s.plane + "/size", "150cm");
    CHECK(std::get<double>(value(s.plane + "/size")) == Approx(1.5));
    s.set(s.layer + "/scatter/count", "-5");
    CHECK(std::get<int64_t>(value(s.layer + "/scatter/count")) == 0);  // clamped to the hard range
    for (const auto& [path, text] :
         std::vector<std::pair<std::string, std::string>>{{"nobody/x", "1"},
                                                          {s.plane + "/nothing", "1"},
                                                          {s.plane, "1"},
                                                          {"", ""},
                                                          {s.plane + "/size", "wide"},
                                                          {s.layer + "/scatter/amount", "lots"},
                                                          {"sun/color", "red"},
                                                          {s.layer + "/scatter/mask/field/9/size", "1"},
                                                          {s.plane + "/parent", "nobody"}}) {
        INFO(path << "=" << text);
        CHECK_THROWS_AS(withText(s.document, path, text), Error);
    }
}

TEST_CASE("steps are offered where they fit", "[edits]") {
    Small s;
    const Node& layer = s.document.get(s.layer);
    const auto names = [&](size_t place) {
        std::vector<std::string> out;
        for (const StepType* t : fittingSteps(layer, place)) out.push_back(t->id);
        return out;
    };
    CHECK(names(0).empty());
    CHECK(names(1) == std::vector<std::string>{"orient", "vary_size", "vary_color", "set_channel", "move_by",
                                               "smooth_channel", "delete_by", "sort_by", "merge_near",
                                               "simulate"});
    CHECK(names(4) == std::vector<std::string>{"keep_apart", "by_hand", "unique"});
    Node bare = makeNode(s.document, "layer");
    for (const StepType* t : fittingSteps(bare, 0)) CHECK(t->phase == Phase::Place);
    CHECK(fittingSteps(bare, 0).size() == 11);
}

TEST_CASE("editing a step computes it and what follows, nothing else", "[evaluator]") {
    Small s;
    s.eval();
    CHECK(s.evaluator.stepsRun() == 4);
    s.eval();
    CHECK(s.evaluator.stepsRun() == 4);
    s.set(s.layer + "/vary_size/between", "0.2..0.3");
    const LayerResult r = s.eval();
    CHECK(s.evaluator.stepsRun() == 6);
    CHECK(r.steps[0].cached);
    CHECK(r.steps[1].cached);
    CHECK_FALSE(r.steps[2].cached);
    s.set("camera/position", "9,9,9");
    s.set("sun/elevation", "3");
    std::string other;
    s.document = withLayer(s.document, s.plane, s.ball, &other);
    s.set(other + "/scatter/count", "5");
    s.eval();
    CHECK(s.evaluator.stepsRun() == 6);
    s.set(s.plane + "/position", "0,1,0");
    s.eval();
    CHECK(s.evaluator.stepsRun() == 10);
}

TEST_CASE("ids and places survive edits of count, mask strength, camera and other layers",
          "[evaluator][ids]") {
    Small s;
    s.document = withField(s.document, {s.layer, "scatter", "mask"}, fieldOf("noise"));
    const auto places = [&] {
        std::map<uint64_t, std::pair<V3f, Quatf>> out;
        const AttributeSet a = copiesIn(s.eval());
        for (size_t i = 0; i < a.size(); ++i)
            out[a.find<uint64_t>("id")[i]] = {a.find<V3f>("P")[i], a.find<Quatf>("orient")[i]};
        return out;
    };
    const auto before = places();
    for (const auto& [path, text] :
         std::vector<std::pair<std::string, std::string>>{{s.layer + "/scatter/count", "9000"},
                                                          {s.layer + "/scatter/mask/field/0/strength", "0.3"},
                                                          {"camera/focal", "80"}}) {
        s.set(path, text);
        size_t kept = 0;
        for (const auto& [id, place] : places())
            if (const auto it = before.find(id); it != before.end()) {
                REQUIRE(it->second.first == place.first);
                REQUIRE(it->second.second == place.second);
                ++kept;
            }
        CHECK(kept == before.size());  // more count and a weaker mask only add
    }
}

TEST_CASE("draft and render make shares of the same elements", "[evaluator]") {
    Small s;
    const auto full = s.eval(Purpose::Render), draft = s.eval(Purpose::Viewport);
    CHECK(copiesIn(full).size() == 2000);
    CHECK(copiesIn(draft).size() == 200);
    CHECK(copiesIn(draft).find<V3f>("P")[150] == copiesIn(full).find<V3f>("P")[150]);
}

TEST_CASE("a step that fails says so, and the rest shows what it last made", "[evaluator]") {
    Small s;
    const LayerResult good = s.eval(Purpose::Viewport);
    s.set("scene/memory", "0.05");
    s.set("scene/draft", "1");
    s.set(s.layer + "/scatter/count", "1000000000");
    const LayerResult bad = s.eval(Purpose::Viewport);
    CHECK_FALSE(bad.ok);
    CHECK(bad.steps[0].error.find("GB") != std::string::npos);
    CHECK_FALSE(bad.steps[0].remedy.empty());
    for (size_t i = 1; i < 4; ++i) CHECK(bad.steps[i].stale);
    CHECK(bad.steps[3].out == good.steps[3].out);
    CHECK(elementCount(bad.geometry) == elementCount(good.geometry));
    CHECK(elementCount(s.eval(Purpose::Render).geometry) == 0);  // a picture shows no leftovers
    s.evaluator.forgetLast();
    CHECK(elementCount(s.eval(Purpose::Viewport).geometry) == 0);
    s.set(s.layer + "/scatter/on", "false");
    CHECK(s.eval(Purpose::Viewport).steps[1].error.find("takes points") != std::string::npos);
}

TEST_CASE("objects follow their parents and loops end", "[evaluator]") {
    Small s;
    s.set(s.plane + "/position", "0,5,0");
    s.set(s.plane + "/rotation", "0,90,0");
    s.set(s.ball + "/position", "1,0,0");
    s.set(s.ball + "/parent", s.plane);
    const M44f m = s.document.worldMatrix(s.ball, 1);
    CHECK(V3f(m[3][0], m[3][1], m[3][2]).equalWithAbsError(V3f(0, 5, -1), 1e-5f));
    s.set(s.plane + "/parent", s.ball);
    CHECK(isFinite(V3f(s.document.worldMatrix(s.ball, 1)[3][0], 0, 0)));
}

TEST_CASE("checks name what would surprise, and fixes mend it", "[checks]") {
    Small s;
    CHECK(s.checks().empty());
    const auto mended = [&](const std::string& part) {
        REQUIRE(s.hasCheck(part));
        for (const Check& c : s.checks())
            if (c.text.find(part) != std::string::npos && c.fix) {
                s.document = c.fix(s.document);
                break;
            }
        CHECK_FALSE(s.hasCheck(part));
    };
    s.set("sun/rendered", "false");
    s.set("sky/rendered", "false");
    mended("Nothing lights");
    s.document = withoutNode(s.document, "camera");
    mended("no camera");
    s.set(s.layer + "/shown", "false");
    mended("hidden but will render");
    s.set(s.layer + "/rendered", "false");
    mended("will not render");
    s.set(s.plane + "/scale", "0,1,1");
    mended("its scale is 0");
    s.set(s.layer + "/copies_of/prototypes", "ghost");
    CHECK(s.hasCheck("ghost"));
    s.set(s.layer + "/copies_of/prototypes", s.ball);
    s.set(s.layer + "/scatter/count", "0");
    CHECK(s.hasCheck("count is too small"));
    s.set(s.layer + "/scatter/count", "100");
    FieldSource nothing = makeSource("constant");
    nothing.params["value"].value = 0.0;
    s.document =
        withField(s.document, {s.layer, "scatter", "mask"}, std::make_shared<Field>(Field{{nothing}}));
    CHECK(s.hasCheck("mask is 0 everywhere"));
    s.document = withField(s.document, {s.layer, "scatter", "mask"}, nullptr);
    s.document = withoutStep(s.document, s.layer, "copies_of");
    mended("no cloud material");
    Node gone = makeNode(s.document, "mesh_file", "Gone");
    gone.params["file"].value = std::string("gone.obj");
    s.document = withNode(s.document, gone);
    CHECK(s.hasCheck("gone.obj"));
    s.set(s.layer + "/surface", "");
    CHECK(s.hasCheck("lies on no surface"));
}

TEST_CASE("deleting takes references along", "[edits]") {
    Small s;
    s.set(s.plane + "/material", "");
    const Document d = withoutNode(s.document, s.ball);
    CHECK(std::get<PrototypeMix>(paramAt(d, ParamPath::parse(d, s.layer + "/copies_of/prototypes")).value)
              .empty());
    CHECK_FALSE(withoutNode(s.document, s.plane).find(s.layer));
    CHECK_THROWS_AS(withoutNode(s.document, "render"), Error);
}

TEST_CASE("a scene renders to the same bits after saving and loading", "[translate]") {
    TemporaryFolder folder;
    Small s;
    s.set(s.layer + "/scatter/count", "60");
    s.set(s.ball + "/radius", "0.05");
    const auto picture = [](const Document& d) {
        Evaluator evaluator;
        RenderSceneBuilder builder(evaluator);
        const RenderJob job = builder.build(d, {}, Progress::none());
        CHECK(job.problems.empty());
        return lightOf(job);
    };
    saveScene(s.document, folder / "a.ovrix");
    const auto first = picture(s.document);
    CHECK(first == picture(loadScene(folder / "a.ovrix")));
    s.set("sun/elevation", "12");
    CHECK(first != picture(s.document));
}

TEST_CASE("a changed light keeps the ray tracer's scene, a changed layer does not", "[translate]") {
    Small s;
    RenderSceneBuilder builder(s.evaluator);
    const auto a = builder.build(s.document, {}, Progress::none()).scene;
    s.set("sun/elevation", "12");
    CHECK(builder.build(s.document, {}, Progress::none()).scene == a);
    s.set(s.layer + "/scatter/seed", "2");
    const auto job = builder.build(s.document, {}, Progress::none());
    CHECK(job.scene != a);
    CHECK(job.scene->instanceCount() == 2002);
    s.set("scene/memory", "0.05");
    s.set(s.layer + "/scatter/count", "200000");
    CHECK_THROWS_WITH(builder.build(s.document, {}, Progress::none()), Catch::Contains("limit"));
    s.set(s.layer + "/scatter/count", "10");
    s.document = withoutNode(s.document, "camera");
    CHECK_THROWS_WITH(builder.build(s.document, {}, Progress::none()), Catch::Contains("camera"));
}

TEST_CASE("a ball that grows while the shutter is open is blurred, and the camera that moves too",
          "[translate]") {
    Small s;
    s.set("render/shutter", "1");
    RenderSceneBuilder builder(s.evaluator);
    JobOptions at;
    at.frame = 5;
    const RenderJob still = builder.build(s.document, at, Progress::none());
    CHECK(still.cameras.size() == 1);
    // Nothing changes, nothing is built.
    CHECK(builder.build(s.document, at, Progress::none()).scene == still.scene);
    at.frame = 6;
    CHECK(builder.build(s.document, at, Progress::none()).scene == still.scene);
    const auto sharp = lightOf(still);
    const Document standing = s.document;
    Param radius = paramAt(s.document, {s.ball, {}, "radius"});
    const double size = std::get<double>(radius.value);
    radius.keys = {{1, size, KeyEase::Linear}, {5, size, KeyEase::Linear}, {6, 2 * size, KeyEase::Linear}};
    s.document = withParam(s.document, {s.ball, {}, "radius"}, radius);
    const RenderJob grown = builder.build(s.document, at, Progress::none());
    CHECK(grown.problems.empty());
    CHECK(grown.scene != still.scene);
    CHECK(grown.cameras.size() == 1);
    const auto blurred = lightOf(grown);
    CHECK(blurred != sharp);
    s.set("render/shutter", "0");
    CHECK(lightOf(builder.build(s.document, at, Progress::none())) != blurred);  // one size, and no blur
    // The camera alone: the ray tracer's scene stays, and the picture blurs.
    s.document = standing;
    const RenderJob before = builder.build(s.document, at, Progress::none());
    Param place = paramAt(s.document, {"camera", {}, "position"});
    const V3d here = std::get<V3d>(place.value);
    place.keys = {{5, here, KeyEase::Linear}, {6, here + V3d(0.5, 0, 0), KeyEase::Linear}};
    s.document = withParam(s.document, {"camera", {}, "position"}, place);
    const RenderJob panned = builder.build(s.document, at, Progress::none());
    CHECK(panned.scene == before.scene);
    REQUIRE(panned.cameras.size() == 3);  // as many looks as the settings say
    CHECK(lightOf(panned) != lightOf(before));
}

TEST_CASE("scenes without settings go by their defaults", "[evaluator]") {
    const Document d = readScene(R"({"format": "ovrix-scene", "version": 1, "nodes": [
        {"id": "g", "type": "plane"}, {"id": "b", "type": "sphere"},
        {"id": "l", "type": "layer", "params": {"surface": "g"}, "steps": [{"type": "scatter"}, {"type": "copies_of", "params": {"prototypes": [{"of": "b"}]}}]}]})");
    CHECK(std::get<double>(d.setting("scene", "draft")) == 0.1);
    CHECK(d.memoryLimit() == 8'000'000'000u);
    CHECK_THROWS_AS(d.setting("scene", "nothing"), Error);
    Evaluator evaluator;
    const LayerResult r = evaluator.layer(d, "l", {1, Purpose::Viewport, false}, Progress::none());
    CHECK(elementCount(r.geometry) == 200);
    Document mended = d;
    for (int i = 0; i < 3; ++i)
        for (const Check& c : findChecks(mended, {{"l", r}}, evaluator, 1, Progress::none()))
            if (c.fix) {
                mended = c.fix(mended);
                break;
            }
    RenderSceneBuilder builder(evaluator);
    CHECK(builder.build(mended, {}, Progress::none()).scene->instanceCount() == 2002);
}

TEST_CASE("an overlay has the field at every corner, the share that passes, and a strip for each source",
          "[overlay]") {
    Small s;
    const ParamPath path = ParamPath::parse(s.document, s.layer + "/scatter/mask");
    CHECK_FALSE(makeOverlay(s.document, path, s.evaluator, {1}, Progress::none()));
    // Height over a plane that stands upright, from its lower to its upper edge: 0 to 1, half passes.
    s.set(s.plane + "/rotation", "90,0,0");
    s.set(s.plane + "/divisions", "4");
    FieldSource height = makeSource("height"), half = makeSource("constant"), off = makeSource("noise");
    height.params["range"].value = Range{-1, 1};
    half.params["value"].value = 0.5;
    off.on = false;
    s.document = withField(s.document, path, std::make_shared<Field>(Field{{height, off, half}}));
    const auto overlay = makeOverlay(s.document, path, s.evaluator, {1}, Progress::none());
    REQUIRE(overlay);
    CHECK(overlay->error.empty());
    CHECK(overlay->surface == s.plane);
    REQUIRE(overlay->values.size() == 64);
    CHECK(*std::min_element(overlay->values.begin(), overlay->values.end()) == Approx(0).margin(1e-5));
    CHECK(*std::max_element(overlay->values.begin(), overlay->values.end()) == Approx(0.5));
    CHECK(overlay->mean == Approx(0.25).margin(5 * 0.145 / 64));  // five deviations of 4,096 samples
    REQUIRE(overlay->strips.size() == 2);
    for (float x : overlay->strips[1]) CHECK(x == Approx(0.5f));
    s.set(s.layer + "/scatter/mask/field/2/value", "0.25");
    CHECK(makeOverlay(s.document, path, s.evaluator, {1}, Progress::none())->hash != overlay->hash);
    s.set(s.layer + "/surface", "");
    CHECK(makeOverlay(s.document, path, s.evaluator, {1}, Progress::none())->error.find("no surface") !=
          std::string::npos);
    s.set(s.layer + "/surface", s.plane);
    s.document = withField(s.document, path, fieldOf("image"));
    const auto failed = makeOverlay(s.document, path, s.evaluator, {1}, Progress::none());
    CHECK(failed->values.empty());
    CHECK_FALSE(failed->error.empty());
}
