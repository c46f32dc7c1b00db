// Turns elements: up between the surface's normal and the world's up, then rolled and tilted.
#pragma once
#include "ops/step.h"

namespace ovrix::ops {

/// What an element's up, or its front, is turned to.
struct Aim {
    enum Kind { Up, Direction, Point, Surface, Downhill, Tangent, Free } kind = Up;
    V3f vector{0, 1, 0};                       ///< the direction, or the point in the world
    SurfacePtr surface{};                      ///< whose nearest point is aimed at
    std::shared_ptr<const CurveSet> curves{};  ///< along the nearest of which it aims
    /// Unit vector from a place; 0 where there is none.
    V3f from(const V3f& position, const V3f& normal) const;
};

struct OrientOptions {
    Varying toUp = {0, 0, {}};            ///< 0 along the normal, 1 along @ref up
    Aim up;                               ///< what elements stand towards
    Aim front = {Aim::Free, {}, {}, {}};  ///< what their front (+Z) looks to before the roll
    VaryingRange roll = {0, 360, {}};     ///< degrees around the element's own up
    VaryingRange tilt = {0, 0, {}};       ///< degrees away from up, towards a random side
    uint64_t seed = 1;
};

/// The points with "orient" set. Each element's turn depends on seed and its id alone.
std::shared_ptr<const PointSet> orientPoints(const PointSet& points, const OrientOptions& options,
                                             Progress& progress);

/// A turn away from +Y to a side that depends on seed and id.
Quatf lean(uint64_t seed, uint64_t id, float degrees);

/// The shortest turn that takes +Y to the unit vector @p up.
Quatf turnToUp(const V3f& up);

StepType orientStep();

}  // namespace ovrix::ops
