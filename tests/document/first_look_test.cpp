// The first thing that comes into a scene.
#include "document/edits/first_look.h"
#include "deliver/render_scene_builder.h"
#include "document/edits/aim.h"
#include "document/edits/edits.h"
#include "document/model/params.h"
#include "eval/camera_options.h"
#include "render/trace/renderer.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

Document withOne(const char* type, std::string* id) {
    Document d = Document::fresh();
    Node n = makeNode(d, type, "Thing");
    *id = n.id;
    d.put(n);
    return d;
}

}  // namespace

TEST_CASE("the first thing stands on a ground, whole in the camera, under light from the side",
          "[first-look]") {
    std::string id;
    const Document before = withOne("sphere", &id);
    const Box3f box(V3f(1, 2, 3), V3f(2, 5, 4));
    const Document d = withFirstLook(before, id, box);
    const auto objects = d.nodes(Category::Object);
    REQUIRE(objects.size() == 2);
    const std::string ground = objects[0]->id == id ? objects[1]->id : objects[0]->id;
    CHECK(V3f(d.value(ground, kObject.object.transform.placement.position, 1)).y == 2.0f);
    CHECK(d.find(d.value(ground, kObject.object.material)));
    const std::string eye = d.renderSetting(kRender.camera);
    const V3f from = d.value(eye, kCamera.position, 1), to = d.value(eye, kCamera.target, 1);
    CHECK((to - box.center()).length() < 1e-5f);
    CHECK(from.y > 2.0f);
    // Every corner lies in a picture of 16 to 9.
    const V3f forward = (to - from).normalized(), right = forward.cross(V3f(0, 1, 0)).normalized(),
              up = right.cross(forward);
    const float half = 18.0f / float(d.value(eye, kCamera.focal, 1));
    for (int i = 0; i < 8; ++i) {
        const V3f corner(i & 1 ? box.max.x : box.min.x, i & 2 ? box.max.y : box.min.y,
                         i & 4 ? box.max.z : box.min.z);
        const V3f v = corner - from;
        CHECK(std::abs(v.dot(right)) < half * v.dot(forward));
        CHECK(std::abs(v.dot(up)) < half * 9 / 16 * v.dot(forward));
    }
    CHECK(withFirstLook(d, id, box) == d);  // there are two now
}

TEST_CASE("a first look keeps what was changed, and needs something to look at", "[first-look]") {
    std::string id;
    Document d = withOne("sphere", &id);
    CHECK(withFirstLook(d, id, Box3f()) == d);
    CHECK(withFirstLook(d, "nobody", Box3f(V3f(0), V3f(1))) == d);
    CHECK(withFirstLook(d, id, Box3f(V3f(0), V3f(std::numeric_limits<float>::infinity()))) == d);
    d = withText(withText(d, "sun/elevation", "11"), "camera/position", "9,9,9");
    const Document looked = withFirstLook(d, id, Box3f(V3f(0), V3f(1)));
    CHECK(looked.nodes(Category::Object).size() == 2);
    CHECK(looked.get("sun") == d.get("sun"));
    CHECK(looked.get("camera") == d.get("camera"));
    CHECK(withFirstLook(withOne("sphere", &id), id, Box3f(V3f(1), V3f(1))).nodes(Category::Object).size() ==
          2);
}

TEST_CASE("the first picture of a first thing shows it lit and shaded, on its shadow", "[first-look]") {
    std::string id;
    const Document d = withFirstLook(withOne("sphere", &id), id, Box3f(V3f(-0.5f), V3f(0.5f)));
    Evaluator evaluator;
    RenderSceneBuilder builder(evaluator);
    const RenderJob job = builder.build(d, {1, {}, false}, Progress::none());
    CHECK(job.problems.empty());
    Film film(64, 36);
    const Renderer renderer(*job.scene, job.cameraFor(64, 36), job.options);
    for (uint32_t pass = 0; pass < 8; ++pass)
        renderer.renderPass(film, pass, {0, 0, 64, 36}, Progress::none());
    float darkest = 1e9f, brightest = 0;
    int things = 0;
    for (int y = 0; y < 36; ++y)
        for (int x = 0; x < 64; ++x) {
            const std::string& seen =
                film.at(x, y).object ? job.objectNames.at(film.at(x, y).object) : std::string();
            if (seen != "Thing") continue;
            ++things;
            darkest = std::min(darkest, luminance(film.beauty(x, y)));
            brightest = std::max(brightest, luminance(film.beauty(x, y)));
        }
    CHECK(things > 64 * 36 / 12);  // it fills a good part of the picture
    CHECK(things < 64 * 36 / 2);
    CHECK(brightest > 3 * darkest);
    CHECK(brightest < 3.0f);
}

