// Lines along the edges that a ray passes by.
#pragma once
#include <optional>

#include "render/scene/camera.h"
#include "render/scene/render_scene.h"
#include "render/trace/sampler.h"

namespace ovrix::render {

/// Finds contours by a stencil of rays about the one that is traced, on two circles of the widest line's
/// radius and half of it: Choudhury and Parker, "Ray Tracing NPR-Style Feature Lines", NPAR 2009,
/// doi:10.1145/1572614.1572616. The same about rays that mirrors and clear matter send on, as wide as they
/// are in the picture (West, "Physically-based Feature Line Rendering", SIGGRAPH Asia 2021,
/// doi:10.1145/3478513.3480550). Eight rays on the outer circle find every straight edge nearer than 0.92 of
/// the width. Const and thread safe; refers to the scene.
class ContourFinder {
  public:
    /// @param height  of the picture, pixels
    ContourFinder(const RenderScene& scene, const Camera& camera, int height);
    /// Whether anything has contours.
    bool any() const { return any_; }

    struct Line {
        SurfacePoint owner;  ///< where what draws it was met
        float distance;      ///< of that along the ray
    };
    /// @param hit  what the ray meets, or nothing
    /// @param before  metres that the path came until the ray's origin: 0 for the camera's own
    std::optional<Line> find(const Ray& ray, const RayHit& hit, float before, Sampler& sampler) const;

  private:
    struct Met;
    struct Stencil;
    std::optional<Line> lineTowards(const Stencil& stencil, const Met& main, const V2f& way) const;
    Met metBy(const Ray& ray, const RayHit& hit) const;
    const Met* ownerOf(const Met& main, const Met& other, float slack) const;
    bool differ(const Met& a, const Met& b, const Contours& by) const;
    float radiusOf(const Contours& c, float width, float distance) const;
    float widestAt(float distance) const;

    const RenderScene& scene_;
    V3f right_, up_, forward_;  ///< of the camera
    float pixel_, usual_;       ///< radians of a pixel; metres that what is looked at is away
    int height_;
    bool any_ = false;
    float widest_ = 0.0f, widestMetres_ = 0.0f;  ///< radii: radians, and metres of those by metres
};

}  // namespace ovrix::render
