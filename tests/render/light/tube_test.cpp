// Tubes, pictures that are thrown, and what blocks light alone.
#include "render/light/tube.h"
#include "render/light/disk.h"
#include "render/render_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// W/m2 on a face that looks up, by the light's own samples.
double onGround(const Light& light, const V3f& at, int side) {
    double sum = 0;
    for (int i = 0; i < side; ++i)
        for (int j = 0; j < side; ++j) {
            const LightSample s =
                light.sample(at, (float(i) + 0.5f) / float(side), (float(j) + 0.5f) / float(side));
            if (s.pdf > 0 && s.direction.y > 0) sum += double(s.radiance.x * s.direction.y / s.pdf);
        }
    return sum / double(side * side);
}

}  // namespace

TEST_CASE("a long tube lights as its formula says", "[render][lights]") {
    // Of an endless tube at height h: pi times radiance, times the radius by the height.
    const TubeLight tube(M44f().translate(V3f(0, 2, 0)), 60, 0.1f, V3f(3.0f));
    CHECK(onGround(tube, V3f(0.0f), 400) == Approx(double(kPi) * 3 * 0.1 / 2).epsilon(0.02));
    CHECK(tube.area() == Approx(2 * kPi * 0.1f * 60));
}

TEST_CASE("tubes are hit where they are sampled, with the same density", "[render][lights]") {
    M44f turned;
    turned.setEulerAngles(V3f(0.4f, 1.1f, -0.3f));
    const TubeLight tube(turned * M44f().translate(V3f(0.5f, 1, -2)), 1.5f, 0.2f, V3f(2.0f));
    const V3f from(0.3f, -0.5f, 1);
    for (int i = 0; i < 400; ++i) {
        const Random4 r = random4(3, uint64_t(i), Stream::User);
        // Not quite to its rim, where rounding decides.
        const LightSample s = tube.sample(from, 0.02f + 0.96f * r[0], 0.01f + 0.98f * r[1]);
        if (!(s.pdf > 0)) continue;
        const LightHit h = tube.hit(from, s.direction);
        REQUIRE(h.hit);
        CHECK(h.distance == Approx(s.distance).epsilon(1e-4));
        CHECK(h.pdf == Approx(s.pdf).epsilon(1e-2));
        CHECK(tube.bounds().box.intersects(from + s.direction * s.distance * 0.9999f));
    }
    // The solid angle by both: draws by the tube, and even directions that hit it.
    double aimed = 0, met = 0;
    constexpr int kMany = 2000000;
    for (int i = 0; i < kMany; ++i) {
        const Random4 r = random4(4, uint64_t(i), Stream::User);
        const LightSample s = tube.sample(from, r[0], r[1]);
        if (s.pdf > 0) aimed += 1.0 / double(s.pdf) / kMany;
        const float z = 1 - 2 * r[2], across = std::sqrt(1 - z * z), angle = 2 * kPi * r[3];
        met +=
            tube.hit(from, V3f(across * std::cos(angle), across * std::sin(angle), z)).hit * 4 * M_PI / kMany;
    }
    CHECK(aimed == Approx(met).epsilon(0.05));  // 5,000 hits
    // Nothing from within, of no size, of no length.
    CHECK(tube.sample(tube.center, 0.3f, 0.7f).pdf == 0);
    CHECK_FALSE(tube.hit(tube.center, V3f(1, 0, 0)).hit);
    CHECK(TubeLight(M44f(), 0, 0.1f).sample(from, 0.3f, 0.7f).pdf == 0);
    CHECK(TubeLight(M44f(), 1, 0).sample(from, 0.3f, 0.7f).pdf == 0);
}

TEST_CASE("a spot throws a picture the right way round", "[render][lights]") {
    auto image = std::make_shared<Image>();
    image->width = image->height = 2;  // red right above, green left above, blue right below
    for (const V3f& c : {V3f(0, 1, 0), V3f(1, 0, 0), V3f(0.0f), V3f(0, 0, 1)})
        for (const float x : {c.x, c.y, c.z, 1.0f}) image->pixels.push_back(x);
    SpotLight spot{.disk = DiskLight(M44f(), 0.01f, V3f(1.0f)),
                   .cosEdge = std::cos(radians(40.0f)),
                   .cosFull = std::cos(radians(39.0f)),
                   .image = image};
    const auto thrown = [&](float x, float z) { return spot.thrown(V3f(x, -1, z).normalized()); };
    CHECK(thrown(0.4f, 0.4f).x > 0.9f);
    CHECK(thrown(-0.4f, 0.4f).y > 0.9f);
    CHECK(thrown(0.4f, -0.4f).z > 0.9f);
    CHECK(thrown(-0.4f, -0.4f).length() < 0.1f);
    CHECK(thrown(2.0f, 0.0f).length() == 0.0f);  // outside of the cone
}

TEST_CASE("what blocks light alone is not seen, and keeps light off", "[render][lights]") {
    for (const bool clear : {false, true}) {
        RenderScene scene;
        addTo(scene, makePlane(8, 1), plain(0.5f, 1, 0, 0));
        SurfaceMaterial flag;
        flag.blocker = true;
        addTo(scene, makePlane(1, 1), flag, M44f().translate(V3f(0, 1, 0)));
        if (clear) {  // shadow rays go another way where something is clear
            SurfaceMaterial glass = plain(1, 0, 0, 0);
            glass.transmissionWeight.high = 1;
            addTo(scene, makeSphere(0.1f, 12), glass, M44f().translate(V3f(0, -5, 0)));
        }
        SunLight sun;
        sun.direction = V3f(0, 1, 0), sun.cosAngle = 0.99999f, sun.radiance = V3f(1000.0f);
        scene.lights.push_back(sun);
        scene.commit(Progress::none());
        CameraOptions c;
        c.position = V3f(0, 4, 4), c.target = V3f(0, 0, 0), c.focal = 36;
        const Film film = render(scene, c, 31, 4, 2);
        const float lit = film.beauty(2, 15).x;
        CHECK(lit > 0.0f);
        CHECK(film.beauty(15, 15).x < 0.01f * lit);  // in its shadow
        CHECK(film.beauty(15, 9).x ==
              Approx(film.beauty(2, 9).x).epsilon(0.2));  // seen through where it hangs
    }
}
