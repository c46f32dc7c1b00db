// Points that fill what lies within meshes: one in each cell of a lattice, so that any part is the same
// whatever the rest is.
#pragma once
#include "ops/step.h"

namespace ovrix::ops {

struct FillVolumeOptions {
    float spacing = 0.05f;  ///< metres between cells
    /// Where a point lies in its cell: in the middle; anywhere; pushed off those about it, so that none are
    /// close and no rows show.
    enum class Pattern { Strict, Jittered, Even } pattern = Pattern::Even;
    float jitter = 1.0f;  ///< of Jittered: part of the cell that it may lie in
    /// Metres under the surface from which to which there are points; where the end is 0, all of the inside.
    Varying from = {0, 0, {}}, to = {0, 0, {}};
    uint64_t seed = 1;
    bool normals = true;  ///< those of the nearest place of a surface; else up
    bool uvs = false;     ///< of that place, where the surface has them
    bool depth = false;   ///< metres to it, as the channel "depth"
    /// From the meshes' space, in which all lengths but the fields' are, to the world.
    M44f world = {};
    Varying mask = {0, 1, {}};
    double share = 1.0;
    size_t memoryLimit = SIZE_MAX;
};

/// Points within at least one of the meshes, in the order of blocks of their cells. The lattice stands in the
/// world, and the id of a point is that of its cell: other meshes on the same spacing, seed and pattern have
/// the same points where both have some. The inside is what a mesh winds around by more than a half, so open
/// meshes have one, too, and those that cross themselves or are inside out: see WindingNumber. Of several the
/// depth is that of the one in which a point lies deepest.
/// Works in two rounds, so that nothing is held twice: what is in, then where. Throws Error with a remedy for
/// meshes without triangles, spacings that are no length, lattices beyond 2^20 cells from the origin, and
/// more than the memory limit, before any of it is taken; Cancelled.
std::shared_ptr<const PointSet> fillVolume(std::span<const SurfacePtr> surfaces,
                                           const FillVolumeOptions& options, Progress& progress);

/// How many points there will be, roughly, from the meshes' volumes: quick.
double likelyFill(std::span<const SurfacePtr> surfaces, const FillVolumeOptions& options);

/// Whether a step of that type puts points in rows, and what takes them out of those.
bool fillsInRows(const std::string& stepType, const ParamMap& params);
constexpr const char *kFillPattern = "pattern", *kFillJittered = "jittered";

StepType fillVolumeStep();

}  // namespace ovrix::ops
