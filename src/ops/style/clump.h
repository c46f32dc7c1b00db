// Strands drawn together into clumps.
#pragma once
#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

struct ClumpOptions {
    size_t count = 500;   ///< clumps of the finest level
    StrandEffect effect;  ///< strength 1 where the profile is 1 ends in the clump's centre
    float stray = 0.0f;   ///< share of strands that join no clump
    int levels = 1;       ///< clumps of clumps: each level has fewer, 1 to 4
    float gather = 4.0f;  ///< clumps of one level that make one of the next
    float loosen = 0.5f;  ///< strength of a level by the one before
};

/// Each strand moves towards the strand that is its clump's centre: those whose random numbers are lowest, so
/// that a higher count keeps the centres that are there. "clump" gets the centre's number. Throws Cancelled.
StrandsPtr clump(const StrandSet& strands, const ClumpOptions& options, Progress& progress);

StepType clumpStep();

}  // namespace ovrix::ops
