// Points spread over a surface at random, none nearer to another than a distance.
#pragma once
#include "ops/step.h"

namespace ovrix::ops {

struct SpreadOptions {
    Varying distance = {0, 0.1f, {}};  ///< metres between neighbours; a field varies it from place to place
    uint64_t seed = 1;
    Varying mask = {0, 1, {}};  ///< chance that an element stays, after the spacing
    double share = 1.0;         ///< part of the elements to give, a stable subset
    bool uv = true;
    size_t memoryLimit = SIZE_MAX;
};

/// Points like those of scatterOnSurface(), of which no two are nearer, in a straight line, than the larger
/// of their two distances. They fill the surface: more than 0.65 of the greatest possible relative radius
/// (Lagae and Dutré, "A Comparison of Methods for Generating Poisson Disk Distributions", CGF 27(1), 2008,
/// doi:10.1111/j.1467-8659.2007.01100.x). Darts thrown in rounds, each spread evenly over the area, in tiles
/// of space that are worked on in eight groups so that no two neighbours run at once: Wei, "Parallel Poisson
/// Disk Sampling", SIGGRAPH 2008, doi:10.1145/1360612.1360619. Distances that a field gives are held to at
/// least a twentieth of the largest. The result depends on no thread count, and a mask moves no point.
/// Throws Error like scatterOnSurface(); Cancelled.
std::shared_ptr<const PointSet> spreadOnSurface(const Surface& surface, const SpreadOptions& options,
                                                Progress& progress);

StepType spreadStep();

}  // namespace ovrix::ops
