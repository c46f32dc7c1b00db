// Strands behind points that move: where each was before.
#pragma once
#include "ops/step.h"

namespace ovrix::ops {

struct TrailOptions {
    float seconds = 0.4f;  ///< how far back
    int pieces = 10;       ///< of each trail
    float width = 0.002f;  ///< metres across at its head
    float tail = 0.0f;     ///< width at its end, as a fraction of that at the head
    Color head{1.0f}, end{1.0f};
    float between = 0.0f;  ///< also a strand to each neighbour nearer than this; 0 for none
};

/// A trail for each point that is there now, from where it is back to where it was, by id; those just born
/// have short ones, and those that stand still have none. @p at  what the points were at a time before, in
/// seconds.
std::shared_ptr<const StrandSet> trailsOf(const PointSet& now, const std::function<Geometry(double ago)>& at,
                                          const TrailOptions& options, Progress& progress);

StepType trailsStep();

}  // namespace ovrix::ops
