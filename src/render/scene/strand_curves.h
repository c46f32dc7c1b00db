// Strands as the ray tracer's curves.
#pragma once
#include "geo/strands/strands.h"

struct RTCSceneTy;
struct RTCFilterFunctionNArguments;

namespace ovrix::render {

/// How much of strands a picture can show. Under a width they are not drawn: thinner ones are drawn as wide
/// and let rays through instead. Points that a straight piece leaves out by less than a detail are left out.
struct ThinLimit {
    V3f eye{0, 0, 0};
    float perMetre = 0.0f;  ///< metres of width for each metre from the eye; 0 for no limit
    float detail = 0.0f;    ///< metres off a strand for each metre from the eye; 0 for every point
    bool operator==(const ThinLimit&) const = default;
    float widthAt(const V3f& p) const { return perMetre * (p - eye).length(); }
    float detailAt(const V3f& p) const { return detail * (p - eye).length(); }
};

/// Linear curves, one piece a segment, or for several that are nearly straight: flat ribbons that face each
/// ray, or round. Immutable, thread safe. Strands drawn wider than they are let the part of the rays through
/// that would have missed them: the ray tracer asks at each meeting, so that both nearest and shadow rays see
/// it. Beside the ray tracer's own buffers it keeps nothing but the strands, which others have too.
class StrandCurves {
  public:
    /// @param moves  see RenderScene::addStrands()
    StrandCurves(StrandsPtr strands, const ThinLimit& limit, std::vector<StrandsPtr> moves = {});
    ~StrandCurves();
    StrandCurves(const StrandCurves&) = delete;
    StrandCurves& operator=(const StrandCurves&) = delete;

    RTCSceneTy* scene() const { return scene_; }
    const StrandSet& strands() const { return *strands_; }

    struct Place {
        V3f center, tangent;  ///< of the middle line, in the curves' own space; the tangent is unit
        float radius = 0;     ///< metres, as drawn
        Color color{0.0f};
        bool colored = false;
        V2f uv{0, 0};  ///< of the root
        uint64_t id = 0;
        uint32_t strand = 0;
        float along = 0;  ///< 0 at the root, 1 at the tip
    };
    /// @param u  along the piece, as the ray tracer gives it
    Place placeAt(uint32_t piece, float u, float time = 0.0f) const;
    /// Of all strands.
    size_t pieces() const { return vertices() - strands_->size(); }

  private:
    static void letThrough(const RTCFilterFunctionNArguments* meeting);
    void leaveOutStraight();
    bool straight(size_t from, size_t to) const;
    bool fill(const std::vector<V4f*>& vertex, uint32_t* index, uint8_t* flags) const;
    float coverageAt(uint32_t piece, float u) const;
    void noteCoverage();
    uint32_t strandOf(uint32_t piece) const;
    size_t vertices() const { return point_.empty() ? p_.size() : point_.size(); }
    size_t pointOf(size_t vertex) const { return point_.empty() ? vertex : point_[vertex]; }
    uint32_t startOf(size_t strand) const {
        return point_.empty() ? strands_->start[strand] : start_[strand];
    }
    float widthAt(size_t point) const { return width_.empty() ? 0.001f : width_[point]; }

    V3f pointAt(size_t i, float time) const;

    StrandsPtr strands_;
    std::vector<StrandsPtr> moves_;
    std::vector<std::span<const V3f>>
        steps_;  // places of the points while the shutter is open; empty for still
    std::span<const V3f> p_;
    std::span<const float> width_;
    std::span<const Color> color_;
    std::span<const V2f> uv_;
    std::span<const uint64_t> id_;
    ThinLimit limit_;
    std::vector<uint32_t> point_,
        start_;                        // of each vertex, and each strand's first; empty where all points are
    const uint32_t* first_ = nullptr;  // vertex that each piece begins with, in the ray tracer's buffer
    static constexpr float kWhole = 65535.0f;
    std::vector<std::array<uint16_t, 2>>
        coverage_;  // of each piece's ends; empty where all are as wide as drawn
    RTCSceneTy* scene_ = nullptr;
};

}  // namespace ovrix::render
