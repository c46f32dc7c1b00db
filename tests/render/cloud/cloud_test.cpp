#include <oneapi/tbb/global_control.h>

#include "geo/points/point_measure.h"
#include "render/cloud/cloud_scatter.h"
#include "render/cloud/cloud_support.h"
#include "render/shade/phase.h"

namespace ovrix::tests {

/// Of 80,000 in a cube 250 lie in each of the 320 pixels that it covers: means over many have a percent.
static constexpr size_t kMany = 80000;

/// A plane's, to face +z so far along it.
static M44f upright(float z) {
    M44f m;
    m.rotate(V3f(kPi / 2, 0, 0));
    m[3][2] = z;
    return m;
}

TEST_CASE("a slab of points leaves what Beer and Lambert say", "[cloud]") {
    for (const float density : {0.5f, 3.0f}) {
        RenderScene scene;
        addCloud(scene, latticeIn(kUnit, 44), cloudOf(density));
        scene.lights.push_back(evenLight(1.0f));
        finish(scene);
        const Film film = render(scene, ahead(50.0f, 1000.0f), 32, 4, 2);
        // The cube is 1 m wide, 1.78 of the picture's height is; its middle is seen along its depth of 1 m.
        const V3f seen = meanOf(film, {12, 12, 8, 8});
        // 270 points a pixel: exp() of a sum that varies is off by half its variance, tau^2 / 540, and the
        // volume of a point is known to 2 %.
        CHECK(seen.x ==
              Approx(std::exp(-density)).epsilon(0.02 + 0.03 * density + density * density / 540.0));
    }
}

TEST_CASE("a ball of points leaves what Beer and Lambert say", "[cloud]") {
    AttributeSet cube = pointsIn(Box3f(V3f(-1), V3f(1)), 5 * kMany);
    std::vector<uint32_t> inside;
    const auto p = cube.find<V3f>("P");
    for (uint32_t i = 0; i < p.size(); ++i)
        if (p[i].length() < 1.0f) inside.push_back(i);
    const AttributeSet ball = cube.gathered(inside);
    // Its volume is the ball's: by pairs within 2 %, as said.
    const double each = volumeOfPoint(ball.find<V3f>("P"));
    CHECK(each * double(ball.size()) == Approx(4.0 / 3.0 * double(kPi)).epsilon(0.03));
    RenderScene scene;
    addCloud(scene, ball, cloudOf(1.5f));
    scene.lights.push_back(evenLight(1.0f));
    finish(scene);
    const int size = 64;
    const Film film = render(scene, ahead(100.0f, 1600.0f), size, 4, 2);
    // Of a row through the middle: a chord of 2 sqrt(1 - r^2).
    const float pixel = 100.0f * 36.0f / 1600.0f / float(size);
    for (int x = 8; x < size - 8; ++x) {
        const float r = std::abs(float(x) + 0.5f - 0.5f * float(size)) * pixel;
        const float chord = r < 1.0f ? 2.0f * std::sqrt(1.0f - r * r) : 0.0f;
        if (std::abs(r - 1.0f) < 3.0f * pixel) continue;  // the filter reaches over the rim
        const float mean = meanOf(film, {x, size / 2 - 2, 1, 4}).x;
        CHECK(mean == Approx(std::exp(-1.5f * chord)).margin(0.05));
    }
}

TEST_CASE("as many points more make a cloud finer and not thicker", "[cloud]") {
    std::array<float, 2> seen;
    for (size_t k = 0; k < 2; ++k) {
        RenderScene scene;
        addCloud(scene, pointsIn(kUnit, k == 0 ? kMany / 4 : kMany), cloudOf(2.0f));
        scene.lights.push_back(evenLight(1.0f));
        finish(scene);
        seen[k] = meanOf(render(scene, ahead(50.0f, 1000.0f), 16, 8, 2), {6, 6, 4, 4}).x;
    }
    CHECK(seen[0] == Approx(seen[1]).epsilon(0.05));
}

TEST_CASE("a beam that is scattered once comes by its closed form", "[cloud]") {
    // A sun from behind the eye onto a slab of depth 1: each depth t gets exp(-d t) and sends as much of
    // a / 4 pi back; together E a / (8 pi) (1 - exp(-2 d)).
    const float density = 2.0f, albedo = 0.5f, irradiance = 3.0f, angle = 0.9999f;
    const float radiance = irradiance / (2.0f * kPi * (1.0f - angle));
    RenderScene scene;
    addCloud(scene, latticeIn(kUnit, 44), cloudOf(density, albedo));
    scene.lights.push_back(SunLight{V3f(0, 0, 1), angle, V3f(radiance)});
    finish(scene);
    const Film film = render(scene, ahead(50.0f, 1000.0f), 32, 8, 2);
    const float expected = irradiance * albedo / (8.0f * kPi) * (1.0f - std::exp(-2.0f * density));
    CHECK(meanOf(film, {12, 12, 8, 8}).x == Approx(expected).epsilon(0.05));
}

TEST_CASE("a thing among points hides those behind it, and its own light is thinned by those before",
          "[cloud]") {
    // A wall in the middle of a slab: half of the depth before it.
    RenderScene scene;
    addCloud(scene, latticeIn(kUnit, 44), cloudOf(2.0f));
    SurfaceMaterial wall = plain(0.0f, 1.0f, 0.0f, 0.0f);
    wall.luminance.high = 1.0f;
    addTo(scene, makePlane(4.0f, 1), wall, upright(0.0f));
    finish(scene);
    const Film film = render(scene, ahead(50.0f, 1000.0f), 32, 4, 2);
    CHECK(meanOf(film, {12, 12, 8, 8}).x == Approx(std::exp(-1.0f)).epsilon(0.05));
    // No point behind it is seen: by alpha and depth.
    CHECK(film.value(Pass::DepthMean, film.indexOf(16, 16)) < 50.0f + 1e-2f);
}

TEST_CASE("a black thing before points hides them exactly", "[cloud]") {
    RenderScene scene;
    SurfaceMaterial bright = cloudOf(50.0f, 1.0f);
    bright.luminance.high = 5.0f;
    addCloud(scene, pointsIn(kUnit, 20000), bright);
    addTo(scene, makePlane(8.0f, 1), plain(0.0f, 1.0f, 0.0f, 0.0f), upright(2.0f));
    finish(scene);
    const Film film = render(scene, ahead(50.0f, 1000.0f), 16, 2, 2);
    for (const FilmPixel& p : film.pixels()) CHECK(p.direct + p.indirect == V3f(0.0f));
}

TEST_CASE("clouds shade things and things shade clouds", "[cloud]") {
    const auto sun = [] { return SunLight{V3f(0, 1, 0), 0.99999f, V3f(1.0f / (2.0f * kPi * 1e-5f))}; };
    // The ground under a slab, seen past it from the side.
    RenderScene ground;
    addCloud(ground, latticeIn({V3f(-1, 1, -1), V3f(1, 2, 1)}, 44), cloudOf(1.0f));
    addTo(ground, makePlane(50.0f, 1), plain(0.8f, 1.0f, 0.0f, 0.0f));
    ground.lights.push_back(sun());
    finish(ground);
    CameraOptions low;  // beneath it
    low.position = V3f(3, 0.5f, 0), low.target = V3f(0.0f), low.focal = 400.0f;
    const float shaded = meanOf(render(ground, low, 16, 16, 1), {5, 5, 6, 6}).x;
    RenderScene bare;
    addTo(bare, makePlane(50.0f, 1), plain(0.8f, 1.0f, 0.0f, 0.0f));
    bare.lights.push_back(sun());
    finish(bare);
    const float open = meanOf(render(bare, low, 16, 16, 1), {5, 5, 6, 6}).x;
    REQUIRE(open > 0.0f);
    // Near the middle, one metre of it lies above; the cells at its rim have less.
    CHECK(shaded / open == Approx(std::exp(-1.0f)).epsilon(0.12));
    // A roof over white points leaves no light on them.
    RenderScene roofed;
    addCloud(roofed, pointsIn(kUnit, 20000), cloudOf(5.0f, 1.0f));
    addTo(roofed, makePlane(8.0f, 1), plain(0.0f, 1.0f, 0.0f, 0.0f), M44f().translate(V3f(0, 2, 0)));
    roofed.lights.push_back(sun());
    finish(roofed);
    const Film dark = render(roofed, ahead(50.0f, 1000.0f), 16, 2, 1);
    CHECK(meanOf(dark, {4, 4, 8, 8}) == V3f(0.0f));
}

TEST_CASE("a mirror shows what light a cloud gives", "[cloud]") {
    // A thick body that glows, over a mirror that the eye looks at alone.
    RenderScene scene;
    SurfaceMaterial glowing = cloudOf(100.0f, 0.0f);
    glowing.luminance.high = 2.0f;
    addCloud(scene, latticeIn({V3f(-1, 0.5f, -1), V3f(1, 1.5f, 1)}, 40), glowing);
    addTo(scene, makePlane(8.0f, 1), plain(1.0f, 0.0f, 1.0f, 0.5f));
    finish(scene);
    CameraOptions low;
    low.position = V3f(4, 2, 0), low.target = V3f(1.5f, 0, 0), low.focal = 400.0f;
    CHECK(meanOf(render(scene, low, 16, 4, 2), {5, 5, 6, 6}).x == Approx(2.0f).epsilon(0.1));
}

TEST_CASE("points in another order give the same picture", "[cloud]") {
    const AttributeSet points = pointsIn(kUnit, 30000);
    std::vector<uint32_t> turned(points.size());
    for (uint32_t i = 0; i < turned.size(); ++i) turned[i] = uint32_t(turned.size()) - 1 - i;
    std::vector<Film> films;
    for (const AttributeSet& set : {points, points.gathered(turned)}) {
        RenderScene scene;
        addCloud(scene, set, cloudOf(3.0f, 0.8f));
        scene.lights.push_back(SunLight{V3f(0.6f, 0.8f, 0), 0.999f, V3f(100.0f)});
        finish(scene);
        films.push_back(render(scene, ahead(50.0f, 1000.0f), 24, 2, 2));
    }
    for (size_t i = 0; i < films[0].count(); ++i) {
        const V3f a = films[0].light(i), b = films[1].light(i);
        // Sums of up to a hundred numbers in single precision, and two points as far as each other.
        for (int k = 0; k < 3; ++k) CHECK(a[k] == Approx(b[k]).epsilon(1e-3).margin(1e-6));
    }
}

TEST_CASE("pictures of clouds have the same bits on any threads and in any parts", "[cloud][threads]") {
    RenderScene scene;
    AttributeSet points = pointsIn(kUnit, 40000);
    Cloud::Motion motion{std::vector<V3f>(points.size(), V3f(0.2f, 0, 0)), {}};
    auto look = std::make_shared<CloudMaterial>();
    look->density.high = 4.0f, look->splat = CloudMaterial::Splat::Round, look->radius.high = 0.02f;
    SurfaceMaterial m = cloudOf(1.0f, 0.7f);
    m.cloud = look;
    addCloud(scene, std::move(points), m, motion);
    addTo(scene, sharpBox(V3f(0.5f, 0.2f, 0.5f)), plain(0.5f, 0.4f, 0.0f, 0.5f));
    scene.lights.push_back(SunLight{V3f(0.6f, 0.8f, 0), 0.999f, V3f(100.0f)});
    scene.lights.push_back(evenLight(0.5f));
    finish(scene);
    CameraOptions camera = ahead(20.0f, 300.0f);
    camera.fstop = 0.05f;
    const Film whole = render(scene, camera, 64, 2, 3);
    {
        const oneapi::tbb::global_control one(oneapi::tbb::global_control::max_allowed_parallelism, 1);
        CHECK(sameFilms(whole, render(scene, camera, 64, 2, 3)));
    }
    // Its lower half alone.
    Film half({0, 32, 64, 32}, V2i(64, 64), whole.layout());
    RenderOptions o;
    o.bounces = 3, o.limit = 0;
    const Renderer renderer(scene, Camera(camera, 1.0f), o);
    for (uint32_t pass = 0; pass < 2; ++pass)
        renderer.renderPass(half, pass, {0, 0, 64, 32}, Progress::none());
    for (int y = 0; y < 32; ++y)
        for (int x = 0; x < 64; ++x) REQUIRE(half.beauty(x, y) == whole.beauty(x, 32 + y));
}

TEST_CASE("a slab that moves has a straight ramp after four passes", "[cloud]") {
    // Black and thick, 1 m wide, moving by 1 m to the right while the shutter is open: at x from -1.5 to 0.5
    // it hides for as long as it is there.
    RenderScene scene;
    AttributeSet points = pointsIn({V3f(-0.5f, -1, -0.01f), V3f(0.5f, 1, 0.01f)}, kMany);
    Cloud::Motion motion{std::vector<V3f>(points.size(), V3f(1, 0, 0)), {}};
    addCloud(scene, std::move(points), cloudOf(2000.0f), std::move(motion));
    scene.lights.push_back(evenLight(1.0f));
    finish(scene);
    const int size = 64;
    const Film film = render(scene, ahead(100.0f, 1000.0f), size, 4, 1);  // 3.6 m wide
    for (int x = 0; x < size; ++x) {
        const float at = (float(x) + 0.5f - 0.5f * float(size)) * 3.6f / float(size);
        const float hidden = std::clamp(std::min(at + 1.5f, 0.5f - at), 0.0f, 1.0f);
        // Points stand at times of their own: what of them is there takes exp(-tau part) and not a part.
        const float tau = 2000.0f * 0.02f;
        const float expected = std::exp(-tau * hidden);
        const float mean = meanOf(film, {x, 24, 1, 16}).x;
        CHECK(mean == Approx(expected).margin(0.12));
    }
    // Of a thin one the ramp is straight: 1 - tau part.
    RenderScene thin;
    AttributeSet few = pointsIn({V3f(-0.5f, -1, -0.15f), V3f(0.5f, 1, 0.15f)}, kMany);
    Cloud::Motion same{std::vector<V3f>(few.size(), V3f(1, 0, 0)), {}};
    addCloud(thin, std::move(few), cloudOf(1.0f / 3.0f), std::move(same));
    thin.lights.push_back(evenLight(1.0f));
    finish(thin);
    const Film ramp = render(thin, ahead(100.0f, 1000.0f), size, 4, 1);
    for (int x = 0; x < size; ++x) {
        const float at = (float(x) + 0.5f - 0.5f * float(size)) * 3.6f / float(size);
        const float hidden = std::clamp(std::min(at + 1.5f, 0.5f - at), 0.0f, 1.0f);
        CHECK(meanOf(ramp, {x, 20, 1, 24}).x == Approx(std::exp(-0.1f * hidden)).margin(0.01));
    }
}

TEST_CASE("light is as bright whichever way points are drawn", "[cloud]") {
    std::array<float, 3> seen;
    for (int k = 0; k < 3; ++k) {
        auto look = std::make_shared<CloudMaterial>();
        look->density.high = 2.0f;
        look->splat = CloudMaterial::Splat(k), look->radius.high = 0.05f;
        SurfaceMaterial m = cloudOf(1.0f, 0.9f);
        m.cloud = look;
        RenderScene scene;
        addCloud(scene, latticeIn(kUnit, 40), m);
        scene.lights.push_back(SunLight{V3f(0.6f, 0.8f, 0), 0.999f, V3f(100.0f)});
        finish(scene);
        seen[size_t(k)] = meanOf(render(scene, ahead(50.0f, 1000.0f), 64, 4, 1), {24, 24, 16, 16}).x;
    }
    CHECK(seen[1] == Approx(seen[0]).epsilon(0.05));  // of few points a pixel: the sum varies less
    CHECK(seen[2] == Approx(seen[0]).epsilon(0.08));
}

TEST_CASE("what points turn in all is their colour", "[cloud]") {
    using Scatter = CloudMaterial::Scatter;
    const FibreShape hair(1.55f, 0.0f);
    for (const Scatter scatter :
         {Scatter::Even, Scatter::Lobes, Scatter::Surface, Scatter::Strand, Scatter::Fibre}) {
        AttributeSet points = pointsIn(kUnit, 1);
        points.add<V3f>("N", V3f(0, 0, 1));
        auto look = std::make_shared<CloudMaterial>();
        look->scatter = scatter;
        look->fibre = std::make_shared<FibreShape>(1.55f, 0.0f);
        look->backWeight.high = 0.3f;
        look->shine.high = 0.0f;
        SurfaceMaterial m = cloudOf(1.0f, 0.6f);
        m.cloud = look;
        Cloud cloud(points, {}, 0, 0, 0);
        cloud.wear(m, Progress::none());
        const CloudScatter point(cloud, 0, V3f(0.6f, 0, 0.8f));
        V3d sum(0.0);
        constexpr int kAcross = 200;  // even over the sphere: by height and angle
        for (int i = 0; i < kAcross; ++i)
            for (int j = 0; j < kAcross; ++j) {
                const float z = 2.0f * (float(i) + 0.5f) / kAcross - 1.0f, r = std::sqrt(1.0f - z * z),
                            a = 2.0f * kPi * (float(j) + 0.5f) / kAcross;
                sum += V3d(point.value(V3f(r * std::cos(a), r * std::sin(a), z)));
            }
        const double whole = sum.x * 4.0 * double(kPi) / (kAcross * kAcross);
        if (scatter == Scatter::Strand || scatter == Scatter::Fibre)
            CHECK(whole <= 1.0);  // by what is absorbed, and the angle
        else
            CHECK(whole == Approx(0.6).epsilon(0.01));
        CHECK(whole > 0.1);
    }
}

TEST_CASE("light that passes has the tint after its depth", "[cloud]") {
    auto look = std::make_shared<CloudMaterial>();
    look->density.high = 1e-3f;
    look->tint = V3f(0.9f, 0.5f, 0.1f), look->tintDepth = 0.5f;
    SurfaceMaterial m = cloudOf(1.0f);
    m.cloud = look;
    RenderScene scene;
    addCloud(scene, latticeIn(kUnit, 44), m);
    scene.lights.push_back(evenLight(1.0f));
    finish(scene);
    const V3f seen = meanOf(render(scene, ahead(50.0f, 1000.0f), 32, 4, 2), {12, 12, 8, 8});
    for (int k = 0; k < 3; ++k) {
        const float twice = look->tint[k] * look->tint[k];  // of a depth of two
        CHECK(seen[k] == Approx(twice).epsilon(0.05).margin(0.01));
    }
}

TEST_CASE("of a thick body what it gives of its own is its radiance", "[cloud]") {
    RenderScene scene;
    SurfaceMaterial m = cloudOf(200.0f, 0.0f);
    m.luminance.high = 3.0f;
    addCloud(scene, latticeIn(kUnit, 44), m);
    finish(scene);
    CHECK(meanOf(render(scene, ahead(50.0f, 1000.0f), 32, 2, 2), {12, 12, 8, 8}).x ==
          Approx(3.0f).epsilon(0.01));
}

TEST_CASE("points that wear what is made for something else are dust that is well seen", "[cloud]") {
    for (const float size : {0.01f, 1.0f, 50.0f}) {
        RenderScene scene;
        addCloud(scene, latticeIn({V3f(-0.5f * size), V3f(0.5f * size)}, 40), plain(0.0f, 1.0f, 0.0f, 0.0f));
        scene.lights.push_back(evenLight(1.0f));
        finish(scene);
        const float seen = meanOf(render(scene, ahead(50.0f * size, 1000.0f), 32, 2, 2), {12, 12, 8, 8}).x;
        CHECK(seen == Approx(std::exp(-3.0f)).margin(0.03));
    }
}

TEST_CASE("clouds take what is no number, nothing, and densities without measure", "[cloud]") {
    const float nan = std::numeric_limits<float>::quiet_NaN();
    for (const float density : {0.0f, 1e9f, nan, -1.0f, std::numeric_limits<float>::infinity()})
        for (const size_t count : {size_t(0), size_t(1), size_t(3), size_t(500)}) {
            AttributeSet points = pointsIn(kUnit, count);
            if (count == 3) {
                points.add<V3f>("P")[1] = V3f(nan, 0, 0);
                points.add<V3f>("P")[2] = V3f(3e38f, -3e38f, 0);
            }
            if (count == 500)
                for (V3f& p : points.add<V3f>("P")) p = V3f(0.1f);  // all at one place
            RenderScene scene;
            addCloud(scene, points, cloudOf(density, 0.5f));
            scene.lights.push_back(evenLight(1.0f));
            finish(scene);
            const Film film = render(scene, ahead(5.0f, 50.0f), 8, 1, 1);
            for (size_t i = 0; i < film.count(); ++i) {
                const V3f c = film.light(i);
                CHECK((isFinite(c) && c.x >= 0.0f && c.x <= 1.5f));
            }
        }
    // Without any light it is black, and hides.
    RenderScene dark;
    addCloud(dark, pointsIn(kUnit, 500), cloudOf(10.0f, 1.0f));
    finish(dark);
    CHECK(meanOf(render(dark, ahead(5.0f, 50.0f), 8, 1, 1), {0, 0, 8, 8}) == V3f(0.0f));
}

TEST_CASE("what is measured of points is their room", "[cloud]") {
    const AttributeSet cube = latticeIn({V3f(0), V3f(1, 2, 4)}, 40);
    const PointMeasure m = measured(cube.find<V3f>("P"));
    CHECK(m.points == 64000);
    CHECK(m.volume * 64000.0 == Approx(8.0).epsilon(0.05));  // pairs of a lattice are a little fewer
    CHECK(m.across[0] == Approx(8.0).epsilon(0.1));
    CHECK(m.across[2] == Approx(2.0).epsilon(0.15));
    CHECK(measured({}).points == 0);
    CHECK(measured({}).thickness() == 0.0);
    const std::vector<V3f> one{V3f(1, 2, 3)};
    CHECK(std::isfinite(measured(one).volume));
}

}  // namespace ovrix::tests
