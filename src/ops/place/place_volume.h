// Points in the inside of a mesh, and on discs and rings.
#pragma once
#include "ops/step.h"

namespace ovrix::ops {

/// @p count points inside of a closed surface, evenly. Point i depends on (seed, i) and the surface alone.
/// They carry the triangle that is nearest to them. Throws Error when the surface is not closed.
/// @param without  gets the number of those that found no place, where the shape is thinner than can be told
std::shared_ptr<const PointSet> pointsInside(const Surface& surface, size_t count, uint64_t seed,
                                             Progress& progress, size_t* without = nullptr);
/// Points on a flat ring from @p inner to @p outer metres about +Y of a matrix; a disc when inner is 0.
std::shared_ptr<const PointSet> pointsOnRing(const M44f& world, float inner, float outer, size_t count,
                                             uint64_t seed, Progress& progress);

StepType insideStep();
StepType ringStep();

}  // namespace ovrix::ops
