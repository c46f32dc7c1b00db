// Clear matter: how it bends, reflects and takes light, alone and within other matter.
#include "render/render_support.h"
#include "render/shade/bsdf.h"
#include "render/trace/media.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

SurfaceMaterial clearMatter(float ior, float roughness = 0) {
    SurfaceMaterial m = plain(1, roughness, 0, 0.5f);
    m.transmissionWeight.high = 1;
    m.ior.high = ior;
    return m;
}

CameraOptions lookingAtOrigin(float distance) {
    CameraOptions c;
    c.position = V3f(0, 0, distance);
    c.target = V3f(0.0f);
    c.focal = 50;
    return c;
}

float middle(const Film& film) {
    const int n = film.width(), a = n / 2 - 2, b = n / 2 + 2;
    float sum = 0;
    for (int y = a; y < b; ++y)
        for (int x = a; x < b; ++x) sum += film.beauty(x, y).x / 16;
    return sum;
}

float degreesOf(const V3f& w) {
    return std::atan2(std::sqrt(w.x * w.x + w.y * w.y), std::abs(w.z)) * 180 / kPi;
}

M44f scaled(const V3f& by) {
    M44f m;
    m.setScale(by);
    return m;
}

}  // namespace

TEST_CASE("light is bent as Snell's law says, and all reflected where it cannot leave", "[glass]") {
    for (const float ior : {1.1f, 1.33f, 1.5f, 2.4f})
        for (const float degrees : {0.0f, 20.0f, 45.0f, 70.0f}) {
            const float sine = std::sin(degrees * kPi / 180);
            const V3f wo(sine, 0, std::cos(degrees * kPi / 180));
            INFO(ior << " at " << degrees);
            const Glass in(Microfacet::of(0), ior, false, V3f(1.0f)),
                out(Microfacet::of(0), 1 / ior, false, V3f(1.0f));
            const V3f down = in.sample(wo, 0.999f, 0.5f, 0.5f);
            REQUIRE(down.z < 0);
            CHECK(degreesOf(down) == Approx(std::asin(sine / ior) * 180 / kPi).margin(0.3));
            CHECK(down.x <= 1e-3f);  // on the other side
            const V3f up = out.sample(wo, 0.9999f, 0.5f, 0.5f);
            if (sine * ior < 0.99f) {
                CHECK(degreesOf(up) == Approx(std::asin(sine * ior) * 180 / kPi).margin(0.9));
                CHECK(up.z < 0);
            } else if (sine * ior > 1.02f) {
                CHECK(up.z > 0);
                CHECK(fresnel(wo.z, 1 / ior) == 1.0f);
            }
        }
    CHECK(fresnel(1, 1.5f) == Approx(0.04f));
    // At Brewster's angle half of the light, that across the plane, is reflected by itself.
    CHECK(fresnel(std::cos(std::atan(1.5f)), 1.5f) == Approx(0.0740f).epsilon(0.01));
    CHECK(fresnel(0, 1.5f) == Approx(1.0f));
}

TEST_CASE("white furnace: clear spheres vanish under an even sky", "[glass][furnace]") {
    struct Case {
        const char* name;
        float ior, roughness;
    };
    for (const Case& k : {Case{"water", 1.33f, 0}, Case{"glass", 1.5f, 0}, Case{"diamond", 2.4f, 0},
                          Case{"frosted", 1.5f, 0.4f}, Case{"blind", 1.5f, 0.9f}}) {
        INFO(k.name);
        RenderScene scene;
        addTo(scene, makeSphere(1, 96), clearMatter(k.ior, k.roughness));
        scene.lights.push_back(DomeLight(nullptr, V3f(1.0f), 0));
        scene.commit(Progress::none());
        // What is lost between facets is given back at each boundary by a table of twelve widths.
        CHECK(middle(render(scene, lookingAtOrigin(4), 24, 300, 60)) ==
              Approx(1.0f).epsilon(k.roughness > 0.5f ? 0.05 : 0.02));
    }
}

TEST_CASE("clear matter takes light by the way through it", "[glass]") {
    SurfaceMaterial green = clearMatter(1.5f);
    green.transmissionColor.high = Color(0.5f);
    green.transmissionDepth.high = 0.2f;
    RenderScene scene;
    addTo(scene, sharpBox(V3f(2, 2, 0.4f)), green);
    scene.lights.push_back(DomeLight(nullptr, V3f(1.0f), 0));
    scene.commit(Progress::none());
    const float once = 0.04f, way = std::pow(0.5f, 0.4f / 0.2f);
    // Through, and what the front reflects, and what goes back and forth within.
    const float wanted = once + (1 - once) * (1 - once) * way / (1 - once * way);
    CHECK(middle(render(scene, lookingAtOrigin(20), 96, 256, 30)) == Approx(wanted).epsilon(0.03));
}

