// The first thing that comes into a scene.
#include "document/edits/first_look.h"
#include "deliver/render_scene_builder.h"
#include "document/edits/edits.h"
#include "document/model/params.h"
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
