// Fog, backdrops, and shadows on them.
#include "render/light/sky.h"
#include "render/render_support.h"
#include "render/shade/phase.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

CameraOptions straight() {
    CameraOptions c;
    c.position = V3f(0, 0, 4), c.focal = 36;
    return c;
}

Film seen(const RenderScene& scene, const RenderOptions& o, int size, int passes,
          const CameraOptions& camera = straight()) {
    Film film(size, size);
    const Renderer renderer(scene, Camera(camera, 1.0f), o);
    for (int pass = 0; pass < passes; ++pass)
        renderer.renderPass(film, uint32_t(pass), {0, 0, size, size}, Progress::none());
    return film;
}

SunLight sunOf(const V3f& direction) {
    SunLight sun;
    sun.direction = direction.normalized(), sun.cosAngle = 0.99999f;
    sun.radiance = V3f(1.0f / (2 * kPi * (1 - sun.cosAngle)));  // 1 W/m2
    return sun;
}

}  // namespace

TEST_CASE("fog's depth is its density along the ray, and where a depth is reached its inverse", "[fog]") {
    const Fog fog{.density = 0.3f, .base = 1.0f, .falloff = 4.0f};
    for (const V3f& d : {V3f(0, 1, 0), V3f(0, -1, 0), V3f(1, 0, 0), V3f(1, 0.2f, 0), V3f(1, -1e-4f, 1)}) {
        for (const float height : {3.0f, 1.0f, -2.0f}) {
            const V3f direction = d.normalized(), origin(2, height, 1);
            for (const float distance : {0.01f, 1.0f, 7.0f}) {
                double sum = 0;
                constexpr int kSteps = 4000;
                for (int i = 0; i < kSteps; ++i) {
                    const double y =
                        double(origin.y) + double(direction.y) * double(distance) * (i + 0.5) / kSteps;
                    sum += 0.3 * std::exp(std::min(0.0, 1.0 - y) / 4.0) * double(distance) / kSteps;
                }
                const float depth = fog.depth(origin, direction, distance);
                CHECK(double(depth) == Approx(sum).epsilon(1e-4));
                CHECK(fog.distanceAt(origin, direction, depth) == Approx(distance).epsilon(1e-3));
            }
        }
    }
    // Upwards there is only so much of it, level and down no end.
    CHECK(fog.depth(V3f(0, 1, 0), V3f(0, 1, 0), INFINITY) == Approx(0.3f * 4.0f));
    CHECK(std::isinf(fog.distanceAt(V3f(0, 1, 0), V3f(0, 1, 0), 1.3f)));
    CHECK(fog.through(V3f(0.0f), V3f(1, 0, 0), INFINITY) == 0.0f);
    CHECK(Fog().through(V3f(0.0f), V3f(1, 0, 0), INFINITY) == 1.0f);
    CHECK(std::isinf(Fog().distanceAt(V3f(0.0f), V3f(1, 0, 0), 0.1f)));
}

TEST_CASE("the phase integrates to 1 and its draws follow it", "[fog]") {
    for (const float g : {-0.8f, 0.0f, 5e-4f, 0.3f, 0.9f}) {
        double whole = 0, mean = 0, drawn = 0;
        constexpr int kSteps = 200000;
        for (int i = 0; i < kSteps; ++i) {
            const double c = -1.0 + 2.0 * (i + 0.5) / kSteps;
            const double p = 2 * M_PI * double(phase(g, float(c))) * 2.0 / kSteps;
            whole += p, mean += p * c;
            drawn += double(phaseCosine(g, (float(i) + 0.5f) / kSteps)) / kSteps;
        }
        CHECK(whole == Approx(1.0).epsilon(1e-3));
        CHECK(mean == Approx(double(g)).margin(2e-3));  // which is what g means
        CHECK(drawn == Approx(double(g)).margin(2e-3));
    }
}