TEST_CASE("a pane lets through what a pane does, and bends nothing", "[glass]") {
    const Bsdf b({.base = Color(1.0f),
                  .roughness = 0,
                  .transmissionWeight = 1,
                  .transmissionTint = Color(0.5f),
                  .thinWalled = true});
    const V3f wo(0.6f, 0, 0.8f);
    const Bsdf::Sample s = b.sample(wo, 0.9f, 0.5f, 0.5f);
    CHECK(s.refracted);
    CHECK((s.wi + wo).length() < 0.01f);
    SurfaceMaterial pane = clearMatter(1.5f);
    pane.thinWalled = true;
    pane.transmissionColor.high = Color(0.5f);
    RenderScene scene;
    M44f up;
    up.setEulerAngles(V3f(kPi / 2, 0, 0));
    addTo(scene, makePlane(2, 1), pane, up);
    scene.lights.push_back(DomeLight(nullptr, V3f(1.0f), 0));
    scene.commit(Progress::none());
    const float reflected = 2 * 0.04f / 1.04f;
    CHECK(middle(render(scene, lookingAtOrigin(20), 96, 128, 8)) ==
          Approx(reflected + (1 - reflected) * 0.5f).epsilon(0.03));
}

TEST_CASE("lamps shine through clear glass on what lies behind", "[glass][lights]") {
    const auto lit = [](bool covered, float depth) {
        RenderScene scene;
        addTo(scene, makePlane(0.01f, 1), plain(1, 1, 0, 0));
        if (covered) {
            SurfaceMaterial glass = clearMatter(1.5f);
            glass.transmissionColor.high = Color(0.25f);
            glass.transmissionDepth.high = depth;
            M44f above;
            above[3][1] = 1;
            addTo(scene, sharpBox(V3f(4, 0.5f, 4)), glass, above);
        }
        SunLight sun;
        sun.direction = V3f(0, 1, 0);
        sun.cosAngle = std::cos(0.004f);
        sun.radiance = V3f(3.0f / (2 * kPi * (1 - sun.cosAngle)));
        scene.lights.push_back(sun);
        scene.commit(Progress::none());
        CameraOptions c;
        c.position = V3f(0, 0.02f, 0.001f);
        c.target = V3f(0.0f);
        c.focal = 200;
        return middle(render(scene, c, 16, 4, 4));
    };
    const float open = lit(false, 0);
    CHECK(open == Approx(3 / kPi).epsilon(0.01));
    CHECK(lit(true, 0) == Approx(open * 0.96f * 0.96f * 0.25f).epsilon(0.01));     // coloured at the boundary
    CHECK(lit(true, 0.5f) == Approx(open * 0.96f * 0.96f * 0.25f).epsilon(0.01));  // and after half a metre
    CHECK(lit(true, 1.0f) == Approx(open * 0.96f * 0.96f * 0.5f).epsilon(0.01));
}

namespace {

/// What a small white floor shows in the light of a dome or a large lamp, under a slab or a pane of matter.
float floorUnder(const SurfaceMaterial* matter, bool pane, bool lamp) {
    RenderScene scene;
    addTo(scene, makePlane(0.01f, 1), plain(1, 1, 0, 0));
    M44f above;
    above[3][1] = 0.3f;
    if (matter) addTo(scene, pane ? makePlane(40, 1) : sharpBox(V3f(40, 0.1f, 40)), *matter, above);
    if (lamp)
        scene.lights.push_back(BallLight{.center = V3f(0, 3, 0), .radius = 1.5f, .radiance = V3f(2.0f)});
    else
        scene.lights.push_back(DomeLight(nullptr, V3f(1.0f), 0));
    scene.commit(Progress::none());
    CameraOptions c;
    c.position = V3f(0, 0.02f, 0.001f);
    c.target = V3f(0.0f);
    c.focal = 200;
    return middle(render(scene, c, 16, 256, 8));
}

}  // namespace

TEST_CASE("light that comes through clear matter counts once", "[glass][lights]") {
    // Under a slab that bends and takes nothing rays to lights and paths that meet them both come through.
    const SurfaceMaterial nothing = clearMatter(1.0f);
    for (const bool lamp : {false, true})
        CHECK(floorUnder(&nothing, false, lamp) == Approx(floorUnder(nullptr, false, lamp)).epsilon(0.02));
}

TEST_CASE("light that comes through rough clear matter counts once", "[glass][lights]") {
    // A lamp that nearly fills what the floor sees, behind matter that roughens its way and takes little:
    // about as much comes as through a smooth one. Twice would be twice.
    for (const bool thin : {false, true}) {
        SurfaceMaterial glass = clearMatter(1.3f);
        glass.thinWalled = thin;
        glass.roughness.high = 0;
        const float smooth = floorUnder(&glass, thin, true);
        for (const float roughness : {0.25f, 0.5f}) {
            INFO("thin " << thin << " roughness " << roughness);
            glass.roughness.high = roughness;
            CHECK(floorUnder(&glass, thin, true) == Approx(smooth).epsilon(0.06));
        }
    }
}

