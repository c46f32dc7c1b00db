// What light does where a formula is easily wrong: at the ends of a range, behind something, in a hue.
#include "render/render_support.h"
#include "render/shade/bsdf.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

V3f direction(float cosine, float around, float side = 1) {
    const float s = std::sqrt(1 - cosine * cosine);
    return {s * std::cos(around), s * std::sin(around), side * cosine};
}

}  // namespace

TEST_CASE("a shine that fades out leaves the matt body, without a step at its end", "[render][bsdf]") {
    for (const float cosine : {0.02f, 0.1f, 0.5f, 1.0f}) {
        const V3f wo = direction(cosine, 0);
        const auto albedo = [&](float specular) {
            return Bsdf({.base = Color(0.5f), .specularWeight = 2.0f * specular, .roughness = 0.3f})
                .albedo(wo)
                .x;
        };
        CHECK(albedo(1e-6f) == Approx(albedo(0)).margin(1e-4));
        float last = albedo(0);  // and goes on in small steps; a whole one is up to 0.5 at grazing angles
        for (float specular = 0.01f; specular <= 0.5f; specular += 0.01f) {
            CHECK(std::abs(albedo(specular) - last) < 0.05f);
            last = albedo(specular);
        }
    }
}

TEST_CASE("the body under a shine is alike seen both ways", "[render][bsdf]") {
    // On the far side of a thin surface there is the body alone.
    const Bsdf leaf({.base = Color(0.8f), .specularWeight = 1, .roughness = 0.2f, .translucency = 1});
    for (const float a : {0.05f, 0.3f, 0.9f})
        for (const float b : {0.1f, 0.6f, 1.0f}) {
            const float there = leaf.evaluate(direction(a, 1), direction(b, 2, -1)).f.x / b,
                        back = leaf.evaluate(direction(b, 2), direction(a, 1, -1)).f.x / a;
            CHECK(there > 0);
            CHECK(there == Approx(back).epsilon(1e-5));
        }
}

TEST_CASE("a light hides those behind it, ones without end too", "[render][lights]") {
    RenderScene scene;
    addTo(scene, makePlane(0.01f, 1), plain(0, 1, 0, 0));
    QuadLight quad;
    quad.side1 = V3f(0.5f, 0, 0), quad.side2 = V3f(0, 0.5f, 0), quad.corner = V3f(-0.25f, -0.25f, 2);
    quad.normal = V3f(0, 0, 1), quad.area = 0.25f, quad.radiance = V3f(2.0f);
    scene.lights = {DomeLight(nullptr, V3f(5.0f), 0), quad};
    CameraOptions c;
    c.position = V3f(0, 0, 4);
    c.target = V3f(0.0f);
    for (int order = 0; order < 2; ++order) {
        scene.commit(Progress::none());
        const Film film = render(scene, c, 9, 4, 0);
        CHECK(film.beauty(4, 4).x == Approx(2));
        CHECK(film.beauty(0, 0).x == Approx(5));
        std::swap(scene.lights[0], scene.lights[1]);
    }
}

TEST_CASE("what is too bright for one sample is dimmed in its hue", "[render]") {
    // A small lamp in a grey room: whatever the light meets, it stays of the lamp's colour.
    RenderScene scene;
    addTo(scene, makeSphere(3, 32), plain(0.7f, 1, 0, 0));
    SurfaceMaterial lamp = plain(0, 1, 0, 0);
    lamp.emission.high = Color(1.0f, 0.5f, 0.125f);
    lamp.luminance.high = 4000.0f;
    M44f up;
    up[3][1] = 2;
    addTo(scene, makeSphere(0.1f, 16), lamp, up);
    scene.commit(Progress::none());
    CameraOptions c;
    c.position = V3f(0, 0, 1);
    c.target = V3f(0.0f);
    const auto mean = [&](float limit) {
        const Film film = render(scene, c, 16, 64, 4, limit);
        V3f sum(0.0f);
        for (int y = 0; y < 16; ++y)
            for (int x = 0; x < 16; ++x) sum += film.at(x, y).indirect;
        return sum;
    };
    const V3f open = mean(0), limited = mean(1);
    CHECK(limited.x < 0.5f * open.x);  // most of it came in few, bright samples
    CHECK(limited.y / limited.x == Approx(0.5).epsilon(1e-3));
    CHECK(limited.z / limited.x == Approx(0.125).epsilon(1e-3));
}

TEST_CASE("what turns while the shutter is open keeps its size", "[render][motion]") {
    RenderScene scene;
    scene.addMaterial({});
    M44f away;
    away[3][0] = 1;  // of its own middle, about which it turns by a third of a whole turn
    const uint32_t ball = scene.addMesh(transformed(*makeSphere(0.1f, 48), away));
    const std::vector<M44f> turns{M44f(), M44f().rotate(V3f(0, 0, 2 * kPi / 3))};
    scene.addInstance({ball, scene.addMaterialSlots({0}), 1, 0, 0}, turns);
    scene.commit(Progress::none());
    const auto sees = [&](float radius) {
        const V3f half(radius * std::cos(kPi / 3), radius * std::sin(kPi / 3), 5);
        return scene.intersect({half, V3f(0, 0, -1), 0.5f}, false).hit();
    };
    CHECK(sees(1));
    CHECK(sees(0.95f));
    CHECK_FALSE(sees(0.5f));  // where the mean of both matrices has it
}
