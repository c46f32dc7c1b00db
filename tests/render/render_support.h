// Small scenes for the tests of rendering.
#pragma once
#include "geo/mesh/primitives.h"
#include "render/trace/renderer.h"
#include "support.h"

namespace ovrix::tests {

using namespace deliver;

inline SurfaceMaterial plain(float base, float roughness, float metalness, float specular) {
    SurfaceMaterial m;
    m.base.high = Color(base);
    m.roughness.high = roughness;
    m.metalness.high = metalness;
    m.specularWeight.high = 2.0f * specular;
    return m;
}

/// Bit by bit, coverage too.
inline bool sameFilms(const Film& a, const Film& b) {
    std::array<std::vector<std::vector<int64_t>>, 2> planes;
    for (const Film* f : {&a, &b}) {
        auto& own = planes[f == &b];
        f->eachPlane([&](const std::string&, const auto& numbers, size_t) {
            own.emplace_back(numbers.begin(), numbers.end());
        });
        for (const PassInfo& info : passTable())
            for (const Coverage& cover : f->covers(info.pass)) {
                own.emplace_back();
                for (const Coverage::Seen& s : cover.all())
                    own.back().push_back(int64_t(s.number) << 32 | s.count);
            }
    }
    return planes[0] == planes[1];
}

/// A box with sharp edges.
inline MeshPtr sharpBox(const V3f& size) {
    auto mesh = makeBox(size);
    computeNormals(*mesh, 30);
    return mesh;
}

inline void addTo(RenderScene& scene, const MeshPtr& mesh, const SurfaceMaterial& material,
                  const M44f& matrix = M44f()) {
    const uint32_t look = scene.addMaterialSlots({scene.addMaterial(material)});
    scene.addInstance({scene.addMesh(mesh), look, 1, 0, 0}, matrix);
}

inline Film render(const RenderScene& scene, const CameraOptions& camera, int size, int passes, int bounces,
                   float limit = 0) {
    Film film(size, size, {.passes = passesChosen(passChoices())});
    RenderOptions o;
    o.bounces = bounces;
    o.limit = limit;
    const Renderer renderer(scene, Camera(camera, 1.0f), o);
    for (int pass = 0; pass < passes; ++pass)
        renderer.renderPass(film, uint32_t(pass), {0, 0, size, size}, Progress::none());
    return film;
}

/// Of the pixels from (x0, y0) up to (x1, y1), without them.
inline V3f meanOver(const Film& film, int x0, int y0, int x1, int y1) {
    V3f sum(0.0f);
    for (int y = y0; y < y1; ++y)
        for (int x = x0; x < x1; ++x) sum += film.beauty(x, y);
    return sum / float((x1 - x0) * (y1 - y0));
}

/// What the middle of a ball shows that wears a material under an even sky of 1.
inline V3f furnaceOf(const SurfaceMaterial& material, int passes, int bounces, const M44f& matrix = M44f()) {
    RenderScene scene;
    addTo(scene, makeSphere(1, 96), material, matrix);
    scene.lights.push_back(DomeLight(nullptr, V3f(1.0f), 0));
    scene.commit(Progress::none());
    CameraOptions c;
    c.position = V3f(0, 0, 4);
    c.focal = 50;
    return meanOver(render(scene, c, 32, passes, bounces), 10, 10, 22, 22);
}

}  // namespace ovrix::tests
