// Points in the inside of a mesh, and on discs and rings.
#pragma once
#include "ops/step.h"

namespace ovrix {

/// @p count points inside of a closed surface, evenly. Point i depends on (seed, i) alone. Throws Error when
/// the surface is not closed or next to nothing lies inside.
std::shared_ptr<const PointSet> pointsInside(const Surface& surface, size_t count, uint64_t seed,
                                             Progress& progress);
/// Points on a flat ring from @p inner to @p outer metres about +Y of a matrix; a disc when inner is 0.
std::shared_ptr<const PointSet> pointsOnRing(const M44f& world, float inner, float outer, size_t count,
                                             uint64_t seed, Progress& progress);

StepType insideStep();
StepType ringStep();

}  // namespace ovrix
