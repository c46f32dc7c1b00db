// What types of nodes declare beside their parameters.
#include "document/edits/edits.h"
#include "eval/camera_options.h"
#include "eval/checks/checks.h"
#include "eval/evaluator.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

std::vector<std::string> told(const Document& document, double frame = 1) {
    Evaluator evaluator;
    std::vector<std::string> texts;
    for (const Check& c : findChecks(document, {}, evaluator, frame, Progress::none()))
        texts.push_back(c.text);
    return texts;
}

bool tells(const Document& document, const std::string& text) {
    for (const std::string& t : told(document))
        if (t.find(text) != std::string::npos) return true;
    return false;
}

}  // namespace

TEST_CASE("each type declares what its category takes, and its outline is finite", "[nodes]") {
    for (const NodeType& type : nodeTypes()) {
        INFO(type.id);
        CHECK(bool(type.make) == (type.category == Category::Object));
        CHECK(bool(type.light) == (type.category == Category::Light));
        CHECK(bool(type.camera) == (type.category == Category::Camera));
        CHECK(bool(type.material) == (type.category == Category::Material));
        if (!type.sign.empty()) CHECK(findSpec(type.params, "position"));
        if (!type.outline) continue;
        CHECK_FALSE(type.sign.empty());
        const ResolvedParams params(type.params, {}, FieldContext{});
        for (const auto& line : type.outline({params, 2, 1.5f}))
            for (const V3f& p : line) CHECK(isFinite(p));
    }
}

TEST_CASE("a camera's outline is the picture's frame", "[nodes]") {
    const NodeType& type = *findNodeType("camera");
    ParamMap set;
    set["position"].value = V3d(1, 2, 3), set["target"].value = V3d(-2, 0.5, 1), set["roll"].value = 30.0;
    const ResolvedParams params(type.params, set, FieldContext{});
    const Camera camera(type.camera(params), 2.0f);
    const auto lines = type.outline({params, 0.7f, 2.0f});
    REQUIRE(lines.size() == 5);
    const float corners[][2] = {{0, 1}, {1, 1}, {1, 0}, {0, 0}};  // y goes down in the picture
    for (size_t k = 0; k < 4; ++k) {
        CHECK((lines[k][0] - V3f(1, 2, 3)).length() < 1e-6f);
        const Ray ray = camera.ray(corners[k][0], corners[k][1], 0, 0);
        CHECK(((lines[k][1] - lines[k][0]).normalized() - ray.direction).length() < 1e-5f);
        CHECK(lines[4][k] == lines[k][1]);
    }
}

TEST_CASE("an outline stands where its node does at the frame", "[nodes]") {
    Document d = Document::fresh();
    Node lamp = makeNode(d, "disk");
    lamp.params["position"].keys = {{1, V3d(0, 0, 0), KeyEase::Linear}, {11, V3d(0, 10, 0), KeyEase::Linear}};
    lamp.params["scale"].value = V3d(2);
    d.put(lamp);
    const auto lines = outlineOf(d, lamp, 6, 1);
    REQUIRE(lines.size() == 2);
    for (const V3f& p : lines[0]) CHECK((p - V3f(0, 5, 0)).length() == Approx(2 * 0.5f));
    CHECK(outlineOf(d, d.get("render"), 6, 1).empty());
}

TEST_CASE("a camera is one by what it declares, at its frame", "[nodes]") {
    Document d = Document::fresh();
    const std::string id = std::get<std::string>(d.setting("render", "camera"));
    d = withText(d, id + "/focal", "50");
    CHECK(sceneCamera(d, 1)->focal == 50);
    CHECK_FALSE(cameraOf(d, "render", 1));
    CHECK_FALSE(cameraOf(d, "nobody", 1));
    Node moved = d.get(id);
    moved.params["position"].keys = {{1, V3d(0, 0, 4), KeyEase::Linear},
                                     {11, V3d(10, 0, 4), KeyEase::Linear}};
    d.put(moved);
    CHECK(cameraOf(d, id, 6)->position.x == Approx(5));
    CHECK(d.originOf(id, 6)->x == Approx(5));
    CHECK_FALSE(d.originOf("render", 6));
    d = withText(withText(d, "render/width", "300"), "render/height", "100");
    CHECK(pictureAspect(d, 1) == Approx(3));
}

