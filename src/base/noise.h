// Gradient noise and its sums over octaves.
#pragma once
#include <cstdint>
#include <span>

#include "base/vec.h"

namespace ovrix::base {

/// Gradient noise at @p p, about -1 to 1, zero at whole coordinates, twice differentiable.
/// Perlin, "Improving Noise", SIGGRAPH 2002, doi:10.1145/566654.566636; the gradient of a lattice point is a
/// hash of its coordinates and the seed, so there is no table and no period. Thread safe.
float gradientNoise(const V3f& p, uint32_t seed);

/// Distances from @p p to the nearest and the second nearest of feature points, one in each unit cell.
/// Worley, "A Cellular Texture Basis Function", SIGGRAPH 1996, doi:10.1145/237170.237267. Thread safe.
struct Cells {
    float first = 0, second = 0;
    uint32_t nearest = 0;  ///< a random number of the nearest point
};
Cells cellularNoise(const V3f& p, uint32_t seed);

enum class NoiseKind {
    Soft,    ///< gradient noise
    Ridged,  ///< 1 - 2 |gradient noise|: sharp crests
    Cells,   ///< 1 - 2 first: bumps around scattered points
    Cracks   ///< 1 - 2 (second - first): high along the borders between cells
};

struct FractalOptions {
    int octaves = 4;          ///< 1 to 12
    float gain = 0.5f;        ///< amplitude of an octave by the one before
    float lacunarity = 2.0f;  ///< frequency of an octave by the one before
    NoiseKind kind = NoiseKind::Soft;
    int counted = 0;  ///< octaves that would be summed, where some are left out as too fine; else 0
};

/// Sum of octaves, normalised by the sum of amplitudes: about -1 to 1.
float fractalNoise(const V3f& p, uint32_t seed, const FractalOptions& options);
/// The same of many places, four at a time; the same bits as one by one. @p out is as long as @p p.
void fractalNoise(std::span<const V3f> p, uint32_t seed, const FractalOptions& options, std::span<float> out);

}  // namespace ovrix::base
