// What shines by its material, and whom lights reach.
#include "render/render_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// A lamp of two triangles that shines down on a floor, by its material.
struct GlowingRoom {
    RenderScene scene;
    SurfaceMaterial lamp = plain(0, 1, 0, 0);
    MeshPtr panel = makePlane(1, 3);
    GlowingRoom() {
        addTo(scene, makePlane(4, 1), plain(0.6f, 1, 0, 0));
        lamp.luminance.high = 5.0f;
    }
    static M44f at(const V3f& place, float scale = 1.0f) {
        M44f m;
        m.setScale(V3f(scale));
        m[3][0] = place.x, m[3][1] = place.y, m[3][2] = place.z;
        return m;
    }
    void hang(const V3f& place, float scale = 1.0f) { addTo(scene, panel, lamp, at(place, scale)); }
    Film picture(int passes, int bounces = 0) {
        scene.commit(Progress::none());
        CameraOptions c;
        c.position = V3f(0, 1.0f, 3);  // no lamp is in sight
        c.target = V3f(0, 0, 0.4f);
        c.focal = 80;
        return render(scene, c, 16, passes, bounces);
    }
};

float redOf(const Film& film, int k) {
    const FilmPixel p = film.at(k % film.width(), k / film.width());
    return (p.direct.x + p.indirect.x) / float(p.samples);
}

float worst(const Film& a, const Film& b) {
    float most = 0;
    for (int k = 0; k < a.width() * a.height(); ++k)
        most = std::max(most, std::abs(redOf(a, k) - redOf(b, k)) / std::max(0.05f, redOf(b, k)));
    return most;
}

}  // namespace

TEST_CASE("what shines by its material lights as a lamp of its form and strength does", "[render][lights]") {
    GlowingRoom glowing, lit;
    glowing.hang(V3f(0, 1.5f, 0));
    QuadLight q;
    q.side1 = V3f(1, 0, 0), q.side2 = V3f(0, 0, 1), q.corner = V3f(-0.5f, 1.5f, -0.5f),
    q.normal = V3f(0, -1, 0), q.area = 1, q.radiance = V3f(5.0f);
    q.turn = q.side1.cross(q.side2).dot(q.normal) < 0 ? -1.0f : 1.0f;
    lit.scene.lights.push_back(q);
    // Both aim at it: a few passes are near the truth. By chance alone, a tenth of the rays would find it.
    CHECK(worst(glowing.picture(256), lit.picture(256)) < 0.05f);
}

TEST_CASE("light of many glowing copies is that of each, whichever is aimed at", "[render][lights]") {
    GlowingRoom all;
    std::vector<float> separate(256);
    for (int i = 0; i < 9; ++i) {
        const V3f place(float(i % 3) - 1.0f, 1.2f + 0.1f * float(i), float(i / 3) - 1.0f);
        all.hang(place, 0.2f + 0.05f * float(i));
        GlowingRoom one;
        one.hang(place, 0.2f + 0.05f * float(i));
        const Film film = one.picture(64);
        for (int k = 0; k < 256; ++k) separate[size_t(k)] += redOf(film, k);
    }
    const Film film = all.picture(256);
    double together = 0, apart = 0;
    for (int k = 0; k < 256; ++k) {
        together += double(redOf(film, k)), apart += double(separate[size_t(k)]);
        CHECK(redOf(film, k) == Approx(separate[size_t(k)]).epsilon(0.15).margin(0.02));
    }
    CHECK(together == Approx(apart).epsilon(0.01));
}

TEST_CASE("both ways to find what glows agree: by aiming, and by what surfaces scatter", "[render][lights]") {
    // A mirror-like floor finds it by scattering alone, a matt one by aiming: a rough one mixes both.
    for (const float roughness : {0.05f, 0.3f}) {
        const auto room = [&](bool aimed) {
            auto r = std::make_unique<GlowingRoom>();
            addTo(r->scene, makePlane(3, 1), plain(0.2f, roughness, 1, 0.5f),
                  GlowingRoom::at(V3f(0, 0.01f, 0)));
            // Clear matter that glows is not aimed at; at an index of 1 it is as the other is otherwise.
            if (!aimed) r->lamp.transmissionWeight.high = 1e-6f;
            r->hang(V3f(0, 1.5f, 0));
            return r->picture(aimed ? 512 : 4096, 1);
        };
        INFO("roughness " << roughness);
        const Film aimed = room(true), found = room(false);
        double a = 0, f = 0;
        for (int k = 0; k < 256; ++k) a += double(redOf(aimed, k)), f += double(redOf(found, k));
        CHECK(a == Approx(f).epsilon(0.02));
    }
}

