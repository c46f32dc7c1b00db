// A few strands that leave the others.
#pragma once
#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

struct FlyawayOptions {
    StrandEffect effect;
    float fraction = 0.04f;                  ///< of the strands, 0 to 1
    Varying away = {0, radians(35.0f), {}};  ///< radians that a tip is turned off its path
    float wander = 0.5f;                     ///< sideways wandering, in parts of the strand's length
};

/// Strands picked by their ids bend off to a side of their own and wander. Segments keep their lengths.
/// Throws Cancelled.
StrandsPtr flyaways(const StrandSet& strands, const FlyawayOptions& options, Progress& progress);

StepType flyawaysStep();

}  // namespace ovrix::ops
