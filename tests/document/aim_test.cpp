// Lights and cameras that are pointed at something.
#include "document/edits/aim.h"

#include "base/error.h"
#include "document/edits/edits.h"
#include "document/model/params.h"
#include "render/light/sky.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

struct Stage {
    Document d = Document::fresh();
    std::string add(const char* type) {
        const Node n = makeNode(d, type);
        d.put(n);
        return n.id;
    }
    V3f placeOf(const Document& of, const std::string& id) const { return *of.originOf(id, 1); }
    /// The way that a light's own -Y looks.
    V3f wayOf(const Document& of, const std::string& id) const {
        V3f way;
        of.worldMatrix(id, 1).multDirMatrix(V3f(0, -1, 0), way);
        return way.normalized();
    }
};

}  // namespace

TEST_CASE("a light stands where it is put and shines where it is aimed", "[aim]") {
    Stage s;
    for (const char* type : {"area", "disk", "spot"}) {
        const std::string id = s.add(type);
        for (const V3f& from : {V3f(1, 4, 2), V3f(0, 3, 0), V3f(0, 0, 5), V3f(-2, -1, 0)}) {
            const V3f at(0.2f, 0.1f, -0.3f);
            const Document out = withLightAimed(s.d, id, from, at, 1);
            CHECK((s.placeOf(out, id) - from).length() < 1e-5f);
            CHECK(s.wayOf(out, id).dot((at - from).normalized()) > 0.99999f);
        }
        CHECK(withLightAimed(s.d, id, V3f(1.0f), V3f(1.0f), 1) == s.d);  // which way is anyone's guess
    }
    // Upright: what is wide lies level.
    const std::string wide = s.add("area");
    for (const V3f& from : {V3f(1, 4, 2), V3f(3, 0.5f, -2), V3f(-1, -3, 0)}) {
        V3f across;
        withLightAimed(s.d, wide, from, V3f(0.0f), 1)
            .worldMatrix(wide, 1)
            .multDirMatrix(V3f(1, 0, 0), across);
        CHECK(across.normalized().y == Approx(0.0f).margin(1e-5));
    }
    // A sun has no place: it shines from there.
    const Document out = withLightAimed(s.d, "sun", V3f(1, 2, 2), V3f(0.0f), 1);
    const V3f way = sunDirection(radians(float(std::get<double>(out.value("sun", "elevation")))),
                                 radians(float(std::get<double>(out.value("sun", "azimuth")))));
    CHECK(way.dot(V3f(1, 2, 2).normalized()) > 0.99999f);
    CHECK_THROWS_AS(withLightAimed(s.d, "sky", V3f(1, 2, 2), V3f(0.0f), 1), Error);  // it follows the sun
    CHECK_THROWS_AS(withLightAimed(s.d, "camera", V3f(1, 2, 2), V3f(0.0f), 1), Error);
    CHECK_THROWS_AS(withLightAimed(s.d, "none", V3f(1, 2, 2), V3f(0.0f), 1), Error);
}

TEST_CASE("a highlight lies where it was dragged, and a shadow too", "[aim]") {
    Stage s;
    const std::string lamp = s.add("area");
    s.d = withText(s.d, lamp + "/position", "0,3,0");
    const V3f place(1, 0, 0), eye(3, 1, 0);
    for (const float side : {1.0f, -1.0f}) {  // whichever way the normal was taken
        const Document out = withHighlightAt(s.d, lamp, place, V3f(0, side, 0), eye, 1);
        const V3f from = s.placeOf(out, lamp);
        CHECK((from - place).length() == Approx(std::sqrt(10.0f)));  // as far away as it was
        CHECK((from - place).normalized().dot(V3f(-2, 1, 0).normalized()) > 0.9999f);
        CHECK(s.wayOf(out, lamp).dot((place - from).normalized()) > 0.9999f);
    }
    const V3f ball(0, 1, 0), ground(-1, 0, 0);
    const Document shaded = withShadowAt(s.d, lamp, ball, ground, 1);
    const V3f from = s.placeOf(shaded, lamp);
    CHECK((from - ball).length() == Approx(2.0f));
    CHECK((from - ball).normalized().dot((ball - ground).normalized()) > 0.9999f);
    CHECK(withShadowAt(s.d, lamp, ball, ball, 1) == s.d);
    // With keys it is a key.
    Param keyed = paramAt(s.d, {lamp, "", "position"});
    keyed.keys = {{1, V3d(0, 3, 0), KeyEase::Linear}, {9, V3d(0, 5, 0), KeyEase::Linear}};
    const Document moving = withParam(s.d, {lamp, "", "position"}, keyed);
    CHECK(paramAt(withShadowAt(moving, lamp, ball, ground, 5), {lamp, "", "position"}).keys.size() == 3);
}

