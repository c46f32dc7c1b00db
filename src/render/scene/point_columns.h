// Several points of one material as its fields see them.
#pragma once
#include "render/scene/render_scene.h"

namespace ovrix::render {

/// Columns in place of points: what samplesAt() says of one. For one thread.
class PointColumns {
  public:
    /// @param points  at least one; kindOf() is the same of all
    explicit PointColumns(std::span<const SurfacePoint* const> points);
    const Samples& samples() const { return samples_; }
    /// Points have the same columns where this is the same.
    static uint32_t kindOf(const SurfacePoint& point);
    /// Whether a material's fields can be asked at such points together: not where they read what elements
    /// carry.
    static bool possible(const SurfaceMaterial& material, const SurfacePoint& point) {
        return material.varies && !(material.readsElements && point.elements);
    }

  private:
    std::vector<V3f> position_, normal_, eye_;
    std::vector<V2f> uv_, bary_;
    std::vector<uint64_t> id_;
    std::vector<float> backside_, along_, arriving_, width_, uvWidth_;
    std::vector<int32_t> face_, triangle_;
    std::vector<M44f> toObject_;
    Samples samples_;
};

}  // namespace ovrix::render
