// Springs and coils: strands that wind about their path from end to end.
#pragma once
#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

struct CoilOptions {
    StrandEffect effect;
    Varying radius = {0, 0.01f, {}};  ///< metres
    Varying turns = {0, 8, {}};
    int perTurn = 16;          ///< points of one turn, 4 to 256
    float thickness = 0.001f;  ///< metres across, everywhere; 0 keeps the width
    size_t memoryLimit = SIZE_MAX;
};

/// Strands with points enough for the most turns that any has. Unlike curls they wind from the root on, with
/// one radius. Throws Error when memory would pass the limit; Cancelled.
StrandsPtr coil(const StrandSet& strands, const CoilOptions& options, Progress& progress);

StepType coilStep();

}  // namespace ovrix::ops