TEST_CASE("a new camera sees what the view saw, as the one before otherwise", "[aim]") {
    Stage s;
    s.d = withText(s.d, "camera/fstop", "4");
    CameraOptions o;
    o.position = V3f(1, 2, 3), o.target = V3f(0, 1, 0), o.focal = 80;
    const Document out = withCameraAt(s.d, o);
    const std::string id = out.renderSetting(kRender.camera);
    CHECK(id != "camera");
    CHECK(out.find("camera"));
    CHECK(V3f(out.value(id, kCamera.position)) == o.position);
    CHECK(V3f(out.value(id, kCamera.target)) == o.target);
    CHECK(out.value(id, kCamera.focal) == 80);
    CHECK(out.value(id, kCamera.fstop) == 4);
    Document none = s.d;
    none.remove("camera");
    CHECK(withCameraAt(none, o).nodes(Category::Camera).size() == 1);
}

TEST_CASE("a new light is as large as what it lights asks for", "[aim]") {
    Stage s;
    const Box3f bounds(V3f(-1.0f), V3f(1.0f));
    const double radius = std::sqrt(3.0);
    const auto sizeOf = [&](const char* type, const char* size) {
        Node light = makeNode(s.d, type);
        aimLight(light, bounds);
        return std::get<double>(light.params.at(size).value);
    };
    CHECK(sizeOf("area", "width") == Approx(radius));
    CHECK(sizeOf("disk", "radius") == Approx(0.3 * radius));
    CHECK(sizeOf("tube", "length") == Approx(radius));
    CHECK(sizeOf("tube", "radius") == Approx(0.02 * radius));  // a rod, and no drum
}

TEST_CASE("what is carried has no place of its own", "[aim]") {
    Stage s;
    const std::string lamp = s.add("area"), ball = s.add("sphere");
    CHECK_NOTHROW(requireOwnPlace(s.d, lamp));
    Node carried = s.d.get(lamp);
    carried.parent = ball;
    s.d.put(carried);
    CHECK_THROWS_AS(requireOwnPlace(s.d, lamp), Error);
    CHECK_THROWS_AS(withLightAimed(s.d, lamp, V3f(1.0f), V3f(0.0f), 1), Error);
}

TEST_CASE("what the finish does to a light group goes into its lights, or is refused", "[aim][finish]") {
    Stage s;
    const std::string lamp = s.add("area"), far = s.add("disk"), glow = s.add("surface");
    const auto set = [&](const std::string& path, const std::string& text) {
        s.d = withText(s.d, path, text);
    };
    const Step made = makeStep("light_group", s.d.get("finish"));
    s.d = withStep(s.d, "finish", 0, made);
    const std::string step = "finish/" + made.id;
    for (const std::string& path : {lamp + "/group", glow + "/emission_group", step + "/group"})
        set(path, "key");
    set(lamp + "/exposure", "1"), set(glow + "/emission_luminance", "100");
    set(lamp + "/color", "1,0.5,1"), set(step + "/color", "1,0.5,0.25"), set(step + "/stops", "2");
    const Document out = withBalanceWritten(s.d, made.id);
    CHECK(std::get<double>(out.value(lamp, "exposure")) == 3);
    CHECK(std::get<Color>(out.value(lamp, "color")) == Color(1, 0.25, 0.25));
    CHECK(std::get<double>(out.value(glow, "emission_luminance")) == 400);
    CHECK(out.get(far) == s.d.get(far));  // of no group
    CHECK(out.get("finish").steps.empty());
    // What lights cannot be is refused, and said.
    const Document good = s.d;
    const auto refused = [&](const std::string& path, const std::string& text) {
        CHECK_THROWS_AS(withBalanceWritten(withText(good, path, text), made.id), Error);
    };
    refused(step + "/amount", "0.5"), refused(step + "/invert", "true"), refused(step + "/on", "false");
    refused(step + "/group", "nobody");
    Param keyed = paramAt(good, {lamp, "", "exposure"});
    keyed.keys = {{1, 0.0, KeyEase::Linear}, {9, 2.0, KeyEase::Linear}};
    CHECK_THROWS_AS(withBalanceWritten(withParam(good, {lamp, "", "exposure"}, keyed), made.id), Error);
    CHECK_THROWS_AS(withBalanceWritten(withParam(good, {"finish", made.id, "stops"}, keyed), made.id), Error);
    CHECK_THROWS_AS(withBalanceWritten(good, "no_such"), Error);
}
