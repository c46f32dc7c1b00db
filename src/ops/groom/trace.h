// Strands that a vector field draws.
#pragma once
#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

struct TraceOptions {
    int steps = 40;                              ///< 1 to 4096
    VaryingRange length = {0.008f, 0.012f, {}};  ///< metres of one step
    float size = 0.15f;                          ///< metres: width of a whirl
    bool ridged = false;                         ///< sharp turns along crests
    int octaves = 1;
    Varying normal = {0, 0.5f, {}};  ///< how much strands go along the surface's normal at their root
    V3f bias{0, 0, 0};               ///< added to the field's direction, world
    Varying hug = {0, 0, {}};        ///< 0 free, 1 lies on the surface
    V3f drift{0, 0, 0};              ///< metres by which the field is moved
    uint64_t seed = 1;
    size_t memoryLimit = SIZE_MAX;
};

/// From every point on, steps along the curl of three noises, which has no sources or sinks so that strands
/// neither pile up nor leave holes. Bridson, Hourihan, Nordenstam, "Curl-Noise for Procedural Fluid Flow",
/// ACM TOG 26(3), 2007, doi:10.1145/1276377.1276435. Throws Error when memory would pass the limit;
/// Cancelled.
StrandsPtr trace(const PointSet& points, const Surface* surface, const TraceOptions& options,
                 Progress& progress);

StepType traceStep();

}  // namespace ovrix::ops
