// Turns points into copies of prototypes.
#pragma once
#include "ops/step.h"

namespace ovrix {

struct CopiesOptions {
    Shares prototypes;  ///< object ids and their parts; parts of 0 or less are never picked
    uint64_t seed = 1;
    float size = 1.0f;  ///< factor on all
    float lift = 0.0f;  ///< metres along the element's own up; negative sinks it in
};

/// Copies with "P", "orient", "scale", "id", "prototype", and "uv" where the points had it. The pick depends
/// on seed and id alone; changing one share a little changes few picks. Throws Error without a usable share.
std::shared_ptr<const Copies> copiesOf(const PointSet& points, const CopiesOptions& options,
                                       Progress& progress);

StepType copiesOfStep();

}  // namespace ovrix
