#include <tbb/global_control.h>

#include "base/random.h"
#include "render/finish/finish.h"
#include "render/light/sky.h"
#include "render/render_support.h"
#include "render/shade/bsdf.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// Light on a small floor at the origin, facing up, from lights: what a white floor then shows, times pi.
float irradiance(const std::vector<Light>& lights, int passes) {
    RenderScene scene;
    addTo(scene, makePlane(0.01f, 1), plain(1.0f, 1, 0, 0));
    scene.lights = lights;
    scene.commit(Progress::none());
    CameraOptions c;
    c.position = V3f(0, 0.02f, 0.001f);
    c.target = V3f(0.0f);
    c.focal = 200;
    return meanOver(render(scene, c, 16, passes, 0), 0, 0, 16, 16).x * kPi;
}

}  // namespace

TEST_CASE("white furnace: spheres under an even sky vanish", "[render][furnace]") {
    struct Case {
        const char* name;
        SurfaceMaterial material;
    };
    for (const Case& k :
         {Case{"diffuse", plain(1, 1, 0, 0)}, Case{"diffuse under a shine", plain(1, 0.4f, 0, 0.5f)},
          Case{"metal 0.3", plain(1, 0.3f, 1, 0.5f)}, Case{"metal 0.6", plain(1, 0.6f, 1, 0.5f)},
          Case{"metal 1", plain(1, 1, 1, 0.5f)}}) {
        INFO(k.name);
        RenderScene scene;
        addTo(scene, makeSphere(1, 128), k.material);
        scene.lights.push_back(DomeLight(nullptr, V3f(1.0f), 0));
        scene.commit(Progress::none());
        CameraOptions c;
        c.position = V3f(0, 0, 4);
        c.focal = 50;
        const V3f mean = meanOver(render(scene, c, 48, 64, 8), 12, 12, 36, 36);
        CHECK(mean.x == Approx(1.0f).epsilon(0.01));
    }
}

TEST_CASE("a grey sphere returns its albedo", "[render][furnace]") {
    RenderScene scene;
    addTo(scene, makeSphere(1, 128), plain(0.5f, 1, 0, 0));
    scene.lights.push_back(DomeLight(nullptr, V3f(2.0f), 0));
    scene.commit(Progress::none());
    CameraOptions c;
    c.position = V3f(0, 0, 4);
    c.focal = 50;
    CHECK(meanOver(render(scene, c, 32, 64, 8), 8, 8, 24, 24).x == Approx(1.0f).epsilon(0.01));
}

TEST_CASE("a square light gives what its form factor says", "[render][lights]") {
    // A square of side 2a at height h over the receiver, facing it: 4 corners of
    // F = 1/(2 pi) (A/sqrt(1+A^2) atan(B/sqrt(1+A^2)) + B/sqrt(1+B^2) atan(A/sqrt(1+B^2))), A = B = a/h.
    const float a = 0.5f, h = 1.0f, A = a / h;
    const float form =
        4 * (1 / (2 * kPi)) * 2 * (A / std::sqrt(1 + A * A) * std::atan(A / std::sqrt(1 + A * A)));
    QuadLight q;
    q.side1 = V3f(2 * a, 0, 0), q.side2 = V3f(0, 0, 2 * a), q.corner = V3f(-a, h, -a),
    q.normal = V3f(0, -1, 0), q.area = 4 * a * a;
    q.radiance = V3f(3.0f);
    CHECK(irradiance({q}, 256) == Approx(3 * kPi * form).epsilon(0.01));
    q.normal = V3f(0, 1, 0);
    CHECK(irradiance({q}, 4) == 0.0f);
}

