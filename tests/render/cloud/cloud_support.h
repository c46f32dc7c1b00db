// Clouds for tests.
#pragma once
#include "base/random.h"
#include "render/render_support.h"

namespace ovrix::tests {

/// Even chance within a box.
inline AttributeSet pointsIn(const Box3f& box, size_t count, uint64_t seed = 1) {
    AttributeSet points;
    points.resize(count);
    const auto p = points.add<V3f>("P");
    const auto id = points.add<uint64_t>("id");
    for (size_t i = 0; i < count; ++i) {
        const Random4 r = random4(seed, i, Stream::User);
        for (int k = 0; k < 3; ++k) p[i][k] = lerp(box.min[k], box.max[k], r[k]);
        id[i] = i + 1;
    }
    return points;
}

/// A lattice whose cells fill a box.
inline AttributeSet latticeIn(const Box3f& box, int across) {
    AttributeSet points;
    points.resize(size_t(across) * size_t(across) * size_t(across));
    const auto p = points.add<V3f>("P");
    const auto id = points.add<uint64_t>("id");
    const V3f cell = box.size() / float(across);
    size_t i = 0;
    for (int z = 0; z < across; ++z)
        for (int y = 0; y < across; ++y)
            for (int x = 0; x < across; ++x, ++i) {
                const Random4 r = random4(7, i, Stream::User);  // jittered: rows would fall into few pixels
                p[i] = box.min + V3f((float(x) + r[0]) * cell.x, (float(y) + r[1]) * cell.y,
                                     (float(z) + r[2]) * cell.z);
                id[i] = i + 1;
            }
    return points;
}

inline SurfaceMaterial cloudOf(float density, float albedo = 0.0f) {
    auto cloud = std::make_shared<CloudMaterial>();
    cloud->density.high = density;
    SurfaceMaterial m;
    m.base.high = Color(albedo);
    m.cloud = cloud;
    return m;
}

inline void addCloud(RenderScene& scene, AttributeSet points, const SurfaceMaterial& material,
                     Cloud::Motion motion = {}) {
    scene.addCloud(std::move(points), std::move(motion), 0, 2, scene.addMaterial(material));
}

/// Ready to be seen.
inline void finish(RenderScene& scene) {
    scene.wearClouds(Progress::none());
    scene.commit(Progress::none());
}

/// From so far in front of the origin, along -z.
inline CameraOptions ahead(float distance, float focal = 100.0f) {
    CameraOptions c;
    c.position = V3f(0, 0, distance), c.target = V3f(0.0f), c.focal = focal;
    return c;
}

inline V3f meanOf(const Film& film, const Rect& r) {
    V3d sum(0.0);
    for (int y = r.y; y < r.y + r.height; ++y)
        for (int x = r.x; x < r.x + r.width; ++x) sum += V3d(film.beauty(x, y));
    return V3f(sum / double(r.width * r.height));
}

/// Even light of so much from everywhere, which the camera sees.
inline Light evenLight(float radiance) { return DomeLight(nullptr, V3f(radiance), 0.0f); }

inline const Box3f kUnit{V3f(-0.5f), V3f(0.5f)};

}  // namespace ovrix::tests
