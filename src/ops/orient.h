// Turns elements: up between the surface's normal and the world's up, then rolled and tilted.
#pragma once
#include "ops/step.h"

namespace ovrix {

struct OrientOptions {
    Driven toUp = {0, 0, {}};         ///< 0 along the normal, 1 along the world's up
    DrivenRange roll = {0, 360, {}};  ///< degrees around the element's own up
    DrivenRange tilt = {0, 0, {}};    ///< degrees away from up, towards a random side
    uint64_t seed = 1;
};

/// The points with "orient" set. Each element's turn depends on seed and its id alone.
std::shared_ptr<const PointSet> orientPoints(const PointSet& points, const OrientOptions& options,
                                             Progress& progress);

/// The shortest turn that takes +Y to the unit vector @p up.
Quatf turnToUp(const V3f& up);

StepType orientStep();

}  // namespace ovrix