TEST_CASE("a ball light gives what its form factor says", "[render][lights]") {
    BallLight b;
    b.center = V3f(0, 2, 0);
    b.radius = 0.5f;
    b.radiance = V3f(4.0f);
    CHECK(irradiance({b}, 256) == Approx(4 * kPi * 0.0625f).epsilon(0.01));
    b.center = V3f(2, 2, 0);  // 45 degrees to the side: (r/d)^2 cos
    CHECK(irradiance({b}, 256) == Approx(4 * kPi * 0.25f / 8 * std::sqrt(0.5f)).epsilon(0.01));
    b.radius = 1e-4f;  // so narrow that cosines lose their digits
    b.radiance = V3f(4e6f);
    CHECK(irradiance({b}, 64) == Approx(4e6f * kPi * 1e-8f / 8 * std::sqrt(0.5f)).epsilon(0.01));
}

TEST_CASE("a sun gives its strength, and two lights add", "[render][lights]") {
    SunLight s;
    s.direction = V3f(0, std::sqrt(0.75f), 0.5f);
    s.cosAngle = std::cos(radians(0.25f));
    s.radiance = V3f(2.0f / (2 * kPi * (1 - s.cosAngle)));
    CHECK(irradiance({s}, 256) == Approx(2 * std::sqrt(0.75f)).epsilon(0.01));
    CHECK(irradiance({s, DomeLight(nullptr, V3f(1.0f), 0)}, 256) ==
          Approx(2 * std::sqrt(0.75f) + kPi).epsilon(0.01));
}

TEST_CASE("a dome image is sampled as it shines", "[render][lights]") {
    auto image = std::make_shared<Image>();
    image->width = 64, image->height = 32;
    image->pixels.assign(64 * 32 * 4, half(0.05f));
    for (int x = 20; x < 26; ++x)
        for (int y = 4; y < 8; ++y)
            for (int c = 0; c < 3; ++c) image->pixels[4 * size_t(y * 64 + x) + size_t(c)] = half(50.0f);
    const DomeLight dome(std::make_shared<DomeTable>(image), V3f(1.0f), 0.7f);
    // Its density integrates to 1, and light over density gives the light of all directions.
    double density = 0, light = 0, sampled = 0;
    constexpr int kDraws = 200000;
    for (int i = 0; i < kDraws; ++i) {
        const Random4 r = random4(testSeed(), uint64_t(i), Stream::User);
        const float z = 1 - 2 * r[0], s = std::sqrt(1 - z * z);
        const V3f d(s * std::cos(2 * kPi * r[1]), z, s * std::sin(2 * kPi * r[1]));
        density += double(dome.pdf(d)) * 4 * M_PI / kDraws;
        light += double(dome.radiance(d).x) * 4 * M_PI / kDraws;
        float pdf = 0;
        const V3f e = dome.sample(r[2], r[3], pdf);
        REQUIRE(e.length() == Approx(1).margin(1e-4));
        REQUIRE(pdf ==
                Approx(dome.pdf(e)).epsilon(0.35));  // equal but where rounding lands in the next pixel
        sampled += double(dome.radiance(e).x / pdf) / kDraws;
    }
    CHECK(density == Approx(1).epsilon(0.03));
    CHECK(sampled == Approx(light).epsilon(0.04));
}

TEST_CASE("scattering functions conserve energy, and sample as they say", "[render][bsdf]") {
    for (float rough : {0.1f, 0.4f, 0.9f})
        for (float metal : {0.0f, 0.5f, 1.0f}) {
            const Bsdf bsdf(
                {.base = Color(0.9f), .metalness = metal, .specularWeight = 1.4f, .roughness = rough});
            for (float cosine : {0.2f, 0.7f, 1.0f}) {
                INFO("rough " << rough << " metal " << metal << " cosine " << cosine);
                const V3f wo(std::sqrt(1 - cosine * cosine), 0, cosine);
                double albedo = 0, density = 0;
                constexpr int kDraws = 40000;
                for (int i = 0; i < kDraws; ++i) {
                    const Random4 r = random4(testSeed(), uint64_t(i), Stream::User);
                    albedo += double(bsdf.sample(wo, r[0], r[1], r[2]).weight.x) / kDraws;
                    const V3f even(std::sqrt(std::max(0.0f, 1 - r[1] * r[1])) * std::cos(2 * kPi * r[2]),
                                   std::sqrt(std::max(0.0f, 1 - r[1] * r[1])) * std::sin(2 * kPi * r[2]),
                                   r[1]);
                    density += double(bsdf.evaluate(wo, even).pdf) * 2 * M_PI / kDraws;
                }
                CHECK(albedo <= 1.01);
                CHECK(albedo == Approx(bsdf.albedo(wo).x).epsilon(0.02));
                if (rough > 0.3f) CHECK(density <= 1.03);
            }
        }
    CHECK(Bsdf({.base = Color(1.0f)}).evaluate(V3f(0, 0, -1), V3f(0, 0, 1)).pdf == 0.0f);
}

