// Many strands between few guides.
#pragma once
#include "geo/points/curve_set.h"
#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

struct FillOptions {
    size_t count = 20000;       ///< strands before the mask
    double share = 1.0;         ///< part of count to make: the first of them
    Varying mask = {0, 1, {}};  ///< chance that a strand stays, where its root lies
    int guides = 4;             ///< most guides that one strand follows, 1 to 8
    float reach = 0.0f;         ///< metres from a guide's root beyond which it counts no more; 0 for no limit
    std::shared_ptr<const CurveSet> partings;  ///< lines that no strand looks across; may be null
    Varying zone = {0, 1, {}};                 ///< strands follow only guides on the same side of 0.5
    VaryingRange length = {1, 1, {}};          ///< factor on what the guides give
    uint64_t seed = 1;
    size_t memoryLimit = SIZE_MAX;
};

/// Strands with roots scattered by area over the surface at rest, each shaped as the mean of the nearest
/// guides, weighted by inverse squared distance that fades to 0 at the next one (Franke and Nielson, "Smooth
/// Interpolation of Large Sets of Scattered Data", Int. J. Numer. Meth. Eng. 15, 1980), each turned with the
/// normal from its root to the new one. At a guide's root it is that guide. All have as many points as the
/// first guide. Neighbours are found at rest, shapes are taken as they are @p now. A strand depends on its
/// id, the seed and the guides: raising the count keeps those that were there. Strands that find no guide are
/// left out; @p lonely gets how many. Throws Error when memory would pass the limit; Cancelled.
StrandsPtr fill(const StrandSet& guides, const Surface& rest, const Surface& now, const FillOptions& options,
                Progress& progress, size_t* lonely = nullptr);

StepType fillStep();

}  // namespace ovrix::ops
