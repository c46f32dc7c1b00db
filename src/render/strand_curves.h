// Strands as the ray tracer's curves.
#pragma once
#include "geo/strands.h"

struct RTCSceneTy;

namespace ovrix {

/// The width under which strands are not drawn: thinner ones are drawn as wide and let rays through instead.
struct ThinLimit {
    V3f eye{0, 0, 0};
    float perMetre = 0.0f;  ///< metres of width for each metre from the eye; 0 for no limit
    bool operator==(const ThinLimit&) const = default;
    float widthAt(const V3f& p) const { return perMetre * (p - eye).length(); }
};

/// Linear curves, one piece a segment: flat ribbons that face each ray, or round. Immutable, thread safe.
/// Beside the ray tracer's own buffers it keeps nothing but the strands, which others have too.
class StrandCurves {
  public:
    StrandCurves(StrandsPtr strands, const ThinLimit& limit);
    ~StrandCurves();
    StrandCurves(const StrandCurves&) = delete;
    StrandCurves& operator=(const StrandCurves&) = delete;

    RTCSceneTy* scene() const { return scene_; }
    const StrandSet& strands() const { return *strands_; }

    struct Place {
        uint32_t strand = 0;
        float along = 0;      ///< 0 root to 1 tip, by the number of points
        V3f center, tangent;  ///< of the middle line, in the curves' own space; the tangent is unit
        float radius = 0;     ///< metres, as drawn
        float coverage = 1;   ///< part of the drawn width that the strand really has
        Color color{0.0f};
        bool colored = false;
        V2f uv{0, 0};  ///< of the root
        uint64_t id = 0;
    };
    /// @param u  along the segment, as the ray tracer gives it
    Place placeAt(uint32_t segment, float u) const;
    /// placeAt().coverage alone.
    float coverageAt(uint32_t segment, float u) const;
    bool thinned() const { return thinned_; }

  private:
    uint32_t strandOf(uint32_t segment) const;
    float widthAt(size_t point) const { return width_.empty() ? 0.001f : width_[point]; }

    StrandsPtr strands_;
    std::span<const V3f> p_;
    std::span<const float> width_;
    std::span<const Color> color_;
    std::span<const V2f> uv_;
    std::span<const uint64_t> id_;
    ThinLimit limit_;
    bool thinned_ = false;  // some strand is drawn wider than it is
    RTCSceneTy* scene_ = nullptr;
};

}  // namespace ovrix
