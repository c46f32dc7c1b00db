// Irregular bends, each strand by itself.
#pragma once
#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

struct FrizzOptions {
    StrandEffect effect;
    Varying amplitude = {0, 0.0015f, {}};  ///< metres
    Varying bends = {0, 5, {}};            ///< along the strand
    int octaves = 1;  ///< finer bends over coarse ones, each half as wide and twice as many
};

/// Points moved by smooth noise of one dimension in each axis, keyed by the strand's id: about -1 to 1 times
/// the amplitude. Throws Cancelled.
StrandsPtr frizz(const StrandSet& strands, const FrizzOptions& options, Progress& progress);

/// Gradient noise along a line that a key names: three independent numbers, each about -1 to 1, 0 at whole
/// places. Thread safe.
V3f lineNoise(uint64_t key, float x);

StepType frizzStep();

}  // namespace ovrix::ops