TEST_CASE("a new light stands beside what it shall light, and shines at its middle", "[first-look][lights]") {
    Document d = Document::fresh();
    for (const char* type : {"area", "disk", "spot", "ball"})
        for (const float size : {0.01f, 1.0f, 50.0f}) {
            const Box3f box(V3f(3, -1, 2) * size, V3f(5, 1, 2.5f) * size);
            Node light = makeNode(d, type);
            aimLight(light, box);
            Document with = d;
            with.put(light);
            const M44f world = with.worldMatrix(light.id, 1);
            V3f at, down;
            world.multVecMatrix(V3f(0.0f), at);
            world.multDirMatrix(V3f(0, -1, 0), down);
            INFO(type << " of " << size);
            CHECK(down.dot((box.center() - at).normalized()) == Approx(1).epsilon(1e-4));
            CHECK(at.y > box.max.y);
            CHECK((at - box.center()).length() > 0.5f * box.size().length());
        }
    // What has no place, and what there is nothing to light for, stays as it is.
    Node dome = makeNode(d, "dome"), area = makeNode(d, "area");
    const Node domeWas = dome, areaWas = area;
    aimLight(dome, Box3f(V3f(0.0f), V3f(1.0f)));
    aimLight(area, Box3f());
    aimLight(area, Box3f(V3f(NAN), V3f(1.0f)));
    CHECK(dome == domeWas);
    CHECK(area == areaWas);
}

TEST_CASE("a camera stays sharp where an object goes, and where a place is picked", "[camera]") {
    Document d = Document::fresh();
    Node ball = makeNode(d, "sphere");
    d.put(ball);
    Param moving = paramAt(d, {ball.id, "", "position"});
    moving.keys = {{1, V3d(0, 0, 0), KeyEase::Linear}, {11, V3d(3, 0, -4), KeyEase::Linear}};
    d = withParam(d, {ball.id, "", "position"}, moving);
    d = withText(d, "camera/position", "0,0,6");
    d = withText(d, "camera/target", "0,0,0");
    d = withText(d, "camera/focus_on", ball.id);
    CHECK(sceneCamera(d, 1)->focus == Approx(6));
    CHECK(sceneCamera(d, 6)->focus == Approx(8));  // along the line of sight, not straight to it
    CHECK(sceneCamera(d, 11)->focus == Approx(10));
    // Behind the camera there is nothing to be sharp: its own distance counts.
    d = withText(d, "camera/focus", "2.5");
    Document behind = withText(withoutNode(d, ball.id), "camera/position", "0,0,6");
    CHECK(sceneCamera(behind, 1)->focus == Approx(2.5));
    const Document picked = withFocusAt(d, V3f(1, 2, 3), 1);
    CHECK(std::get<std::string>(picked.value("camera", "focus_on")).empty());
    CHECK(sceneCamera(picked, 11)->focus == Approx(3));
    // Where the distance is keyed, so is what is picked.
    Param keyed = paramAt(d, {"camera", "", "focus"});
    keyed.keys = {{1, 4.0, KeyEase::Linear}, {21, 8.0, KeyEase::Linear}};
    const Document later = withFocusAt(withParam(d, {"camera", "", "focus"}, keyed), V3f(0, 0, 4), 11);
    CHECK(sceneCamera(later, 11)->focus == Approx(2));
    CHECK(sceneCamera(later, 21)->focus == Approx(8));
    CHECK_THROWS_AS(withFocusAt(d, V3f(0, 0, 9), 1), Error);
    CHECK_THROWS_AS(withFocusAt(withoutNode(d, "camera"), V3f(0.0f), 1), Error);
}
