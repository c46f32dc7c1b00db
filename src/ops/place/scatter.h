// Points scattered over a surface at random, by area.
#pragma once
#include "ops/step.h"

namespace ovrix::ops {

struct ScatterOptions {
    size_t count = 1000;        ///< elements before the mask; at most 2^31
    uint64_t seed = 1;          ///< another seed, another arrangement
    Varying mask = {0, 1, {}};  ///< chance from 0 to 1 that an element stays, where it lies
    double share = 1.0;         ///< part of count to make: the first of them, so a stable subset
    bool uv = true;             ///< whether to keep the surface's UVs, where it has them
    size_t memoryLimit = SIZE_MAX;
};

/// Points with "P", "N", "id", "triangle" and "bary" (where on the surface; and "uv"). Element i depends on
/// seed and i alone: raising count keeps the ones that were there, and raising the mask adds elements without
/// moving one. Uniform by area where the mask is 1. Throws Error when the surface has no area or memory would
/// pass the limit; Cancelled.
std::shared_ptr<const PointSet> scatterOnSurface(const Surface& surface, const ScatterOptions& options,
                                                 Progress& progress);

StepType scatterStep();

}  // namespace ovrix::ops
