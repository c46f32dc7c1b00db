// Lengths of strands: varied, or cut.
#pragma once
#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

struct StrandLengthOptions {
    Varying strength = {0, 1, {}};
    VaryingRange factor = {0.7f, 1.0f, {}};  ///< on each strand's length
    bool cut = false;       ///< takes the tip off where the factor is below 1; else the whole shape is scaled
    float shortest = 0.0f;  ///< metres: shorter strands are taken out
    float longest = 0.0f;   ///< metres: longer ones are cut to it; 0 for no limit
    uint64_t seed = 1;
};

/// Every strand keeps its number of points. Throws Cancelled.
StrandsPtr strandLength(const StrandSet& strands, const StrandLengthOptions& options, Progress& progress);

StepType strandLengthStep();

}  // namespace ovrix::ops
