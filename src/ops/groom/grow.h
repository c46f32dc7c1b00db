// Strands grown from points: guides to be combed, or all strands at once.
#pragma once
#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

struct GrowOptions {
    VaryingRange length = {0.08f, 0.12f, {}};  ///< metres
    int segments = 8;                          ///< pieces of each strand, 1 to 1000
    Varying lean = {0, 0, {}};                 ///< radians off the surface's normal
    Varying bend = {0, 0, {}};  ///< radians that the tip is turned on from the root, the same way
    float scatter = 0.0f;       ///< 0 all lean one way, 1 each its own
    V3f toward{0, -1, 0};       ///< the way to lean, in the world; along the surface where 0
    uint64_t seed = 1;
    size_t memoryLimit = SIZE_MAX;
};

/// A strand on each point, along its normal. Each depends on its point's id, place and the seed alone. With
/// width of a hundredth of its length at the root, tapering. Strands whose length is no number or 0 are left
/// out; @p dropped gets how many. Throws Error when memory would pass the limit; Cancelled.
StrandsPtr grow(const PointSet& points, const Surface* surface, const GrowOptions& options,
                Progress& progress, size_t* dropped = nullptr);

/// Breaks the strands at whose roots a field gives no number, so that withoutBroken() takes them out. Null
/// fields are passed over.
void breakUnusable(StrandSet& strands, const Samples& roots,
                   const std::vector<std::shared_ptr<const CompiledField>>& fields);

/// "3 strands without a length were left out", or nothing.
std::string droppedNote(size_t dropped);

/// Bytes that a strand of so many points takes with what later steps add.
double bytesPerStrand(size_t points);

StepType growStep();

}  // namespace ovrix::ops
