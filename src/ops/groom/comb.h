// Strands as they were combed in the view.
#pragma once
#include "ops/groom/strand_shape.h"

namespace ovrix::ops {

/// What combing says that is to be told.
struct CombReport {
    size_t rebound = 0;  ///< planted strands that had to find a place on another topology
    size_t unused = 0;   ///< edits of strands that the recipe no longer makes
};

/// The strands with edits applied: shapes in the frames of their roots, so that they follow a surface that
/// deforms; strands planted and taken out. Lengths of segments are the recipe's times the edit's factor.
/// @p rest, @p now  the surface; null where there is none, then nothing that was planted shows.
StrandsPtr combed(const StrandSet& strands, const StrandEdits& edits, const Surface* rest, const Surface* now,
                  CombReport* report = nullptr);

/// Directions of a strand's segments in its root's frame.
std::vector<V3f> directionsOf(std::span<const V3f> points, const Quatf& orient);
/// As many directions as @p count, evenly picked along @p from.
std::vector<V3f> directionsAs(const std::vector<V3f>& from, size_t count);

StepType combStep();

}  // namespace ovrix::ops
