// Turbulence: a flow without sources or sinks.
#pragma once
#include "base/vec.h"

namespace ovrix::sim {

struct CurlNoiseOptions {
    float scale = 1.0f;  ///< metres across the largest whirls, above 0
    int octaves = 3;     ///< 1 to 8
    float gain = 0.5f;   ///< speed of an octave by the one before, times 2: 1 is alike in all
    double phase = 0.0;  ///< how far the whirls have changed: a whole turn of their gradients each
    uint32_t seed = 1;
};

/// The curl of three noises, so its divergence is zero but for rounding; about 1 in size, as root of the mean
/// square. Bridson, Houriham, Nordenstam, "Curl-Noise for Procedural Fluid Flow", ACM TOG 26(3), 2007,
/// doi:10.1145/1276377.1276435. Over time the gradients of the noise turn, as in Perlin and Neyret, "Flow
/// Noise", SIGGRAPH Technical Sketches 2001: the whirls change where they are. Thread safe.
V3f curlNoise(const V3f& p, const CurlNoiseOptions& options);
/// The same for many places.
void curlNoise(const V3f* p, size_t count, const CurlNoiseOptions& options, V3f* out);

}  // namespace ovrix::sim