TEST_CASE("a thin surface lets through what it says, and loses nothing", "[render][bsdf]") {
    for (float through : {0.0f, 0.3f, 1.0f}) {
        const Bsdf bsdf({.base = Color(0.8f), .translucency = through});
        const V3f wo = V3f(0.3f, 0, 1).normalized();
        double above = 0, below = 0;
        constexpr int kDraws = 20000;
        for (int i = 0; i < kDraws; ++i) {
            const Random4 r = random4(testSeed(), uint64_t(i), Stream::User);
            const Bsdf::Sample s = bsdf.sample(wo, r[0], r[1], r[2]);
            (s.wi.z > 0 ? above : below) += double(s.weight.x) / kDraws;
            REQUIRE(bsdf.evaluate(wo, s.wi).pdf == Approx(s.pdf));
        }
        CHECK(above + below == Approx(0.8).epsilon(0.01));
        CHECK(below == Approx(0.8 * double(through)).margin(0.015));
    }
    CHECK(Bsdf({.base = Color(1.0f), .specularWeight = 1.0f}).evaluate(V3f(0, 0, 1), V3f(0, 0, -1)).pdf ==
          0.0f);
}

TEST_CASE("white furnace: a thin translucent sheet vanishes as well", "[render][furnace]") {
    RenderScene scene;
    SurfaceMaterial leaf = plain(1, 1, 0, 0);
    leaf.translucency.high = 0.5f;
    addTo(scene, makeSphere(1, 64), leaf);
    scene.lights.push_back(DomeLight(nullptr, V3f(1.0f), 0));
    scene.commit(Progress::none());
    CameraOptions c;
    c.position = V3f(0, 0, 4);
    c.target = V3f(0.0f);
    CHECK(meanOver(render(scene, c, 24, 64, 24), 9, 9, 15, 15).x == Approx(1).epsilon(0.03));
}

TEST_CASE("what is cut out lets rays and shadows through", "[render][cutout]") {
    // A sheet over a floor, cut away where x is above 0.
    SurfaceMaterial sheet = plain(0, 1, 0, 0);
    FieldSource source = makeSource("formula");
    source.params["formula"].value = std::string("x > 0 ? 0 : 1");
    sheet.opacity = {0, 1, std::make_shared<CompiledField>(Field{{source}}, FieldContext())};
    CHECK(sheet.cuts());
    RenderScene scene;
    addTo(scene, makePlane(2, 1), sheet);
    scene.commit(Progress::none());
    const V3f down(0, -1, 0);
    CHECK(scene.intersect({V3f(-0.5f, 1, 0), down}, false).hit());
    CHECK_FALSE(scene.intersect({V3f(0.5f, 1, 0), down}, false).hit());
    CHECK(scene.passing(V3f(-0.5f, 1, 0), down, 5) == 0.0f);
    CHECK(scene.passing(V3f(0.5f, 1, 0), down, 5) == 1.0f);
    CHECK(scene.passing(V3f(-0.5f, 1, 0), down, 0.5f) == 1.0f);
    // From one hole to what lies behind it: the distance is that of the whole way.
    RenderScene two;
    addTo(two, makePlane(2, 1), sheet);
    M44f below;
    below.setTranslation(V3f(0, -1, 0));
    addTo(two, makeSphere(0.25f, 64), plain(0.5f, 1, 0, 0), below);
    two.commit(Progress::none());
    const RayHit hit = two.intersect({V3f(0.1f, 3, 0), down}, false);
    REQUIRE(hit.hit());
    CHECK(hit.distance == Approx(4 - std::sqrt(0.0625f - 0.01f)).margin(2e-3));
}

