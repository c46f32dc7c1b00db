// The brushes that comb.
#pragma once
#include <unordered_set>

#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

struct CombBrush {
    enum Mode {
        Comb,        ///< points go with the brush
        Lengthen,    ///< strands grow
        Cut,         ///< strands end where the brush passes
        Straighten,  ///< each towards the line from its root to its tip
        Smooth,      ///< towards what all under the brush do
        Raise,       ///< off the surface
        Bend,        ///< tips towards the middle of the brush
        Gather,      ///< together, into a clump
        Plant,       ///< new strands, like those around them
        Remove,      ///< takes strands out
        Copy         ///< towards the shape of the strand that the stroke began on
    };
    Mode mode = Comb;
    float radius = 0.1f;                                  ///< metres, at the place of the dab
    float strength = 0.5f;                                ///< 0 to 1
    Curve falloff{{{0, 1}, {0.5f, 0.6f}, {1, 0}}, true};  ///< from the middle to the rim
    bool visibleOnly =
        true;             ///< spares strands whose roots the skin hides from the eye; else all along the view
    bool mirror = false;  ///< the same on the other side of the surface's own X
};

/// One touch of a brush: a circle around the line from the eye through a place.
struct CombDab {
    V3f eye, at;
    V3f move{0, 0, 0};  ///< metres since the dab before
    float pressure = 1.0f;
};

/// A stroke at work: strands with what their roots lie on. Not thread safe; apply() works on all threads.
class CombStroke {
  public:
    /// @param strands  what the comb step made so far  @param edits  what made it so
    /// @param skin     that roots lie on and no point may go below; null for none
    /// @param toObject from the world to the surface's own space, for mirroring
    /// @param only     ids to change; empty for all
    CombStroke(const StrandsPtr& strands, const StrandEdits& edits, SurfacePtr skin, const M44f& toObject,
               std::unordered_set<uint64_t> only);

    /// Changes the strands under the brush: roots stay on the surface, segments keep their lengths but where
    /// the brush is for lengths, and no point of a strand that was touched is left below the skin.
    void apply(const CombBrush& brush, const CombDab& dab);

    /// Ids of the strands whose roots lie under the brush, whatever its mode and strength.
    std::vector<uint64_t> idsUnder(CombBrush brush, const CombDab& dab) const;

    /// How they are now. Planted ones are at the end; removed ones have gone.
    StrandsPtr strands() const;
    /// Edits of all that was touched.
    std::vector<StrandEdit> edits() const;
    size_t touchedCount() const { return touched_.size(); }

  private:
    struct Reach;
    void touchAll(const CombBrush& brush, const CombDab& dab);
    std::vector<Reach> under(const CombBrush& brush, const CombDab& dab) const;
    void change(const CombBrush& brush, const CombDab& dab, std::vector<Reach>& under);
    void aim(const CombBrush& brush, const CombDab& dab, const Reach& reach, std::span<const V3f> mean,
             std::span<V3f> points) const;
    void settle(size_t s, std::span<V3f> points, float factor);
    void cut(size_t s, const Reach& reach);
    void plant(const CombBrush& brush, const CombDab& dab);
    V3f abovePoint(const V3f& from, V3f direction, float length, float reach) const;
    void touch(size_t s);

    std::shared_ptr<StrandSet> set_;
    std::span<V3f> p_;
    SurfacePtr skin_;
    M44f toObject_, toWorld_;
    std::unordered_set<uint64_t> only_;
    std::vector<float> segment_;  // lengths as the recipe gives them, at the index of each segment's end
    std::vector<float> factor_;   // on those, of each strand
    std::vector<uint8_t> isTouched_, removed_, planted_, clear_;
    std::vector<uint32_t> touched_;
    std::vector<V3f> copied_;  // directions of the strand that the stroke began on
    V3f likeNormal_{0, 1, 0};  // of the root that those directions, or a mean, belong to
    uint64_t nextId_ = 0;
};

}  // namespace ovrix::ops
