// Points in the order of a grid, of a mesh's points, or of its faces.
#pragma once
#include "ops/step.h"

namespace ovrix::ops {

struct GridOptions {
    float spacing = 0.2f;  ///< metres between rows and columns
    float jitter = 0.0f;   ///< part of the spacing that each moves at most, 0 to 1
    float turn = 0.0f;     ///< radians of the whole grid around the world's up
    bool offset = false;   ///< every other row moved by half a spacing
    uint64_t seed = 1;
    Varying mask = {0, 1, {}};
    double share = 1.0;
    size_t memoryLimit = SIZE_MAX;
};

/// Points where the lines of a level grid, seen from above, meet the upper side of the surface: the highest
/// hit of each line. The id of a point is made of its row and column, so that it stays when the surface
/// moves. Throws Error on a spacing of 0, without area, or above the limit; Cancelled.
std::shared_ptr<const PointSet> gridOnSurface(const Surface& surface, const GridOptions& options,
                                              Progress& progress);

struct OnMeshOptions {
    bool faces = false;  ///< at the middle of faces; else at points
    int every = 1;       ///< only each n-th
    uint64_t seed = 1;
    Varying mask = {0, 1, {}};
    double share = 1.0;
    size_t memoryLimit = SIZE_MAX;
};

/// A point at each point or face of the mesh, in the order of their indices, which are the ids.
std::shared_ptr<const PointSet> pointsOnMesh(const Surface& surface, const OnMeshOptions& options,
                                             Progress& progress);

StepType gridStep();
StepType onMeshStep();

}  // namespace ovrix::ops
