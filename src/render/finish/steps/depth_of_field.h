// Blur by distance, as a lens makes it, from a picture that is sharp everywhere.
#pragma once
#include "render/finish/picture_work.h"

namespace ovrix::render {

struct LensBlur {
    float strength = 0;   ///< widest disc's diameter in pixels: of what is infinitely far
    float focus = 1;      ///< metres along the line of sight that are sharp
    float zone = 0;       ///< metres around that are sharp, too
    float most = 64;      ///< pixels that a disc's radius has at most
    int blades = 0;       ///< of the iris; under 3 it is a circle
    float turn = 0;       ///< radians
    float roundness = 0;  ///< of the blades' edges: 0 straight, 1 a circle
    float threshold = 1;  ///< light above it
    float gain = 0;       ///< gets so many times as much more in discs
    int layers = 32;      ///< at most, by depth
    /// The disc's radius in pixels at a depth, below 0 in front of what is sharp; by the thin lens:
    /// strength / 2 * (1 - focus / depth). @param depth  0 for infinity
    float radiusAt(float depth) const;
};

/// The diameter that what is infinitely far has, in widths of the picture: focal^2 / (f-stop * film * focus).
float lensStrength(const CameraOptions& camera, float fstop, float focus);

/// Each pixel is spread over its disc, layers by depth are laid over each other, and what is hidden is taken
/// to go on as what is seen beside it, so edges in front get soft and no light or dark seams come about. Sums
/// are whole numbers, so that order changes nothing. Takes 40 bytes for each pixel of 64 rows and each
/// thread. Scattering as Potmesil and Chakravarty, "A lens and aperture camera model for synthetic image
/// generation", SIGGRAPH 81, doi:10.1145/800224.806818; rows by their ends alone, as Crow's summed tables.
/// Throws Cancelled.
void blurByDepth(std::vector<V3f>& light, std::vector<float>& alpha, const std::vector<float>& depth,
                 int width, int height, const LensBlur& lens, Progress& progress);

}  // namespace ovrix::render
