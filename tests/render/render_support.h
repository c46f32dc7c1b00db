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

/// A box about the origin.
inline MeshPtr makeBox(const V3f& size) {
    auto mesh = std::make_shared<Mesh>();
    std::vector<V3f> p;
    for (int i = 0; i < 8; ++i)
        p.push_back(V3f(i & 1 ? 0.5f : -0.5f, i & 2 ? 0.5f : -0.5f, i & 4 ? 0.5f : -0.5f) * size);
    mesh->points.set("P", p);
    for (const auto& f : {std::array<uint32_t, 4>{0, 2, 3, 1},
                          {4, 5, 7, 6},
                          {0, 1, 5, 4},
                          {2, 6, 7, 3},
                          {0, 4, 6, 2},
                          {1, 3, 7, 5}})
        mesh->addFace(f);
    mesh->finish();
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
    Film film(size, size);
    RenderOptions o;
    o.bounces = bounces;
    o.limit = limit;
    const Renderer renderer(scene, Camera(camera, 1.0f), o);
    for (int pass = 0; pass < passes; ++pass)
        renderer.renderPass(film, uint32_t(pass), {0, 0, size, size}, Progress::none());
    return film;
}

}  // namespace ovrix::tests