TEST_CASE("clear strands and tinted copies let light through as what they are", "[glass]") {
    // Strands have no inside: nothing is entered that is never left.
    RenderScene scene;
    SurfaceMaterial dark = clearMatter(1.33f);
    dark.transmissionColor.high = Color(0.01f);
    dark.transmissionDepth.high = 0.001f;  // within such matter all would be black
    auto set = std::make_shared<StrandSet>();
    set->points.set("P", std::vector<V3f>{V3f(0, -1, 0), V3f(0, 1, 0)});
    set->points.add<float>("width", 0.5f);
    set->start.push_back(2);
    scene.addInstance({scene.addStrands(set, {}), scene.addMaterialSlots({scene.addMaterial(dark)}), 0, 1,
                       RenderScene::kOwnElement},
                      M44f());
    scene.lights.push_back(DomeLight(nullptr, V3f(1.0f), 0));
    scene.commit(Progress::none());
    const float through = middle(render(scene, lookingAtOrigin(20), 96, 64, 8));
    CHECK(through == Approx(1.0f).epsilon(0.03));
    // A copy's own colour is that of its glass.
    RenderScene copies;
    SurfaceMaterial pane = clearMatter(1.0f);
    pane.thinWalled = true;
    const uint32_t slots = copies.addMaterialSlots({copies.addMaterial(pane)});
    const RenderScene::Instance one{copies.addMesh(makePlane(2, 1)), slots, 1, 1, 5};
    M44f up;
    up.setEulerAngles(V3f(kPi / 2, 0, 0));
    copies.addInstances(
        {&one, 1}, 1, [&](size_t, size_t) { return up; },
        {.factor = [](size_t) { return Color(0.25f, 1, 1); }}, Progress::none());
    copies.lights.push_back(DomeLight(nullptr, V3f(1.0f), 0));
    copies.commit(Progress::none());
    CHECK(middle(render(copies, lookingAtOrigin(20), 96, 32, 4)) == Approx(0.25f).epsilon(0.03));
}

TEST_CASE("where clear matter overlaps, the highest priority is there", "[glass]") {
    Media media;
    CHECK(media.present() == nullptr);
    CHECK(media.iorAround(1) == 1.0f);
    media.enter({.instance = 1, .priority = 0, .ior = 1.33f, .extinction = V3f(1, 2, 0)});
    CHECK(media.through(0.5f).y == Approx(std::exp(-1.0f)));
    CHECK(media.through(std::numeric_limits<float>::infinity()) == V3f(0, 0, 1));
    CHECK_FALSE(media.hides(2, 0));
    media.enter({.instance = 2, .priority = 1, .ior = 1.5f, .extinction = V3f(0.0f)});
    CHECK(media.hides(1, 0));  // the water's boundary does nothing within the glass
    CHECK_FALSE(media.hides(2, 1));
    CHECK(media.iorAround(2) == 1.33f);
    CHECK(media.through(5) == V3f(1.0f));
    media.leave(1);
    CHECK(media.iorAround(2) == 1.0f);
    media.leave(7);  // was never entered
    media.leave(2);
    CHECK(media.present() == nullptr);
    for (uint32_t i = 0; i < 20; ++i)
        media.enter({.instance = i, .priority = int(i), .ior = 1.5f, .extinction = V3f(0.0f)});
    CHECK(media.present()->instance == 19);
}

TEST_CASE("glass that overlaps the water that it lies in leaves no gap", "[glass][furnace]") {
    // A box of water with a ball within and one half out, under an even sky: all of it vanishes.
    RenderScene scene;
    SurfaceMaterial water = clearMatter(1.33f), glass = clearMatter(1.5f);
    glass.priority = 1;
    M44f aside;
    aside[3][0] = 1.3f;
    addTo(scene, sharpBox(V3f(3.0f)), water);
    addTo(scene, makeSphere(0.6f, 64), glass);
    addTo(scene, makeSphere(0.6f, 64), glass, aside);
    scene.lights.push_back(DomeLight(nullptr, V3f(1.0f), 0));
    scene.commit(Progress::none());
    const Film film = render(scene, lookingAtOrigin(8), 40, 80, 60);
    float sum = 0;
    for (int y = 0; y < 40; ++y)
        for (int x = 0; x < 40; ++x) sum += film.beauty(x, y).x / (40 * 40);
    CHECK(sum == Approx(1.0f).epsilon(0.012));
}

TEST_CASE("clear matter of garbage gives finite pictures", "[glass][damaged]") {
    for (const float bad : {0.0f, -1.0f, 1e30f, std::numeric_limits<float>::quiet_NaN(),
                            std::numeric_limits<float>::infinity()}) {
        RenderScene scene;
        SurfaceMaterial m = clearMatter(1.5f);
        m.ior.high = bad, m.transmissionDepth.high = bad, m.roughness.high = bad;
        m.transmissionColor.high = Color(bad);
        addTo(scene, makeSphere(1, 24), m, scaled(V3f(1, 0.5f, 1)));
        scene.lights.push_back(DomeLight(nullptr, V3f(1.0f), 0));
        scene.commit(Progress::none());
        const Film film = render(scene, lookingAtOrigin(4), 16, 4, 8);
        for (const FilmPixel& p : film.pixels()) CHECK(isFinite(p.direct + p.indirect));
    }
}
