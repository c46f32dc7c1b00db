// A curve over 0 to 1: it remaps what a source gives, or says how a number goes from foot to tip.
#pragma once
#include <vector>

#include "base/vec.h"

namespace ovrix::params {

/// Points with rising x in [0, 1], y in [0, 1]; constant before the first and after the last. Between them
/// either straight, or a cubic that never overshoots.
/// Fritsch and Carlson, "Monotone Piecewise Cubic Interpolation", SIAM J. Numer. Anal. 17(2), 1980.
struct Curve {
    std::vector<V2f> points = {{0.0f, 0.0f}, {1.0f, 1.0f}};
    bool smooth = true;

    float at(float x) const;
    /// True when at(x) == x for all x in [0, 1].
    bool isIdentity() const { return points == std::vector<V2f>{{0.0f, 0.0f}, {1.0f, 1.0f}}; }
    /// Sorts by x, clamps into the unit square, drops points that are not numbers, and keeps at least one.
    void tidy();
    bool operator==(const Curve&) const = default;
};

/// The cubic from @p a to @p b at a part 0 to 1 of the way; @p riseA and @p riseB are its slopes there over
/// the whole way.
template <class T, class Part>
T hermite(const T& a, const T& b, const T& riseA, const T& riseB, Part t) {
    const Part t2 = t * t, t3 = t2 * t;
    return a * (2 * t3 - 3 * t2 + 1) + b * (3 * t2 - 2 * t3) + riseA * (t3 - 2 * t2 + t) + riseB * (t3 - t2);
}

}  // namespace ovrix::params
