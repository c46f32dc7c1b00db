// The points of strands: their number, and how smoothly they go.
#pragma once
#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

/// Each point moves towards the middle of its neighbours, @p rounds times; roots and tips stay. Throws
/// Cancelled.
StrandsPtr smoothStrands(const StrandSet& strands, const StrandEffect& effect, int rounds,
                         Progress& progress);

StepType smoothStrandsStep();
StepType resampleStep();

}  // namespace ovrix::ops
