// Strands turned about the middle of their clump, like the strands of a rope.
#pragma once
#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

struct TwistOptions {
    StrandEffect effect;
    Varying turns = {0, 2, {}};  ///< from root to tip
};

/// Strands of one clump turn about the line through the means of their points; strands without a clump about
/// the straight line from their root along their mean direction. Throws Cancelled.
StrandsPtr twist(const StrandSet& strands, const TwistOptions& options, Progress& progress);

StepType twistStep();

}  // namespace ovrix::ops