TEST_CASE("samples are well spread: each quarter of the passes fills each quarter of the range",
          "[render][sampler]") {
    for (uint32_t x = 0; x < 8; ++x) {
        std::array<std::array<int, 16>, 4> bins{};
        for (uint32_t pass = 0; pass < 64; ++pass) {
            Sampler s(x, 3, pass, 0);
            s.next4();
            const auto r = s.next4();
            for (size_t d = 0; d < 4; ++d) {
                REQUIRE((r[d] >= 0.0f && r[d] < 1.0f));
                ++bins[d][size_t(r[d] * 16)];
            }
        }
        for (const auto& b : bins)
            for (int n : b) CHECK(n == 4);  // a scrambled (0, m, 1)-net in base 2 hits each interval alike
    }
    Sampler a(1, 2, 3, 4), b(1, 2, 3, 4), c(1, 2, 3, 5);
    CHECK(a.next4() == b.next4());
    CHECK(a.next4() != c.next4());
}

TEST_CASE("the same scene gives the same bits on one and on many threads, whole or by region",
          "[render][threads]") {
    RenderScene scene;
    const auto noise = std::make_shared<const CompiledField>(Field{{makeSource("noise")}}, FieldContext());
    for (int i = 0; i < 5; ++i) {
        M44f m;
        m.setTranslation(V3f(float(i) - 2, 0.2f * float(i % 2), 0));
        SurfaceMaterial material = plain(0.2f * float(i + 1), 0.3f, float(i % 2), 0.5f);
        // Fields are asked for many paths at once, and those are others in each region.
        if (i > 1) material.roughness = {0.2f, 0.6f, noise}, material.base.field = noise;
        if (i > 2) material.bump = {0.0f, 0.02f, noise};
        addTo(scene, makeTorus(0.5f, 0.2f, 24), material, m);
    }
    scene.lights = {SunLight{V3f(0.6f, 0.8f, 0), 0.999f, V3f(100.0f)},
                    DomeLight(std::make_shared<DomeTable>(makeSky({})), V3f(1.0f), 0)};
    scene.commit(Progress::none());
    CameraOptions c;
    c.fstop = 4;
    const Film many = render(scene, c, 40, 4, 5, 10);
    Film parts(40, 40);
    {
        tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
        RenderOptions o;
        o.bounces = 5;
        const Renderer renderer(scene, Camera(c, 1.0f), o);
        for (const Rect& r : {Rect{0, 0, 40, 13}, Rect{0, 13, 17, 27}, Rect{17, 13, 23, 27}})
            for (uint32_t pass = 0; pass < 4; ++pass) renderer.renderPass(parts, pass, r, Progress::none());
    }
    for (int y = 0; y < 40; ++y)
        for (int x = 0; x < 40; ++x) {
            REQUIRE(many.at(x, y).direct == parts.at(x, y).direct);
            REQUIRE(many.at(x, y).indirect == parts.at(x, y).indirect);
            REQUIRE(many.at(x, y).depth == parts.at(x, y).depth);
            REQUIRE(many.at(x, y).albedo == parts.at(x, y).albedo);
        }
}

