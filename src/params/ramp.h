// A gradient of colours that a field walks through.
#pragma once
#include <vector>

#include "base/vec.h"

namespace ovrix::params {

struct RampStop {
    float at = 0.5f;  ///< 0 to 1
    Color color{0.5f};
    bool operator==(const RampStop&) const = default;
};

/// The stops between the two ends that a colour with a field has anyway. Colours are linear light.
struct Ramp {
    enum class Kind { Linear, Smooth, Steps };
    std::vector<RampStop> stops;  ///< in their order
    Kind kind = Kind::Linear;
    /// Mixed as an eye sees it even, and not as light adds up: Ottosson, "A perceptual color space for image
    /// processing" (Oklab), 2020.
    bool perceptual = false;

    /// @param low, high  the colours at 0 and 1
    Color at(const Color& low, const Color& high, float t) const;
    /// In their order, from 0 to 1, without those that are no numbers; at most 256 of them.
    void tidy();
    bool operator==(const Ramp&) const = default;
};

}  // namespace ovrix::params
