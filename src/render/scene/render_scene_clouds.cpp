// Clouds and volumes of a scene.
#include "base/error.h"
#include "base/hash.h"
#include "render/scene/render_scene.h"

namespace ovrix::render {

void RenderScene::addCloud(AttributeSet points, Cloud::Motion motion, uint32_t object, uint32_t layer,
                           uint32_t material) {
    clouds_.push_back(std::make_shared<Cloud>(std::move(points), std::move(motion), object, layer, material));
    moving_ = moving_ || clouds_.back()->moves();
}

std::vector<std::pair<uint32_t, std::string>> RenderScene::wearClouds(Progress& progress,
                                                                      size_t memoryLimit) {
    std::vector<std::pair<uint32_t, std::string>> problems;
    cloudGrid_ = nullptr;
    drawnClouds_.clear(), volumes_.clear();
    if (clouds_.empty()) return problems;
    Progress::Task task(progress, "Thickening the clouds");
    for (const auto& cloud : clouds_) {
        cloud->wear(materials_[cloud->material()], progress);
        const CloudMaterial& look = cloud->look();
        if (cloud->size() == 0) continue;
        if (look.splat == CloudMaterial::Splat::Voxels) try {
                volumes_.push_back(
                    std::make_shared<VolumeGrid>(*cloud, look.voxel, look.smoothing, memoryLimit, progress));
                continue;
            } catch (const Error& e) {
                problems.emplace_back(cloud->layer(),
                                      e.remedy().empty() ? e.what() : e.what() + (". " + e.remedy()));
            }
        drawnClouds_.push_back(cloud);
    }
    if (!drawnClouds_.empty()) cloudGrid_ = std::make_shared<const CloudGrid>(drawnClouds_, progress);
    return problems;
}

/// By ratio tracking: Novak, Selle and Jarosz, "Residual Ratio Tracking for Estimating Attenuation in
/// Participating Media", ACM TOG 33(6), 2014, doi:10.1145/2661229.2661292. The numbers that it draws are
/// those of the ray.
V3f RenderScene::cloudThrough(const V3f& origin, const V3f& direction, float distance) const {
    V3f left = pointsThrough(origin, direction, distance);
    constexpr float kDark = 1e-3f;
    for (const VolumePtr& volume : volumes_) {
        Hasher own;
        for (int k = 0; k < 3; ++k) own.add(double(origin[k])).add(double(direction[k]));
        uint64_t state = own.add(double(distance)).value();
        const V3f& loss = volume->look().loss;
        const float toLight = volume->look().toLight, most3 = std::max({loss.x, loss.y, loss.z});
        volume->along(origin, direction, distance, [&](float from, float to, float most) {
            const float majorant = most * toLight * most3;
            for (float t = from;;) {
                state = mixBits(state + 0x9e3779b97f4a7c15ull);
                t -= std::log1p(-float(state >> 40) * 0x1p-24f) / majorant;
                if (!(t < to)) return std::max({left.x, left.y, left.z}) > kDark;
                const float density = volume->densityAt(origin + direction * t) * toLight;
                for (int k = 0; k < 3; ++k) left[k] *= std::max(0.0f, 1.0f - density * loss[k] / majorant);
            }
        });
    }
    return left;
}

}  // namespace ovrix::render
