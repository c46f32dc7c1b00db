// Things that move while the shutter is open, as steps that lie evenly over that time.
#pragma once
#include <algorithm>
#include <cstddef>

namespace ovrix::render {

struct TimeStep {
    size_t first;  ///< of the two steps that the time lies between
    float part;    ///< of the way to the next, 0 to 1
};

/// @param time  of the shutter's, 0 to 1; beyond, its ends. @param steps  two or more
inline TimeStep timeStep(float time, size_t steps) {
    const float t = std::clamp(time, 0.0f, 1.0f) * float(steps - 1);
    const size_t first = std::min(size_t(t), steps - 2);
    return {first, t - float(first)};
}

}  // namespace ovrix::render
