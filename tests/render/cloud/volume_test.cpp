// Matter in cells: what it lets through, scatters and gives, against closed forms, the medium of clear matter
// and points.
#include <oneapi/tbb/global_control.h>

#include "render/cloud/cloud_support.h"

namespace ovrix::tests {

namespace {

constexpr int kAcross = 24;

/// Even matter in the unit cube about the origin, in so many cells each way. At its rim the mean of two cells
/// makes it thinner within, and thicker without, half of a cell.
VolumePtr evenMatter(float density, VolumeGrid::Look look) {
    const std::vector<float> all(size_t(kAcross) * kAcross * kAcross, density);
    return std::make_shared<VolumeGrid>(V3f(-0.5f), 1.0f / kAcross,
                                        std::array<int, 3>{kAcross, kAcross, kAcross}, all, look);
}

SurfaceMaterial asVoxels(SurfaceMaterial m, float voxel) {
    auto look = std::make_shared<CloudMaterial>(*m.cloud);
    look->splat = CloudMaterial::Splat::Voxels, look->voxel = voxel;
    m.cloud = look;
    return m;
}

}  // namespace

TEST_CASE("matter in cells leaves what Beer and Lambert say", "[volume]") {
    for (const float density : {0.3f, 1.0f, 3.0f}) {
        RenderScene scene;
        scene.addVolume(evenMatter(density, {.albedo = Color(0.0f)}));
        scene.lights.push_back(evenLight(1.0f));
        scene.commit(Progress::none());
        const Film film = render(scene, ahead(50.0f, 1000.0f), 24, 64, 1);
        // 64 pixels of 64 passes: a share of exp(-d) of 4,096 draws, 3 standard errors.
        const float expected = std::exp(-density);
        CHECK(meanOf(film, {8, 8, 8, 8}).x ==
              Approx(expected).margin(3.0f * std::sqrt(expected * (1.0f - expected) / 4096.0f)));
        CHECK(scene.cloudThrough(V3f(0, 0, 5), V3f(0, 1, 0), 10.0f) == V3f(1.0f));
    }
}

TEST_CASE("shadows through matter are right in the mean", "[volume]") {
    RenderScene scene;
    VolumeGrid::Look look;
    look.loss = V3f(1.0f, 0.5f, 0.25f), look.toLight = 2.0f;
    scene.addVolume(evenMatter(1.0f, look));
    scene.commit(Progress::none());
    V3d sum(0.0);
    constexpr int kRays = 20000;
    for (uint64_t i = 0; i < kRays; ++i) {
        const Random4 r = random4(9, i, Stream::User);
        const V3f from(0.6f * (r[0] - 0.5f), 0.6f * (r[1] - 0.5f), 3.0f);
        sum += V3d(scene.cloudThrough(from, V3f(0, 0, -1), 10.0f));
    }
    for (int k = 0; k < 3; ++k)  // each estimate lies between 0 and 1
        CHECK(sum[k] / kRays ==
              Approx(std::exp(-2.0 * double(look.loss[k]))).margin(1.5 / std::sqrt(double(kRays))));
}

TEST_CASE("a white body in even light is not seen", "[volume]") {
    RenderScene scene;
    scene.addVolume(evenMatter(4.0f, {.albedo = Color(1.0f)}));
    scene.lights.push_back(evenLight(1.0f));
    scene.commit(Progress::none());
    // All of the picture lies on it: 16,384 samples that are about 1 off.
    const Film film = render(scene, ahead(50.0f, 2600.0f), 16, 64, 400);
    CHECK(meanOf(film, {0, 0, 16, 16}).x == Approx(1.0f).margin(3.0f / 128.0f));
}

TEST_CASE("one scattering in matter comes by its closed form, as of points", "[volume]") {
    const float density = 2.0f, albedo = 0.5f, irradiance = 3.0f, angle = 0.9999f;
    const SunLight sun{V3f(0, 0, 1), angle, V3f(irradiance / (2.0f * kPi * (1.0f - angle)))};
    const float expected = irradiance * albedo / (8.0f * kPi) * (1.0f - std::exp(-2.0f * density));
    RenderScene cells;
    cells.addVolume(evenMatter(density, {.albedo = Color(albedo)}));
    cells.lights.push_back(sun);
    cells.commit(Progress::none());
    CHECK(meanOf(render(cells, ahead(50.0f, 1000.0f), 24, 64, 0), {8, 8, 8, 8}).x ==
          Approx(expected).epsilon(0.04));
    // The same points, as voxels.
    RenderScene points;
    addCloud(points, latticeIn(kUnit, 48), asVoxels(cloudOf(density, albedo), 1.0f / 16));
    points.lights.push_back(sun);
    finish(points);
    CHECK(points.clouds().empty());
    REQUIRE(points.volumes().size() == 1);
    CHECK(meanOf(render(points, ahead(50.0f, 1000.0f), 24, 64, 0), {8, 8, 8, 8}).x ==
          Approx(expected).epsilon(0.08));  // its volume is known to 2 %, and its rim is a cell wide
}

TEST_CASE("matter in cells is as the matter within a mesh", "[volume]") {
    std::array<float, 2> seen{};
    for (const bool cells : {false, true}) {
        RenderScene scene;
        if (cells) {
            scene.addVolume(evenMatter(2.0f, {.albedo = Color(0.5f)}));
        } else {
            SurfaceMaterial m = plain(0.0f, 0.0f, 0.0f, 0.0f);
            m.transmissionWeight.high = 1.0f, m.ior.high = 1.0f, m.transmissionDepth.high = 1.0f;
            m.transmissionColor.high = Color(std::exp(-2.0f)), m.transmissionScatter.high = Color(1.0f);
            addTo(scene, sharpBox(V3f(1.0f)), m);
        }
        scene.lights.push_back(SunLight{V3f(0.6f, 0.64f, 0.48f), 0.9999f, V3f(10000.0f)});
        scene.commit(Progress::none());
        seen[cells] = meanOf(render(scene, ahead(50.0f, 1000.0f), 24, 64, 60), {8, 8, 8, 8}).x;
    }
    REQUIRE(seen[0] > 0.0f);
    CHECK(seen[1] == Approx(seen[0]).epsilon(0.06));  // noise of both, and the rim of a cell
}

TEST_CASE("cells and points agree more as both grow", "[volume]") {
    std::array<float, 2> apart{};
    for (size_t k = 0; k < 2; ++k) {
        std::array<float, 2> seen{};
        for (const bool voxels : {false, true}) {
            RenderScene scene;
            const SurfaceMaterial m = cloudOf(2.0f, 0.8f);
            addCloud(scene, latticeIn(kUnit, k == 0 ? 10 : 44),
                     voxels ? asVoxels(m, k == 0 ? 0.2f : 0.05f) : m);
            scene.lights.push_back(SunLight{V3f(0.6f, 0.64f, 0.48f), 0.9999f, V3f(10000.0f)});
            finish(scene);
            seen[voxels] = meanOf(render(scene, ahead(50.0f, 1000.0f), 24, 32, 0), {6, 6, 12, 12}).x;
        }
        apart[k] = std::abs(seen[1] / seen[0] - 1.0f);
    }
    CHECK(apart[1] < 0.1f);
    CHECK(apart[1] < apart[0] + 0.02f);
}

TEST_CASE("matter that glows and takes all has its radiance", "[volume]") {
    RenderScene scene;
    scene.addVolume(evenMatter(200.0f, {.albedo = Color(0.0f), .emission = Color(3.0f, 1.0f, 0.5f)}));
    scene.commit(Progress::none());
    const V3f seen = meanOf(render(scene, ahead(50.0f, 1000.0f), 16, 4, 1), {6, 6, 4, 4});
    CHECK(seen.x == Approx(3.0f).epsilon(1e-3));
    CHECK(seen.z == Approx(0.5f).epsilon(1e-3));
}

TEST_CASE("of matter only what there is takes memory, and nowhere is it thicker than said", "[volume]") {
    AttributeSet points = pointsIn({V3f(0), V3f(0.2f)}, 4000);
    for (size_t i = 0; i < 2000; ++i) points.add<V3f>("P")[i] += V3f(10, 0, 0);
    Cloud cloud(points, {}, 1, 2, 0);
    cloud.wear(cloudOf(5.0f), Progress::none());
    const VolumeGrid grid(cloud, 0.02f, 1, SIZE_MAX, Progress::none());
    CHECK(grid.bricks() < 200);  // of 64 x 3 x 3
    double sum = 0.0;
    uint32_t pieces = 0;
    grid.along(V3f(-1, 0.1f, 0.1f), V3f(1, 0, 0), 100.0f, [&](float from, float to, float most) {
        ++pieces;
        REQUIRE(from < to);
        for (int k = 0; k <= 20; ++k) {
            const float d = grid.densityAt(V3f(-1.0f + lerp(from, to, float(k) / 20.0f), 0.1f, 0.1f));
            CHECK(d <= most * 1.00001f);
            sum += double(d);
        }
        return true;
    });
    CHECK(pieces >= 4);
    CHECK(sum > 0.0);
    // As much matter as there is of points.
    double whole = 0.0;
    const Box3f box = grid.bounds();
    for (float z = -0.1f; z < 0.3f; z += 0.01f)
        for (float y = -0.1f; y < 0.3f; y += 0.01f)
            for (const float from : {-0.1f, 9.9f})
                for (float x = from; x < from + 0.4f; x += 0.01f)
                    if (box.intersects(V3f(x, y, z))) whole += double(grid.densityAt(V3f(x, y, z))) * 1e-6;
    CHECK(whole == Approx(double(cloud.area(0)) * 4000.0).epsilon(0.02));
    CHECK_THROWS_AS(VolumeGrid(cloud, 1e-6f, 0, SIZE_MAX, Progress::none()), Error);
    CHECK_THROWS_AS(VolumeGrid(cloud, 0.01f, 0, 1000, Progress::none()), Error);
}

TEST_CASE("pictures of matter have the same bits on any threads", "[volume][threads]") {
    RenderScene scene;
    auto look = std::make_shared<CloudMaterial>();
    look->density.high = 3.0f, look->splat = CloudMaterial::Splat::Voxels, look->voxel = 0.05f;
    look->smoothing = 2, look->tint = V3f(0.3f, 0.9f, 0.5f);
    SurfaceMaterial m = cloudOf(1.0f, 0.7f);
    m.cloud = look;
    AttributeSet points = pointsIn(kUnit, 30000);
    const auto color = points.add<Color>("color");
    for (size_t i = 0; i < color.size(); ++i) color[i] = Color(0.2f + 0.6f * float(i % 7) / 7.0f);
    addCloud(scene, points, m);
    addTo(scene, sharpBox(V3f(0.5f, 0.2f, 0.5f)), plain(0.5f, 0.4f, 0.0f, 0.5f));
    scene.lights.push_back(SunLight{V3f(0.6f, 0.8f, 0), 0.999f, V3f(100.0f)});
    finish(scene);
    const Film whole = render(scene, ahead(20.0f, 300.0f), 32, 2, 5);
    const oneapi::tbb::global_control one(oneapi::tbb::global_control::max_allowed_parallelism, 1);
    CHECK(sameFilms(whole, render(scene, ahead(20.0f, 300.0f), 32, 2, 5)));
}

}  // namespace ovrix::tests
