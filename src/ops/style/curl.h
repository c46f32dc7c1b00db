// Strands that wind about their own path, or sway across it.
#pragma once
#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

struct CurlOptions {
    StrandEffect effect;
    Varying radius = {0, 0.005f, {}};  ///< metres off the path
    Varying turns = {0, 3, {}};        ///< from root to tip
    float start = 1.0f;                ///< 0 all begin at the same angle, 1 anywhere
    bool flat = false;                 ///< to and fro in a plane, not round
};

/// Points moved off the path by a helix in frames that turn no more than they must; the root stays where the
/// profile is 0 there. Throws Cancelled.
StrandsPtr curl(const StrandSet& strands, const CurlOptions& options, Progress& progress);

StepType curlStep();
StepType waveStep();

}  // namespace ovrix::ops