TEST_CASE("passes say what stands where", "[render][aov]") {
    RenderScene scene;
    addTo(scene, makePlane(1, 1), plain(0.25f, 1, 0, 0));
    scene.commit(Progress::none());
    CameraOptions c;
    c.position = V3f(0, 2, 0.0001f);
    c.target = V3f(0.0f);
    c.focal = 18;
    const Film film = render(scene, c, 9, 2, 2);
    const FilmPixel middle = film.at(4, 4);
    CHECK(middle.depth == Approx(2).margin(1e-3));
    CHECK(middle.object == 1);
    CHECK((middle.normal / float(middle.samples)).y == Approx(1));
    CHECK((middle.albedo / float(middle.samples)).x == Approx(0.25f));
    CHECK(film.at(0, 0).object == 0);
    CHECK(film.beauty(4, 4) == V3f(0.0f));  // nothing lights it
    RenderScene nothing;
    nothing.commit(Progress::none());
    const Film empty = render(nothing, c, 3, 1, 2);
    CHECK(empty.at(1, 1).samples == 1);
}

TEST_CASE("direct and indirect light add up, and emission is direct", "[render][aov]") {
    RenderScene scene;
    SurfaceMaterial glow = plain(0, 1, 0, 0);
    glow.emission.high = Color(2.0f);
    glow.luminance.high = 3.0f;
    addTo(scene, makePlane(10, 1), glow);
    scene.commit(Progress::none());
    CameraOptions c;
    c.position = V3f(0, 1, 0.001f);
    c.target = V3f(0.0f);
    const Film film = render(scene, c, 4, 2, 3);
    CHECK(film.beauty(2, 2).x == Approx(6));
    CHECK(film.at(2, 2).indirect == V3f(0.0f));
}

TEST_CASE("cancelling ends a pass", "[render]") {
    RenderScene scene;
    scene.commit(Progress::none());
    Film film(64, 64);
    Progress progress;
    progress.cancel();
    CHECK_THROWS_AS(Renderer(scene, Camera(), {}).renderPass(film, 0, {0, 0, 64, 64}, progress), Cancelled);
}

TEST_CASE("a lens keeps its focus sharp", "[render][camera]") {
    CameraOptions o;
    o.position = V3f(0, 0, 5);
    o.fstop = 1.4f;
    o.focal = 85;
    const Camera camera(o, 1.5f);
    for (float u : {0.1f, 0.9f})
        for (float v : {0.2f, 0.7f}) {
            const Ray r = camera.ray(0.5f, 0.5f, u, v);
            const V3f at = r.origin + r.direction * (r.origin.z / -r.direction.z);
            CHECK(at.length() < 1e-4f);
        }
    CHECK(Camera(o, 1.5f).ray(0.5f, 0.5f, 0.9f, 0.1f).origin != o.position);
    const Camera down({.position = V3f(0, 5, 0), .target = V3f(0.0f)}, 1);
    CHECK(isFinite(down.ray(0.1f, 0.9f, 0, 0).direction));
}

TEST_CASE("the sun reddens when low and the sky is blue above", "[render][sky]") {
    const Color high = sunThroughAir(kPi / 2, 1), low = sunThroughAir(radians(3.0f), 1);
    CHECK(high.x / high.z < 1.5f);
    CHECK(low.x / low.z > 3.0f);
    CHECK(low.x < high.x);
    CHECK(sunThroughAir(-0.5f, 1) == Color(0.0f));
    const auto sky = makeSky({radians(45.0f), 0, 1, Color(0.1f)});
    const Color zenith = sky->color(0, 2);
    CHECK(zenith.z > zenith.x);
    for (half h : sky->pixels) REQUIRE(h.isFinite());
}

TEST_CASE("finishing keeps dark and middle tones and stays within white", "[render][finish]") {
    CHECK(finished(V3f(0.2f), {0, kSoft}).x == Approx(0.2f));
    CHECK(finished(V3f(0.1f), {1, kSoft}).x == Approx(0.2f));
    CHECK(finished(V3f(50.0f), {0, kSoft}).x == 1.0f);
    CHECK(finished(V3f(0.9f), {0, kSoft}).x < 0.9f);
    CHECK(finished(V3f(2.0f), {0, {}}).x == 1.0f);
    CHECK(finished(V3f(-1.0f), {0, kSoft}).x == 0.0f);
    float last = -1;
    for (float x = 0; x < 8; x += 0.01f) {
        const float y = finished(V3f(x), {0, kSoft}).x;
        CHECK(y >= last);
        last = y;
    }
}

