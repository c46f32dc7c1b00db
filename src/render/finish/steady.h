// Pictures of frames that follow one another, made steady: what noise is left no longer flickers.
#pragma once
#include "render/film/fireflies.h"

namespace ovrix::render {

/// A frame without its noise, and what tells whether two places of two frames are the same one.
struct SteadyFrame {
    int width = 0, height = 0;
    std::vector<V3f> light;       ///< rows from the top
    std::vector<V2f> moved;       ///< pixels that what is seen came right and down since the frame before
    std::vector<uint64_t> thing;  ///< that is seen: object and layer; 0 for nothing
    std::vector<float> depth;     ///< metres
    std::vector<V3f> albedo;
};

/// @param film   with its pass of motion  @param clean  its light without noise
/// @param open   the fraction of a frame that its motion is over, above 0
SteadyFrame steadyFrameOf(const Film& film, std::vector<V3f> clean, float open);

/// Bytes of a frame that is kept, for each pixel.
inline constexpr double kSteadyBytes = 2 * sizeof(V3f) + sizeof(V2f) + sizeof(uint64_t) + sizeof(float);

/// How many frames before it a frame takes light from.
inline constexpr int kSteadyFrames = 3;

/// The light of the last frame, each pixel the mean of what the frames show of its place: looked up along its
/// motion, left out where another thing, colour or distance is there, and the less the more the light about
/// it is another (as in Schied et al., "Spatiotemporal Variance-Guided Filtering", HPG 2017,
/// doi:10.1145/3105762.3105770, without what was blended before: so a frame does not depend on where a
/// sequence was begun). What came into sight has its own light alone. The same bits on any threads.
/// @param before  the frame before it first, and so on; of its size
/// @param still   the camera stands: what lies behind all things is looked up, too
std::vector<V3f> steadied(const SteadyFrame& frame, std::span<const SteadyFrame* const> before, bool still);

}  // namespace ovrix::render