TEST_CASE("light thins out in fog as its depth says", "[fog]") {
    // A lamp seen through it, which gives back nothing.
    RenderScene scene;
    scene.fog = {.density = 0.25f, .base = 0.0f, .falloff = 1e6f, .color = V3f(0.0f)};
    QuadLight lamp;
    lamp.corner = V3f(-5, -5, 0), lamp.side1 = V3f(10, 0, 0), lamp.side2 = V3f(0, 10, 0);
    lamp.normal = V3f(0, 0, 1), lamp.area = 100, lamp.radiance = V3f(2.0f);
    scene.lights.push_back(lamp);
    scene.commit(Progress::none());
    const V3f through = meanOver(seen(scene, {}, 16, 256), 7, 7, 9, 9);
    CHECK(through.x == Approx(2.0f * std::exp(-1.0f)).epsilon(0.06));  // 1,024 draws of 0.37: 4% is 3 sigma
    // A matt wall that a sun lights from the camera's side: through the fog twice.
    RenderScene wall;
    wall.fog = {.density = 0.25f, .base = 0.0f, .falloff = 2.0f, .color = V3f(0.0f)};
    addTo(wall, makePlane(4, 1), plain(1.0f, 1.0f, 0.0f, 0.0f),
          M44f().setAxisAngle(V3f(1, 0, 0), 0.5f * kPi));
    wall.lights.push_back(sunOf(V3f(0, 1, 1)));
    wall.commit(Progress::none());
    const float down = wall.fog.through(V3f(0.0f), V3f(0, 1, 1).normalized(), INFINITY);
    const float expected = std::sqrt(0.5f) / kPi * down * std::exp(-1.0f);
    CHECK(meanOver(seen(wall, {}, 16, 256), 7, 7, 9, 9).x == Approx(expected).epsilon(0.08));
}

TEST_CASE("fog that takes nothing is not seen in even light", "[fog]") {
    RenderScene scene;
    scene.fog = {.density = 0.4f, .base = 0.0f, .falloff = 1.0f, .forward = 0.5f};
    addTo(scene, makeSphere(1, 48), plain(1.0f, 1.0f, 0.0f, 0.0f));
    addTo(scene, makePlane(1000, 1), plain(1.0f, 1.0f, 0.0f, 0.0f), M44f().translate(V3f(0, -1.5f, 0)));
    scene.lights.push_back(DomeLight(nullptr, V3f(1.0f), 0));
    scene.commit(Progress::none());
    RenderOptions o;
    o.bounces = 400;
    const V3f mean = meanOver(seen(scene, o, 24, 64), 0, 12, 24, 24);
    CHECK(mean.x < 1.01f);
    CHECK(mean.x > 0.97f);  // what is left after 400 turns is lost
}

TEST_CASE("what falls on fog from a lamp is what it gives by its first scattering", "[fog]") {
    // Thin, so that a second one counts little: against the integral along the ray.
    RenderScene scene;
    scene.fog = {.density = 0.02f, .base = 0.0f, .falloff = 1e6f, .forward = 0.4f};
    BallLight ball;
    ball.center = V3f(0, 2, 0), ball.radius = 0.05f, ball.radiance = V3f(1000.0f);
    scene.lights.push_back(ball);
    scene.commit(Progress::none());
    RenderOptions o;
    o.bounces = 0;
    CameraOptions narrow = straight();
    narrow.focal = 3600;  // one direction
    const V3f mean = meanOver(seen(scene, o, 16, 4096, narrow), 0, 0, 16, 16);
    const float flux = 1000.0f * kPi * 0.05f * 0.05f;  // radiance times what it covers at 1 metre
    double sum = 0;
    constexpr int kSteps = 200000;
    for (int i = 0; i < kSteps; ++i) {
        const float t = 200.0f * (float(i) + 0.5f) / kSteps;
        const V3f place(0, 0, 4 - t), to = V3f(0, 2, 0) - place;
        const float d = to.length();
        const float turned = phase(scene.fog.forward, V3f(0, 0, -1).dot(to / d));
        sum += double(0.02f * std::exp(-0.02f * (t + d)) * turned * flux / (d * d)) * 200.0 / kSteps;
    }
    CHECK(double(mean.x) == Approx(sum).epsilon(0.05));
}

