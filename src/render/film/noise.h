// The noise that is left in a film, and which of its pixels go on until it is low.
#pragma once
#include "render/film/film.h"

namespace ovrix::render {

/// About how far a pixel's light is off, and in which way: by how far that of each second pass lies off the
/// others'. Its square is the variance of the pixel's mean. One pixel's alone says little; 0 where there is
/// only one of both.
V3f errorOf(const Film& film, size_t pixel);

/// How far off it is as it is seen: a difference of @p error at light of @p luminance, in the picture's
/// white, on a screen from 0 to 1 (about a square root; what is beyond white is seen by its ratio).
float errorSeen(float luminance, float error);

/// Of each pixel the mean of the square about it, of what of it lies in the picture; of finite values.
/// @param reach  pixels to each side
std::vector<float> boxMean(std::span<const float> values, int width, int height, int reach);

/// When a picture is clean enough.
struct NoiseGoal {
    float noise = 0.0f;     ///< as errorSeen() has it; 0 for none: all pixels go on to the last pass
    uint32_t least = 16;    ///< passes that each pixel has
    float exposure = 1.0f;  ///< what the film's light is multiplied by to be seen
};

/// Blocks of pixels of which each goes on until its own noise is low: Dammertz, Hanika, Keller and Lensch, "A
/// Hierarchical Automatic Stopping Condition for Monte Carlo Global Illumination", WSCG 2010, with blocks of
/// one size that lie on the picture's own grid, so that neither threads nor regions change which go on. Noise
/// is looked at after passes that are a power of two, and half way between. Const is thread safe.
class SampleBlocks {
  public:
    static constexpr int kSide = 16;
    /// @param passes  that the film has: blocks that rested before rest on
    SampleBlocks(const Film& film, const NoiseGoal& goal, uint32_t passes = 0);
    /// After the film has so many passes.
    void update(const Film& film, uint32_t passes);
    bool active(int x, int y) const { return active_[size_t(y / kSide) * columns_ + size_t(x / kSide)]; }
    /// Whether any of the region goes on.
    bool left(const Rect& region) const;
    /// Whether noise is looked at after so many.
    static bool looksAfter(uint32_t passes, uint32_t least);

  private:
    float noiseOf(const Film& film, size_t block, uint32_t passes) const;
    NoiseGoal goal_;
    size_t columns_;
    std::vector<char> active_;
};

}  // namespace ovrix::render
