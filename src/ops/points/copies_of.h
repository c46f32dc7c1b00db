// Turns points into copies of prototypes.
#pragma once
#include "ops/step.h"

namespace ovrix::ops {

struct CopiesOptions {
    PrototypeMix prototypes;  ///< object ids and their parts; parts of 0 or less are never picked
    enum Pick {
        Random,   ///< each by its own random number
        ByField,  ///< by @ref field: 0 the first prototype, 1 the last
        InTurn,   ///< by id, in the order of the prototypes, so that shares are met exactly over a few
        Clusters  ///< patches of one kind, @ref cluster metres wide, each by the patch's random number
    } pick = Random;
    Varying field = {0, 1, {}};
    float cluster = 0.5f, mingle = 0.1f;  ///< @ref mingle of the elements in a patch pick by themselves
    uint64_t seed = 1;
    float size = 1.0f;          ///< factor on all
    Varying lift = {0, 0, {}};  ///< metres along the element's own up; negative sinks it in
};

/// Copies with "P", "orient", "scale", "id", "prototype", and what else the points had. The pick depends on
/// seed and id (and place, where it is by patches) alone; changing one share a little changes few picks. Each
/// copy's size and tilt are then varied as its prototype's share says. Throws Error without a usable share.
std::shared_ptr<const Copies> copiesOf(const PointSet& points, const CopiesOptions& options,
                                       Progress& progress);

StepType copiesOfStep();

}  // namespace ovrix::ops
