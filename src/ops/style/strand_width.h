// How thick strands are.
#pragma once
#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

struct StrandWidthOptions {
    Varying root = {0, 0.0004f, {}}, tip = {0, 0.00005f, {}};  ///< metres across
    Curve along;                                               ///< 1 is the root's width, 0 the tip's
    float variation = 0.2f;                                    ///< part by which whole strands differ, 0 to 1
    bool round = false;
    uint64_t seed = 1;
};

/// Sets "width", and whether strands are round. Throws Cancelled.
StrandsPtr strandWidth(const StrandSet& strands, const StrandWidthOptions& options, Progress& progress);

StepType strandWidthStep();

}  // namespace ovrix::ops
