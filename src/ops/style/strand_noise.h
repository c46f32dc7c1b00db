// Points of strands moved by noise in space: neighbours move together.
#pragma once
#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

struct StrandNoiseOptions {
    StrandEffect effect;
    Varying amplitude = {0, 0.01f, {}};  ///< metres
    float size = 0.05f;                  ///< metres: width of a bend
    int octaves = 2;
    V3f drift{0, 0, 0};  ///< metres by which the noise is moved
};

/// Adds a vector of three independent noises, asked at each point's place. Throws Cancelled.
StrandsPtr strandNoise(const StrandSet& strands, const StrandNoiseOptions& options, Progress& progress);

StepType strandNoiseStep();

}  // namespace ovrix::ops
