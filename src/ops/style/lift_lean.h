// Strands raised off the surface or laid down, and leant over as by wind.
#pragma once
#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

struct LiftLeanOptions {
    StrandEffect effect;
    Varying lift = {0, 0, {}};   ///< radians towards the root's normal; below 0 away from it
    Varying lean = {0, 0, {}};   ///< radians towards the direction
    V3f toward{1, 0, 0};         ///< world
    Varying gusts = {0, 0, {}};  ///< radians of irregular leaning on top, one for all in a patch
    float patch = 0.2f;          ///< metres: width of such a patch
    V3f drift{0, 0, 0};          ///< metres by which the patches are moved
};

/// Each segment is turned by the angles times the profile there, no further than the direction itself, and
/// keeps its length. Throws Cancelled.
StrandsPtr liftLean(const StrandSet& strands, const LiftLeanOptions& options, Progress& progress);

StepType liftLeanStep();

}  // namespace ovrix::ops
