// Gives each element a shift of colour on top of its material.
#pragma once
#include "ops/step.h"

namespace ovrix::ops {

struct VaryColorOptions {
    VaryingRange hue = {0, 0, {}};         ///< degrees around the colour circle
    VaryingRange saturation = {1, 1, {}};  ///< factor
    VaryingRange brightness = {1, 1, {}};  ///< factor
    uint64_t seed = 1;
};

/// The points with "tint" (see tinted()) changed: hues add up, factors multiply. Depends on seed and id
/// alone.
std::shared_ptr<const PointSet> varyColor(const PointSet& points, const VaryColorOptions& options,
                                          Progress& progress);

StepType varyColorStep();

}  // namespace ovrix::ops
