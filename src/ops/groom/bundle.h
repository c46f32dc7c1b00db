// Several strands out of each.
#pragma once
#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

struct BundleOptions {
    int count = 5;                            ///< strands for each, 1 to 10,000
    Varying root = {0, 0.001f, {}};           ///< metres: how far apart they start
    Varying tip = {0, 0.004f, {}};            ///< and end
    VaryingRange length = {0.85f, 1.0f, {}};  ///< factor on each one's length
    uint64_t seed = 1;
    size_t memoryLimit = SIZE_MAX;
};

/// Each strand and count - 1 more beside it, spread over a disc across its path; the first stays as it is and
/// keeps its id, the others' ids are made from it and their number, so that a higher count keeps those that
/// were there. "clump" gets the number of the strand they came from. Throws Error when memory would pass the
/// limit; Cancelled.
StrandsPtr bundle(const StrandSet& strands, const BundleOptions& options, Progress& progress);

StepType bundleStep();

}  // namespace ovrix::ops