TEST_CASE("what glows is aimed at with its holes, and as it moves", "[render][lights]") {
    const auto half = [] {  // opaque where x > 0
        FieldSource source = makeSource("formula");
        source.params["formula"].value = std::string("x > 0");
        Varying v{0.0f, 1.0f, nullptr};
        v.field = std::make_shared<CompiledField>(Field{{source}}, FieldContext());
        return v;
    };
    GlowingRoom holed, smaller;
    holed.lamp.opacity = half();
    holed.hang(V3f(0, 1.5f, 0));
    QuadLight q;
    q.side1 = V3f(0.5f, 0, 0), q.side2 = V3f(0, 0, 1), q.corner = V3f(0, 1.5f, -0.5f),
    q.normal = V3f(0, -1, 0), q.area = 0.5f, q.radiance = V3f(5.0f);
    q.turn = q.side1.cross(q.side2).dot(q.normal) < 0 ? -1.0f : 1.0f;
    smaller.scene.lights.push_back(q);
    CHECK(worst(holed.picture(512), smaller.picture(256)) < 0.08f);

    // Spinning above, its light is the mean of its turns.
    GlowingRoom spun;
    const uint32_t look = spun.scene.addMaterialSlots({spun.scene.addMaterial(spun.lamp)});
    spun.scene.addInstance(
        {spun.scene.addMesh(spun.panel), look, 1, 0, 0},
        std::vector<M44f>{GlowingRoom::at(V3f(-1, 1.5f, 0)), GlowingRoom::at(V3f(1, 1.5f, 0))});
    std::vector<float> mean(256);
    constexpr int kPlaces = 16;
    for (int i = 0; i < kPlaces; ++i) {
        GlowingRoom one;
        one.hang(V3f(-1.0f + 2.0f * (float(i) + 0.5f) / kPlaces, 1.5f, 0));
        const Film film = one.picture(32);
        for (int k = 0; k < 256; ++k) mean[size_t(k)] += redOf(film, k) / kPlaces;
    }
    const Film film = spun.picture(256);
    for (int k = 0; k < 256; ++k) CHECK(redOf(film, k) == Approx(mean[size_t(k)]).epsilon(0.12).margin(0.02));
}

TEST_CASE("a light spares what it is told to, throws no shadows, and hides from the camera",
          "[render][lights]") {
    const auto room = [](const std::function<void(Light&)>& change, float lookUp) {
        RenderScene scene;
        addTo(scene, makePlane(4, 1), plain(0.6f, 1, 0, 0));  // object 1
        M44f above;
        above[3][1] = 0.5f;
        addTo(scene, makePlane(1, 1), plain(0.0f, 1, 0, 0), above);
        Light light = BallLight{.center = V3f(0, 1.5f, 0), .radius = 0.1f, .radiance = V3f(50.0f)};
        change(light);
        scene.lights.push_back(light);
        scene.commit(Progress::none());
        CameraOptions c;
        c.position = V3f(0, 1.0f, 4);
        c.target = V3f(0, lookUp, 0);
        c.focal = 120;
        return meanOver(render(scene, c, 32, 32, 1), 12, 12, 20, 20).x;
    };
    const auto floor = [&](const std::function<void(Light&)>& change) { return room(change, 0.05f); };
    const float shaded = floor([](Light&) {});
    const float open = floor([](Light& l) { l.shadows = false; });
    CHECK(open > shaded + 0.05f);
    CHECK(floor([](Light& l) { l.linked = {1}; }) < 1e-6f);
    CHECK(floor([](Light& l) { l.linked = {1}, l.alone = true; }) == Approx(shaded).epsilon(1e-6));
    CHECK(floor([](Light& l) { l.linked = {2}, l.alone = true; }) < 1e-6f);
    CHECK(floor([](Light& l) { l.linked = {2}; }) == Approx(shaded).epsilon(1e-6));
    CHECK(room([](Light&) {}, 1.5f) > 1.0f);
    CHECK(room([](Light& l) { l.seen = false; }, 1.5f) < 1e-6f);
}
