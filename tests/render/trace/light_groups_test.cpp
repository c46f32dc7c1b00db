// The light of groups of lights, kept apart.
#include "render/light/sky.h"
#include "render/render_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

constexpr int kSide = 16;

QuadLight lampAt(const V3f& corner, const V3f& radiance) {
    QuadLight q;
    q.corner = corner, q.side1 = V3f(1, 0, 0), q.side2 = V3f(0, 0, 1);
    q.normal = V3f(0, -1, 0), q.area = 1, q.radiance = radiance;
    return q;
}

Light inGroup(Light light, uint32_t group) {
    light.group = group;
    return light;
}

/// A floor with a ball that glows and one of glass, under a lamp and an even sky, in groups of their own; in
/// fog, seen through the glass, in a picture that shows the lamp too.
struct Lit {
    RenderScene scene;
    RenderOptions options;
    CameraOptions camera;

    explicit Lit(const std::vector<int>& only = {0, 1, 2}, bool fog = true) {
        const auto has = [&](int group) { return std::count(only.begin(), only.end(), group) > 0; };
        addTo(scene, makePlane(20, 1), plain(0.6f, 0.3f, 0, 1));
        SurfaceMaterial glow = plain(0.5f, 1, 0, 0), glass = plain(0.5f, 0.0f, 0, 1);
        glow.luminance.high = has(2) ? 3.0f : 0.0f, glow.group = 2;
        glass.transmissionWeight.high = 1.0f;
        M44f left, right;
        left.translate(V3f(-1, 0.6f, 0)), right.translate(V3f(0.4f, 0.5f, 0.6f));
        addTo(scene, makeSphere(0.5f, 24), glow, left);
        addTo(scene, makeSphere(0.4f, 24), glass, right);
        if (has(1)) scene.lights.push_back(inGroup(lampAt(V3f(-0.5f, 2, -0.5f), V3f(6, 3, 1)), 1));
        if (has(0)) scene.lights.push_back(DomeLight(nullptr, V3f(0.1f, 0.2f, 0.4f), 0));
        if (fog) scene.fog.density = 0.05f;
        scene.commit(Progress::none());
        options.bounces = 6;
        camera.position = V3f(0, 1.5f, 4), camera.target = V3f(0, 0.8f, 0);
    }
    Film film(int passes, const std::vector<std::string>& groups) const {
        Film film(kSide, kSide, {.groups = groups});
        const Renderer renderer(scene, Camera(camera, 1.0f), options);
        for (int pass = 0; pass < passes; ++pass)
            renderer.renderPass(film, uint32_t(pass), {0, 0, kSide, kSide}, Progress::none());
        return film;
    }
};

V3f mean(const Film& film, int group) {
    V3f sum(0.0f);
    for (size_t i = 0; i < film.count(); ++i) sum += film.light(i, group);
    return sum / float(film.count());
}

const std::vector<std::string> kGroups = {"", "lamp", "glow"};

}  // namespace

TEST_CASE("groups of lights add up to the picture, pixel by pixel", "[render][groups]") {
    const Film film = Lit().film(8, kGroups), plain = Lit().film(8, {});
    for (size_t i = 0; i < film.count(); ++i) {
        CHECK(film.light(i) == plain.light(i));  // that they are kept apart changes nothing
        V3f sum(0.0f);
        for (int g = 0; g < 3; ++g) sum += film.light(i, g);
        for (int k = 0; k < 3; ++k) CHECK(sum[k] == Approx(film.light(i)[k]).epsilon(1e-4).margin(1e-6));
    }
    CHECK(plain.groups().empty());
    for (int g = 0; g < 3; ++g) CHECK(mean(film, g).z > 0.01f);  // each lights something
}

TEST_CASE("a group's light is that of its lights alone", "[render][groups]") {
    const Film all = Lit().film(256, kGroups);
    for (int g = 0; g < 3; ++g) {
        INFO("group " << g);
        const V3f apart = mean(all, g), alone = mean(Lit({g}).film(256, {}), kAllLights);
        // 65,536 paths of light that is seldom above 10 times its mean: a percent or two.
        for (int k = 0; k < 3; ++k) CHECK(apart[k] == Approx(alone[k]).epsilon(0.03));
    }
}

TEST_CASE("first looks and pixels that are cleared have their groups, too", "[render][groups]") {
    const Lit lit;
    Film film(kSide, kSide, {.groups = kGroups});
    const Renderer renderer(lit.scene, Camera(lit.camera, 1.0f), lit.options);
    renderer.renderPreview(film, 4, {0, 0, kSide, kSide}, Progress::none());
    for (size_t i = 0; i < film.count(); ++i) {
        V3f sum(0.0f);
        for (int g = 0; g < 3; ++g) sum += film.sum(i, g);
        for (int k = 0; k < 3; ++k) CHECK(sum[k] == Approx(film.sum(i)[k]).epsilon(1e-4).margin(1e-6));
    }
    film.clear(film.indexOf(3, 2));
    for (int g = 0; g < 3; ++g) CHECK(film.light(film.indexOf(3, 2), g) == V3f(0.0f));
    CHECK(film.beauty(3, 2) == V3f(0.0f));
}

TEST_CASE("light that is no number is in no group and takes no other light away",
          "[render][groups][damaged]") {
    for (const float broken : {NAN, INFINITY, 1e38f}) {
        RenderScene scene;
        addTo(scene, makePlane(20, 1), plain(0.6f, 1, 0, 0));
        scene.lights.push_back(inGroup(lampAt(V3f(-0.5f, 2, -0.5f), V3f(broken)), 1));
        scene.lights.push_back(DomeLight(nullptr, V3f(1.0f), 0));
        scene.commit(Progress::none());
        Film film(4, 4, {.groups = {"", "lamp"}});
        CameraOptions c;
        c.position = V3f(0, 1, 3);
        const Renderer renderer(scene, Camera(c, 1.0f), {});
        for (uint32_t pass = 0; pass < 4; ++pass)
            renderer.renderPass(film, pass, {0, 0, 4, 4}, Progress::none());
        for (size_t i = 0; i < 16; ++i) {
            CHECK(film.light(i, 1) == V3f(0.0f));
            CHECK(film.light(i, 0).x > 0.1f);
            CHECK(film.light(i) == film.light(i, 0));
        }
    }
    // A group that the film does not have is part of the whole alone.
    const Film two = Lit().film(2, {"", "lamp"});
    CHECK(mean(two, kAllLights).x > mean(two, 0).x + mean(two, 1).x);
}
