// Strands from drawn curves and from files.
#pragma once
#include "geo/points/curve_set.h"
#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

/// A strand along each curve, root at its beginning, with so many segments; ids in the order of curves. With
/// a surface, roots lie on its nearest point and strands go along with the move. Throws Error when there is
/// no curve with a length.
StrandsPtr strandsAlong(const CurveSet& curves, const Surface* surface, int segments);

/// Fits strands to a surface: adds the columns of their roots ("N", "orient", and on a surface "triangle",
/// "bary", "uv") and, when @p move is set, moves each so that its root lies on the nearest point.
StrandsPtr rooted(const StrandSet& strands, const Surface* surface, bool move, Progress& progress);

StepType curveStrandsStep();
StepType strandFileStep();

}  // namespace ovrix::ops
