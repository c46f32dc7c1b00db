// Points that come from a file.
#pragma once
#include "ops/step.h"

namespace ovrix::ops {

struct FromFileOptions {
    bool onSurface = false;  ///< moves each to the nearest point of the surface
    uint64_t seed = 1;
    Varying mask = {0, 1, {}};
    double share = 1.0;
};

/// The points as a layer takes them: with a normal each (of the surface, or up), and where on the surface
/// they lie when they are laid on it.
std::shared_ptr<const PointSet> pointsFromFile(const PointSet& points, const Surface* surface,
                                               const FromFileOptions& options, Progress& progress);

StepType fromFileStep();

}  // namespace ovrix::ops
