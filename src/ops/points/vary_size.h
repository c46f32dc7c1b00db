// Gives each element a size of its own.
#pragma once
#include "ops/step.h"

namespace ovrix::ops {

struct VarySizeOptions {
    VaryingRange between = {0.6f, 1.4f, {}};  ///< factor on the prototype's own size
    float small = 0.0f;   ///< 0 all sizes alike often, 1 mostly small ones with a few large
    bool byAxis = false;  ///< whether the element is stretched along its own axes too
    VaryingRange axis[3] = {{1, 1, {}}, {1, 1, {}}, {1, 1, {}}};  ///< factors along X, Y (up), Z
    uint64_t seed = 1;
};

/// The points with "scale", and by axis "stretch", multiplied by factors from the ranges. Depends on seed and
/// id alone.
std::shared_ptr<const PointSet> varySize(const PointSet& points, const VarySizeOptions& options,
                                         Progress& progress);

StepType varySizeStep();

}  // namespace ovrix::ops
