// Elements that go with a surface as it deforms.
#pragma once
#include "geo/strands/strands.h"
#include "ops/step.h"

namespace ovrix::ops {

/// Whether places on one, by triangle and weights, are places on the other: the same triangles.
bool sameTopology(const Surface& a, const Surface& b);

/// Points on @p rest where they are on @p now: by their triangle and weights, or, where the topology is not
/// the same, at the nearest point. Those off the surface keep their way from it, turned as it turns; those
/// without a triangle stay where they are. @p rebound gets the number of those at the nearest point.
std::shared_ptr<const PointSet> pointsRebound(const PointSet& points, const Surface& rest, const Surface& now,
                                              Progress& progress, size_t* rebound);

/// Strands on @p rest as they are on @p now: roots as points are, shapes turned with the roots' frames.
StrandsPtr strandsRebound(const StrandSet& strands, const Surface& rest, const Surface& now,
                          Progress& progress, size_t* rebound);

/// What a recipe says when roots had to find their places anew.
std::string reboundNote(size_t count);

}  // namespace ovrix::ops
