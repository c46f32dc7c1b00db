// Removes copies that stand in one another, in the copies of other layers, or in objects.
#pragma once
#include "geo/points/nearest.h"
#include "ops/step.h"

namespace ovrix::ops {

/// Balls in the world that stand for elements: the footprint of each.
struct Footprints {
    std::vector<V3f> center;
    std::vector<float> radius;
};

/// The footprint of each copy: a ball at its foot whose radius is the prototype's widest reach from its own Y
/// axis, grown with the copy. @p radii has one entry per prototype, in metres.
Footprints footprintsOf(const Copies& copies, std::span<const float> radii);
float footprintRadius(const Mesh& prototype);

struct KeepApartOptions {
    enum First { Large, LowId, Random } first = Large;  ///< who stays when two overlap
    float overlap = 0.0f;                               ///< part of the radii that two may share, 0 to 1
    float margin = 0.0f;                                ///< metres kept free around each
    bool within = true;  ///< whether elements of the layer itself remove one another
    uint64_t seed = 1;
    std::vector<Footprints> others;     ///< which stay where they are
    std::vector<SurfacePtr> obstacles;  ///< kept away from by their true distance
};

/// For each footprint whether it stays: going from the first to the last, one stays when it overlaps none
/// that stays already. @p ids break ties and give the chance. Cost grows with the number of footprints, of
/// whatever sizes: balls are sorted into grids by powers of two of their radius. Throws Cancelled.
std::vector<uint8_t> keepApart(const Footprints& footprints, std::span<const uint64_t> ids,
                               const KeepApartOptions& options, Progress& progress);

StepType keepApartStep();

}  // namespace ovrix::ops
