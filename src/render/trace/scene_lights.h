// All that gives light in a scene: its lamps, and what shines by its material.
#pragma once
#include "render/light/lamp_boxes.h"
#include "render/light/light_tree.h"
#include "render/scene/render_scene.h"

namespace ovrix::render {

/// Lamps come first, by their places in the scene; then each instance of a mesh that wears what glows.
/// Strands that glow are found by rays alone, and so is clear matter that does: other matter may lie over it.
/// 16 bytes for each face of a mesh that glows, about 170 for each instance. Const and thread safe; refers to
/// the scene, which stays as it is.
class SceneLights {
  public:
    /// @param scene  committed. Throws Cancelled.
    explicit SceneLights(const RenderScene& scene, Progress& progress = Progress::none());

    size_t count() const { return scene_.lights.size() + emitters_.size(); }
    /// Whether they are so few that each is aimed at from what the camera sees.
    bool few() const { return count() <= 4; }
    const LightTree& tree() const { return tree_; }
    /// Lamps that have a place, on the way of rays.
    const LampBoxes& boxes() const { return boxes_; }
    /// Null for what shines by its material.
    const Light* lamp(uint32_t light) const {
        return light < scene_.lights.size() ? &scene_.lights[light] : nullptr;
    }
    /// @param u, v, pick  even from 0 to 1
    LightSample sample(uint32_t light, const V3f& from, float u, float v, float pick, float time) const;

    /// What is met on something that shines by its material: its number, and the density that sample() would
    /// have had for it, per steradian; 0 where it is not aimed at.
    struct Met {
        uint32_t light = 0;
        float pdf = 0.0f;
    };
    Met met(const RayHit& hit, const Ray& ray) const;

  private:
    /// Triangles of a mesh whose material glows, by their areas in its own space.
    struct Faces {
        std::vector<uint32_t> triangles;
        std::vector<double> sums;
        V3f mean{0.0f};  ///< of radiance, by area
    };
    struct Emitter {
        uint32_t instance;
        std::shared_ptr<const Faces> faces;
    };
    std::shared_ptr<const Faces> facesOf(uint32_t instance, Progress& progress) const;
    LightBounds boundsOf(const Emitter& emitter) const;
    LightSample sampleFaces(const Emitter& emitter, const V3f& from, float u, float v, float pick,
                            float time) const;

    const RenderScene& scene_;
    std::vector<Emitter> emitters_;
    std::vector<uint32_t> emitterOf_;  // by instance; empty where none glows
    LightTree tree_;
    LampBoxes boxes_;
};

}  // namespace ovrix::render
