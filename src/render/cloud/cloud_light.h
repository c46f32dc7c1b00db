// What of each light comes to each point of the scene's clouds.
#pragma once
#include "render/cloud/cloud_points.h"
#include "render/cloud/light_view.h"
#include "render/scene/render_scene.h"

namespace ovrix::render {

/// Light goes from point to point in order of distance to where it comes from, and each takes its part; what
/// of things stands between ends it, or shades it where it is strands. A lamp's light comes from one place of
/// it in each pass, of a sky from a few directions: passes make it soft. 2 bytes a point and beam. Const and
/// thread safe; refers to points and scene.
class CloudLight {
  public:
    /// From one place of a light, or one direction.
    struct Beam {
        const Light* light;
        float u, v;                    ///< which of its places
        float part;                    ///< of the light's
        std::vector<uint16_t> depths;  ///< of each point; empty where nothing shades
        uint32_t group() const { return light->group; }
    };
    CloudLight(const RenderScene& scene, const CloudPoints& points, uint32_t pass, uint32_t seed,
               Progress& progress);

    const std::vector<Beam>& beams() const { return beams_; }
    /// How deep a point lies in what light meets on its way; infinite where nothing comes.
    static float depthOf(const Beam& beam, size_t point) {
        return beam.depths.empty() ? 0.0f : unpacked(beam.depths[point]);
    }
    size_t bytes() const;

    /// The upper half of a float: 8 bits of precision. Of numbers from 0 on.
    static uint16_t packed(float x) {
        const uint32_t bits = std::bit_cast<uint32_t>(x);
        return bits >= 0x7f800000u ? uint16_t(0x7f80u) : uint16_t((bits + 0x8000u) >> 16);
    }
    static float unpacked(uint16_t x) { return std::bit_cast<float>(uint32_t(x) << 16); }

  private:
    struct Shaded;
    void shade(Beam& beam, const LightView& view, const RenderScene& scene, const CloudPoints& points,
               Progress& progress) const;
    std::vector<Beam> beams_;
};

}  // namespace ovrix::render
