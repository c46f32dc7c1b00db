// Colours changed by what they are: by hue, saturation and value.
#pragma once
#include "params/curve.h"

namespace ovrix::params {

/// The hexcone of Smith, "Color Gamut Transform Pairs", SIGGRAPH 1978, over colours as a screen stores them.
struct ColorCurves {
    /// By hue, from red through green and blue to red again: a half leaves it, 0 and 1 turn it by half the
    /// wheel.
    Curve hue = {{{0.0f, 0.5f}, {1.0f, 0.5f}}, true};
    Curve saturation, value;  ///< of each another; what is brighter than white is as much brighter as before

    bool isIdentity() const { return *this == ColorCurves(); }
    /// Of linear light; none below 0. What is no number stays. Thread safe.
    Color at(const Color& color) const;
    bool operator==(const ColorCurves&) const = default;
};

}  // namespace ovrix::params
