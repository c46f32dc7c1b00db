// Gradient noise and its sums over octaves.
#pragma once
#include "base/vec.h"

namespace ovrix {

/// Gradient noise at @p p, about -1 to 1, zero at whole coordinates, twice differentiable.
/// Perlin, "Improving Noise", SIGGRAPH 2002, doi:10.1145/566654.566636; the gradient of a lattice point is a
/// hash of its coordinates and the seed, so there is no table and no period. Thread safe.
float gradientNoise(const V3f& p, uint32_t seed);

struct FractalOptions {
    int octaves = 4;          ///< 1 to 12
    float gain = 0.5f;        ///< amplitude of an octave by the one before
    float lacunarity = 2.0f;  ///< frequency of an octave by the one before
    bool ridged = false;      ///< 1 - |noise| per octave: sharp crests
};

/// Sum of octaves, normalised by the sum of amplitudes: about -1 to 1.
float fractalNoise(const V3f& p, uint32_t seed, const FractalOptions& options);

}  // namespace ovrix
