// Places points along curves.
#pragma once
#include "geo/points/curve_set.h"
#include "ops/step.h"

namespace ovrix::ops {

struct AlongOptions {
    size_t count = 200;     ///< elements over all curves, when @ref spacing is 0
    double spacing = 0;     ///< metres between neighbours on a curve
    float jitter = 0;       ///< 0 to 1: how far each may slide, as a part of half its own stretch
    float width = 0;        ///< metres across the curve over which they are strewn
    bool onSurface = true;  ///< let down on the nearest point of the surface
    uint64_t seed = 1;
    Varying mask = {1, 1, {}};
    double share = 1.0;
    size_t memoryLimit = SIZE_MAX;
};

/// Points with P, N, id, and triangle and bary when they lie on a surface. By count, element i lies at the
/// i-th number of the base 2 sequence of van der Corput (Proc. Akad. Amsterdam 38, 1935), so that any number
/// of them is spread evenly and raising it moves none. By spacing, the id is that of the curve and the place
/// in it: lengthening a curve moves none. @p surface may be null. Throws Error when there is no curve.
std::shared_ptr<const PointSet> pointsAlong(const CurveSet& curves, const Surface* surface,
                                            const AlongOptions& options, Progress& progress);

/// The curves that a parameter of Refs names, as one set. Throws Error when it names none.
std::shared_ptr<const CurveSet> curvesOf(const StepInput& in, const Handle<Refs>& curves);

StepType alongStep();

}  // namespace ovrix::ops