TEST_CASE("a backdrop is seen and lights nothing", "[backdrop]") {
    RenderScene scene;
    addTo(scene, makeSphere(1, 48), plain(1.0f, 1.0f, 0.0f, 0.0f));
    scene.lights.push_back(DomeLight(nullptr, V3f(1.0f, 0.0f, 0.0f), 0));
    scene.commit(Progress::none());
    RenderOptions o;
    o.backdrop.kind = Backdrop::Kind::Color;
    o.backdrop.color = V3f(0.1f, 0.5f, 0.2f);
    const Film film = seen(scene, o, 32, 16);
    CHECK((film.beauty(1, 1) - V3f(0.1f, 0.5f, 0.2f)).length() < 1e-6f);
    CHECK(film.beauty(16, 16).y == 0.0f);
    CHECK(film.beauty(16, 16).x == Approx(1.0f).epsilon(0.02));
    // A picture fills it, or is whole within.
    auto image = std::make_shared<Image>();
    image->width = 4, image->height = 2;
    for (int i = 0; i < 8; ++i)
        for (const float x : {i % 4 < 2 ? 1.0f : 0.0f, i < 4 ? 1.0f : 0.0f, 0.5f, 1.0f})
            image->pixels.push_back(x);
    o.backdrop = {.kind = Backdrop::Kind::Image, .image = image, .white = 2.0f};
    const V3f upperLeft = o.backdrop.at(0.02f, 0.02f, 1.0f), lowerRight = o.backdrop.at(0.98f, 0.98f, 1.0f);
    CHECK(upperLeft == V3f(2, 2, 1));
    CHECK(lowerRight == V3f(0, 0, 1));
    CHECK(seen(scene, o, 32, 4).beauty(1, 1) == V3f(2, 2, 1));
    // It is sharp wherever the lens is focused.
    CameraOptions wide = straight();
    wide.fstop = 0.1f, wide.focus = 0.3f;  // a lens as wide as the picture is there
    RenderScene empty;
    empty.commit(Progress::none());
    const Film sharp = seen(empty, o, 32, 64, wide);
    for (int x = 0; x < 32; ++x)
        CHECK((sharp.beauty(x, 1) - o.backdrop.at((float(x) + 0.5f) / 32, 1.5f / 32, 1.0f)).length() < 0.2f);
    o.backdrop.whole = true;
    CHECK(o.backdrop.at(0.02f, 0.02f, 1.0f) == V3f(0.0f));
    CHECK(o.backdrop.at(0.02f, 0.3f, 1.0f) == V3f(2, 2, 1));
    // Nothing of it where the background is left out, or there is no image.
    o.clearBackground = true;
    CHECK(seen(scene, o, 32, 4).beauty(1, 1) == V3f(0.0f));
    CHECK(Backdrop{.kind = Backdrop::Kind::Image}.at(0.5f, 0.5f, 1.0f) == V3f(0.0f));
}

TEST_CASE("a shadow catcher shows what lies behind, dimmed where something keeps light off", "[backdrop]") {
    RenderScene scene;
    SurfaceMaterial ground = plain(0.5f, 1.0f, 0.0f, 0.0f);
    ground.catcher = true;
    addTo(scene, makePlane(20, 1), ground);
    addTo(scene, sharpBox(V3f(1, 0.5f, 1)), plain(0.5f, 1.0f, 0.0f, 0.0f), M44f().translate(V3f(0, 2, 0)));
    scene.lights.push_back(sunOf(V3f(0, 1, 0)));
    scene.commit(Progress::none());
    RenderOptions o;
    o.backdrop.kind = Backdrop::Kind::Color;
    o.backdrop.color = V3f(0.8f);
    CameraOptions camera = straight();
    camera.position = V3f(0, 2, 6);
    const Film film = seen(scene, o, 32, 4, camera);
    const auto at = [&](const Film& f, const V3f& world) {
        const Camera c(camera, 1.0f);
        const V3f to = world - c.position();
        const float depth = to.dot(c.forward());
        const float x = to.dot(c.right()) / depth / c.halfWidth(),
                    y = to.dot(c.up()) / depth / c.halfHeight();
        return f.at(int(16 + 16 * x), int(16 - 16 * y));
    };
    CHECK(at(film, V3f(0, 0, 0)).direct.x / 4 == Approx(0.0f).margin(1e-5));  // all of its light is kept off
    CHECK(at(film, V3f(2, 0, 0)).direct.x / 4 == Approx(0.8f).epsilon(1e-4));
    o.clearBackground = true;
    const Film clear = seen(scene, o, 32, 4, camera);
    CHECK(at(clear, V3f(0, 0, 0)).alpha / 4 == Approx(1.0f));
    CHECK(at(clear, V3f(2, 0, 0)).alpha / 4 == Approx(0.0f).margin(1e-4));
    // It still is what others see: the box takes light from it.
    CHECK(at(clear, V3f(0, 2, 0.5f)).alpha == 4.0f);
}