TEST_CASE("what moves while the shutter is open is seen where it is at the ray's time", "[render][motion]") {
    RenderScene scene;
    scene.addMaterial({});
    const uint32_t ball = scene.addMesh(makeSphere(0.1f, 48));
    const uint32_t look = scene.addMaterialSlots({0});
    std::vector<M44f> way(3);  // bends: from the left, up in the middle, to the right
    way[0][3][0] = -1, way[1][3][1] = 1, way[2][3][0] = 1;
    scene.addInstance({ball, look, 1, 0, 0}, way);
    auto strands = std::make_shared<StrandSet>();
    strands->start = {0, 2};
    strands->points.set("P", std::vector<V3f>{V3f(3, 0, 0), V3f(3, 1, 0)});
    strands->points.set("width", std::vector<float>{0.1f, 0.1f});
    strands->strands.set("id", std::vector<uint64_t>{1});
    auto later = std::make_shared<StrandSet>(*strands);
    later->points.set("P", std::vector<V3f>{V3f(4, 0, 0), V3f(4, 1, 0)});
    scene.addInstance({scene.addStrands(later, {}, {strands, later}), look, 2, 0, 0}, M44f());
    scene.commit(Progress::none());
    CHECK(scene.moving());
    const auto sees = [&](float x, float y, float time) {
        return scene.intersect({V3f(x, y, 5), V3f(0, 0, -1), time}, false).hit();
    };
    CHECK(sees(-1, 0, 0.0f));
    CHECK_FALSE(sees(-1, 0, 1.0f));
    CHECK(sees(0, 1, 0.5f));
    CHECK(sees(0.5f, 0.5f, 0.75f));
    CHECK(sees(1, 0, 1.0f));
    CHECK(sees(3, 0.5f, 0.0f));
    CHECK(sees(3.5f, 0.5f, 0.5f));
    CHECK_FALSE(sees(3, 0.5f, 0.5f));
    const Ray middle{V3f(0, 1, 5), V3f(0, 0, -1), 0.5f};
    const RayHit hit = scene.intersect(middle, false);
    CHECK((scene.surfacePoint(hit, middle).normal - V3f(0, 0, 1)).length() < 0.05f);
    CHECK(scene.passing(V3f(0, 1, 5), V3f(0, 0, -1), 10, 0.5f) == 0.0f);
    CHECK(scene.passing(V3f(0, 1, 5), V3f(0, 0, -1), 10, 0.0f) == 1.0f);
    // Others in number stand still.
    RenderScene still;
    still.addMaterial({});
    auto longer = std::make_shared<StrandSet>();
    longer->start = {0, 3};
    longer->points.set("P", std::vector<V3f>{V3f(0.0f), V3f(1.0f), V3f(2.0f)});
    still.addStrands(strands, {}, {strands, longer});
    CHECK_FALSE(still.moving());
}

TEST_CASE("a mesh that changes its shape is met, and shaded, as it is at the ray's time",
          "[render][motion]") {
    RenderScene scene;
    scene.addMaterial({});
    const auto plate = [](float left, float right) {  // tilts about the y axis
        return meshOf({V3f(-1, -1, left), V3f(1, -1, right), V3f(1, 1, right), V3f(-1, 1, left)},
                      {{0, 1, 2, 3}});
    };
    const MeshPtr flat = plate(0, 0), tilted = plate(-1, 1);
    const uint32_t look = scene.addMaterialSlots({0});
    scene.addInstance({scene.addMesh(tilted, {flat, tilted}), look, 1, 0, 0}, M44f());
    scene.commit(Progress::none());
    CHECK(scene.moving());
    for (const float time : {0.0f, 0.5f, 1.0f}) {
        const Ray ray{V3f(0.5f, 0, 5), V3f(0, 0, -1), time};
        const RayHit hit = scene.intersect(ray, false);
        REQUIRE(hit.hit());
        CHECK(hit.distance == Approx(5 - 0.5 * double(time)).margin(1e-4));
        const V3f face = V3f(-time, 0, 1).normalized();
        CHECK((scene.surfacePoint(hit, ray).faceNormal - face).length() < 1e-3f);
        CHECK((scene.surfacePoint(hit, ray).normal - face).length() < 0.08f);  // normals go straight between
    }
    RenderScene other;  // with other faces it keeps its shape
    other.addMaterial({});
    other.addMesh(flat, {makeSphere(1, 8), flat});
    CHECK_FALSE(other.moving());
}

