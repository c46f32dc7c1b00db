// The main colours of a picture.
#pragma once
#include <vector>

#include "base/image.h"
#include "base/progress.h"
#include "params/ramp.h"

namespace ovrix::params {

struct PaletteColor {
    Color color;         ///< linear light
    float share = 0.0f;  ///< of the picture
    bool operator==(const PaletteColor&) const = default;
};
using Palette = std::vector<PaletteColor>;

/// Groups of pixels that look alike, the largest first: k-means in Oklab, begun by far points (Arthur and
/// Vassilvitskii, "k-means++", SODA 2007), over at most 40,000 pixels by their alpha. Always the same for the
/// same picture. Fewer than asked where there are fewer; none where nothing is to be seen. Throws Cancelled.
/// @param count  1 to 32
Palette paletteOf(const Image& image, int count, Progress& progress = Progress::none());

/// As a ramp that gives each colour by its share to what is even from 0 to 1. @param low, high  get its ends
Ramp stepsOf(const Palette& palette, Color& low, Color& high);

}  // namespace ovrix::params
