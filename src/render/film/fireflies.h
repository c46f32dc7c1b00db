// Fireflies: light that few passes brought to a pixel, and that no pixel beside it knows.
#pragma once
#include "render/film/film.h"

namespace ovrix::render {

/// What each pixel's light is multiplied by so that no dot stands out: rows from the top; empty where the
/// film keeps no bins or nothing is to be done. All of a pixel's light by the same, so that groups of lights
/// and lobes add up to the whole as before.
///
/// A bin of passes counts for as much as light of its brightness was met about it: in the pixel's other bins
/// and in those of the eight pixels beside it (Zirr, Hanika and Dachsbacher, "Re-weighting Firefly Samples
/// for Improved Finite-Sample Monte Carlo Estimates", CGF 37(6), 2018, doi:10.1111/cgf.13335; there the sums
/// are by brightness, here by passes: Buisine, Delepoulle and Renaud, "Firefly Removal in Monte Carlo
/// Rendering with Adaptive Median of meaNs", EGSR 2021, doi:10.2312/sr.20211296). What is taken so goes to
/// what is seen of the same thing about it, in proportion to the light that is there: the more there is, the
/// further. With more passes all bins agree, and nothing is taken. Light that the eye meets straight is let
/// be. The same bits on any number of threads.
std::vector<float> fireflyFactors(const Film& film);
/// No factor is larger: a thing's light grows by a tenth at each of four widths.
inline constexpr float kMostFactor = 1.4f;
/// Memory that finding them takes for each pixel.
inline constexpr double kFireflyBytes = 72;

/// A film's light as it is to be seen: Film::lights(), evened.
/// @param factors  the film's, where they are known; null finds them
std::vector<V3f> lightsOf(const Film& film, int group = kAllLights,
                          const std::vector<float>* factors = nullptr);

/// What is seen first at a pixel: object and layer; 0 for nothing.
inline uint64_t thingAt(const Film& film, size_t pixel) {
    return uint64_t(film.number(Pass::Object, pixel)) << 32 | film.number(Pass::Layer, pixel);
}

/// Of the light that came to the picture the part that the firefly limit took, 0 to 1: it is in none of the
/// film's other planes.
double cutShare(const Film& film);

}  // namespace ovrix::render