TEST_CASE("what gives no light, looks at itself, or cannot be seen is told", "[nodes][checks]") {
    Document d = Document::fresh();
    CHECK_FALSE(tells(d, "gives no light"));
    const Node lamp = makeNode(d, "area");
    d.put(lamp);
    CHECK_FALSE(tells(d, "gives no light"));
    CHECK(tells(withText(d, lamp.id + "/power", "0"), "gives no light: its power is 0"));
    CHECK(tells(withText(d, lamp.id + "/color", "0,0,0"), "gives no light: its colour is black"));
    const std::string camera = std::get<std::string>(d.setting("render", "camera"));
    CHECK(tells(withText(withText(d, camera + "/position", "1,1,1"), camera + "/target", "1,1,1"),
                "stands where it looks"));
    const Node ball = makeNode(d, "sphere"), skin = makeNode(d, "surface");
    d.put(ball);
    d.put(skin);
    CHECK_FALSE(tells(d, "has no size"));
    CHECK(tells(withText(d, ball.id + "/scale", "1,0,1"), "has no size: its scale is 0 along Y"));
    CHECK_FALSE(tells(d, "cuts all out"));
    CHECK(tells(withText(d, skin.id + "/geometry_opacity", "0.4"), "cuts all out that wears it"));
    Field leaf;
    leaf.sources.push_back(makeSource("noise"));
    const auto driven = [&](const std::string& opacity, const std::string& param) {
        return tells(withField(withText(d, skin.id + "/geometry_opacity", opacity), {skin.id, {}, param},
                               std::make_shared<Field>(leaf)),
                     "cuts all out");
    };
    CHECK_FALSE(driven("0.6", "geometry_opacity"));
    CHECK(driven("0.4", "geometry_opacity"));    // from 0 to that, wherever
    CHECK(driven("0.4", "specular_roughness"));  // which has nothing to do with it
    const auto shown = [&](const Document& of, const char* param) {
        return appliesAt(of, {skin.id, {}, param}, *findSpec(specsOf(skin), param));
    };
    CHECK_FALSE(shown(d, "coat_roughness"));  // more is said of a coat where there is one
    CHECK(shown(withText(d, skin.id + "/coat_weight", "0.5"), "coat_roughness"));
    CHECK(shown(withField(d, {skin.id, {}, "coat_weight"}, std::make_shared<Field>(leaf)), "coat_roughness"));
    // What is clear is seen in the colour of its light, and else in its own.
    const auto colorOf = [&](const Document& of) {
        return findNodeType("surface")->color(of, of.get(skin.id));
    };
    const Document red =
        withText(withText(d, skin.id + "/base_color", "0.5,0,0"), skin.id + "/transmission_color", "0,0.5,0");
    CHECK(colorOf(red).x > colorOf(red).y);
    CHECK(colorOf(withText(red, skin.id + "/transmission_weight", "1")).y > 0.1f);
    Node off = d.get(lamp.id);
    off.rendered = false, off.params["power"].value = 0.0;
    d.put(off);
    CHECK_FALSE(tells(d, "gives no light"));
}

TEST_CASE("where an object stands and what it wears are no part of its shape", "[nodes][eval]") {
    Document d = Document::fresh();
    const Node ball = makeNode(d, "sphere"), skin = makeNode(d, "surface");
    d.put(ball);
    d.put(skin);
    Evaluator evaluator;
    const auto hash = [&](const Document& with) {
        return evaluator.object(with, ball.id, 1, Progress::none()).hash;
    };
    const uint64_t before = hash(d);
    for (const ParamSpec& spec : specsOf(ball)) {
        INFO(spec.id);
        Node other = ball;
        if (const auto* v = std::get_if<V3d>(&spec.initial)) other.params[spec.id].value = *v + V3d(0.5);
        if (const auto* x = std::get_if<double>(&spec.initial))
            other.params[spec.id].value = *x < spec.hardMax ? *x + 0.5 : *x - 0.5;
        if (spec.id == "material") other.params[spec.id].value = skin.id;
        if (other == ball) continue;
        Document changed = d;
        changed.put(other);
        CHECK((hash(changed) == before) == (spec.affects != Affects::Result));
    }
}
