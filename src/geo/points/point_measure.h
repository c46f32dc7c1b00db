// How much room points take.
#pragma once
#include <array>
#include <span>

#include "base/vec.h"

namespace ovrix::geo {

struct PointMeasure {
    size_t points = 0;    ///< that have a place
    double volume = 0.0;  ///< cubic metres that one of them stands for
    /// Square metres that they cover, as they are seen along each axis.
    std::array<double, 3> across{0.0, 0.0, 0.0};
    /// Metres of their matter that lie behind one another, where some lie: a mean over the three axes.
    double thickness() const;
};

/// By pairs that fall into the same cells, of those within a body and not at its rim: of half of the points
/// each stands for twice as much. Within 2 % from some ten thousand points on, of thin sheets within 15 %;
/// time for sorting them three times. Thread safe.
double volumeOfPoint(std::span<const V3f> points);
PointMeasure measured(std::span<const V3f> points);

}  // namespace ovrix::geo