TEST_CASE("a camera that moves looks from where it is at the ray's time", "[render][motion]") {
    CameraOptions a, b, c;
    a.position = V3f(0, 0, 5), b.position = V3f(1, 0, 5), c.position = V3f(1, 2, 5);
    a.target = V3f(0.0f), b.target = V3f(1, 0, 0), c.target = V3f(1, 2, 0);
    const Camera camera({a, b, c}, 1.5f);
    CHECK(camera.moving());
    CHECK((camera.ray(0.5f, 0.5f, 0, 0, 0.0f).origin - V3f(0, 0, 5)).length() < 1e-6f);
    CHECK((camera.ray(0.5f, 0.5f, 0, 0, 0.25f).origin - V3f(0.5f, 0, 5)).length() < 1e-6f);
    CHECK((camera.ray(0.5f, 0.5f, 0, 0, 0.75f).origin - V3f(1, 1, 5)).length() < 1e-6f);
    CHECK((camera.ray(0.5f, 0.5f, 0, 0, 1.0f).direction - V3f(0, 0, -1)).length() < 1e-6f);
    CHECK(camera.position() == c.position);
    CHECK_FALSE(Camera(std::vector<CameraOptions>{a}, 1.5f).moving());
    CHECK(camera.ray(0.2f, 0.3f, 0, 0, 0.5f).time == 0.5f);
}

TEST_CASE("what has no size one way or any, or is no number, ends nothing", "[render][damaged]") {
    const auto seen = [](const M44f& matrix, bool cloudy) {
        RenderScene scene;
        SurfaceMaterial m = plain(0.5f, 1, 0, 0);
        m.luminance.high = 1;
        if (cloudy) m.subsurfaceWeight.high = 1;
        addTo(scene, makeSphere(1, 32), m, matrix);
        scene.lights.push_back(DomeLight(nullptr, V3f(0.1f), 0));
        scene.commit(Progress::none());
        CameraOptions c;
        c.position = V3f(0, 3, 0.5f);
        return meanOver(render(scene, c, 16, 8, 2), 6, 6, 10, 10).x;
    };
    const auto sized = [](float x, float y, float z) {
        M44f m;
        m.setScale(V3f(x, y, z));
        return m;
    };
    for (const bool cloudy : {false, true}) {
        CHECK(seen(sized(1, 0, 1), cloudy) > 1.0f);  // a disk, as bright as it is
        CHECK(seen(sized(1, 1e-12f, 1), cloudy) > 1.0f);
        CHECK(seen(sized(0, 1, 0), cloudy) < 1.0f);
        CHECK(seen(sized(0, 0, 0), cloudy) == Approx(0.1f).epsilon(0.01));
        CHECK(seen(sized(1e-30f, 1e-30f, 1e-30f), cloudy) == Approx(0.1f).epsilon(0.01));
        M44f sheared;  // all lies in a plane, though nothing is short
        sheared[1][0] = 1, sheared[1][1] = 0;
        CHECK(std::isfinite(seen(sheared, cloudy)));
        for (const float odd : {NAN, INFINITY, 1e30f}) {
            CHECK(std::isfinite(seen(sized(odd, 1, 1), cloudy)));
            M44f away;
            away[3][1] = odd;
            CHECK(std::isfinite(seen(away, cloudy)));
        }
    }
}
