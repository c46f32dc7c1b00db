// Strands as points along them.
#pragma once
#include "ops/groom/strand_points.h"

namespace ovrix::ops {

struct PointsAlongOptions {
    bool bySpacing = true;
    float spacing = 0.01f;  ///< metres between points along a strand
    uint32_t count = 16;    ///< of each strand, where it is not by spacing
    float jitter = 1.0f;    ///< part of the way to the next one that each may move by, 0 to 1
    uint64_t seed = 1;
    Varying mask = {0, 1, {}};
    size_t memoryLimit = SIZE_MAX;
};

/// Points in the middle of equal pieces of each strand, one at least, in the order of the strands. They carry
/// "id" (of the strand's and their number along it, so that they stay what they are as others come and go),
/// "N" (unit, the tangent), "orient" (+Y along it), "along" (0 at the root, 1 at the tip), "root_distance"
/// and "strand_length" (metres), "strand" (its id), and where points of the strands have them "width"
/// (metres) and "color". Throws Error above the limit, before it is taken; Cancelled.
std::shared_ptr<const PointSet> pointsAlong(const StrandSet& strands, const PointsAlongOptions& options,
                                            Progress& progress);

StepType pointsAlongStep();

}  // namespace ovrix::ops
