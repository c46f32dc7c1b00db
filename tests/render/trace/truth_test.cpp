// Pictures against what they must be, whatever the scene: sums of light, means of passes, closed rooms.
#include "render/light/disk.h"
#include "render/light/sky.h"
#include "render/light/tube.h"
#include "render/render_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

QuadLight quadAt(const V3f& corner, float radiance) {
    QuadLight q;
    q.corner = corner, q.side1 = V3f(1, 0, 0), q.side2 = V3f(0, 0, 1);
    q.normal = V3f(0, -1, 0), q.area = 1, q.radiance = V3f(radiance);
    return q;
}

CameraOptions above() {
    CameraOptions c;
    c.position = V3f(0, 1.5f, 3), c.target = V3f(0, 0, 0), c.focal = 50;
    return c;
}

/// A floor under lamps.
Film floorUnder(const std::vector<Light>& lights, const SurfaceMaterial& material, uint32_t seed, int passes,
                int size = 12) {
    RenderScene scene;
    addTo(scene, makePlane(20, 1), material);
    scene.lights = lights;
    scene.commit(Progress::none());
    Film film(size, size);
    RenderOptions o;
    o.bounces = 2, o.seed = seed;
    const Renderer renderer(scene, Camera(above(), 1.0f), o);
    for (int pass = 0; pass < passes; ++pass)
        renderer.renderPass(film, uint32_t(pass), {0, 0, size, size}, Progress::none());
    return film;
}

}  // namespace

TEST_CASE("a closed room that glows is as bright as its walls leave", "[render][truth]") {
    for (const float albedo : {0.3f, 0.7f}) {
        RenderScene scene;
        SurfaceMaterial wall = plain(albedo, 1, 0, 0);
        wall.luminance.high = 1.0f;
        addTo(scene, makeSphere(1, 64), wall);
        scene.commit(Progress::none());
        CameraOptions c;
        c.position = V3f(0, 0, 0.2f);
        const V3f mean = meanOver(render(scene, c, 12, 128, 200), 0, 0, 12, 12);
        CHECK(mean.x == Approx(1.0f / (1.0f - albedo)).epsilon(0.02));
    }
}

TEST_CASE("light of lamps that overlap and lie behind each other is the sum of each", "[render][truth]") {
    SurfaceMaterial glossy = plain(0.8f, 0.35f, 1.0f, 0.5f);
    std::vector<Light> lamps = {
        quadAt(V3f(-0.5f, 1, -0.5f), 1.0f),
        quadAt(V3f(-0.5f, 1, -0.5f), 2.0f),                                           // in one place
        quadAt(V3f(-0.3f, 1.01f, -0.7f), 3.0f),                                       // right behind
        BallLight{.center = V3f(0.2f, 1, 0), .radius = 0.4f, .radiance = V3f(2.0f)},  // through them
        TubeLight(M44f().translate(V3f(0, 0.9f, 0)), 2, 0.1f, V3f(4.0f)),
        DomeLight(nullptr, V3f(0.3f), 0)};
    for (Light& lamp : lamps) lamp.seen = false;  // the camera itself sees the nearest alone
    for (const SurfaceMaterial& m : {glossy, plain(0.8f, 1, 0, 0)}) {
        V3f sum(0.0f);
        for (size_t i = 0; i < lamps.size(); ++i)
            sum += meanOver(floorUnder({lamps[i]}, m, uint32_t(i + 1), 256), 0, 4, 12, 12);
        const V3f together = meanOver(floorUnder(lamps, m, 77, 256), 0, 4, 12, 12);
        CHECK(together.x == Approx(sum.x).epsilon(0.03));
    }
}

TEST_CASE("many pictures of few passes are in the mean one of many", "[render][truth]") {
    const std::vector<Light> lamps = {quadAt(V3f(-0.5f, 1, -0.5f), 3.0f), DomeLight(nullptr, V3f(0.2f), 0)};
    const SurfaceMaterial m = plain(0.6f, 0.4f, 0.5f, 0.5f);
    constexpr int kMany = 64;
    double sum = 0, squares = 0;
    for (int i = 0; i < kMany; ++i) {
        const double x = double(meanOver(floorUnder(lamps, m, uint32_t(1000 + i), 4, 6), 0, 0, 6, 6).x);
        sum += x, squares += x * x;
    }
    const double mean = sum / kMany, error = std::sqrt((squares / kMany - mean * mean) / (kMany - 1));
    const double one = double(meanOver(floorUnder(lamps, m, 5, 256, 6), 0, 0, 6, 6).x);
    // The single one has as many samples: its own error is alike.
    CHECK(std::abs(one - mean) < 3.0 * std::sqrt(2.0) * error + 1e-6);
}
