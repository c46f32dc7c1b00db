// Where in a pixel's neighbourhood its samples lie.
#pragma once
#include <array>
#include <cmath>

#include "base/vec.h"

namespace ovrix::render {

/// Samples are drawn as often as the filter counts them, so that each counts alike: Ernst, Stamminger and
/// Greiner, "Filter Importance Sampling", IEEE Symposium on Interactive Ray Tracing 2006,
/// doi:10.1109/RT.2006.280223. Const and thread safe.
class PixelFilter {
  public:
    /// Box: sharp and jagged. Tent: soft. Blackman-Harris: smooth, and sharp for its width (Harris, "On the
    /// Use of Windows for Harmonic Analysis with the Discrete Fourier Transform", Proc. IEEE 66(1), 1978).
    enum class Kind { Box, Tent, BlackmanHarris };
    /// @param width  pixels over which it reaches, at least 0
    explicit PixelFilter(Kind kind = Kind::BlackmanHarris, float width = 3.0f);
    /// How far from the pixel's middle, in pixels, along one axis. @param u  even from 0 to 1
    float offset(float u) const {
        const float at = u * (kSize - 1);
        const auto i = std::min(size_t(at), kSize - 2);
        return lerp(offsets_[i], offsets_[i + 1], at - float(i));
    }

  private:
    static constexpr size_t kSize = 257;
    std::array<float, kSize> offsets_;  // the inverse of its cumulated sum
};

}  // namespace ovrix::render
