// Strands as meshes, and copies as strands.
#pragma once
#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

/// Strands swept to one mesh of tubes.
StepType sweepStep();

/// The strands of all copies, each with an id of its own, placed as the copy is. @p prototypes go with the
/// copies' prototypes; null ones give nothing. "clump" gets a number of the copy. Throws Error when memory
/// would pass the limit; Cancelled.
StrandsPtr strandsOfCopies(const Copies& copies, const std::vector<StrandsPtr>& prototypes,
                           size_t memoryLimit, Progress& progress);
StepType uniqueStep();

}  // namespace ovrix::ops
