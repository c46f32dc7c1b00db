// Finer triangles on a mesh of the same shape.
#pragma once
#include "base/progress.h"
#include "geo/mesh/mesh.h"

namespace ovrix::geo {

/// A mesh cut into smaller triangles, which know where on the first one they lie.
struct Tessellation {
    /// Points of each triangle, wound as the first mesh is. Of points in one place that do not look away
    /// from each other the first stands for all, so that seams of a file do not part.
    std::vector<std::array<uint32_t, 3>> corners;
    std::vector<uint32_t> triangle;        ///< of the first mesh, that each is a piece of
    std::vector<std::array<V2f, 3>> bary;  ///< of its corners there: weights of the second and third
    /// Points from firstPoints on lie half way between two before them; those before are the first mesh's.
    std::vector<std::array<uint32_t, 2>> between;
    size_t firstPoints = 0;
    size_t pointCount() const { return firstPoints + between.size(); }
    /// Where they are on that mesh, or on another with the same points: the same bits for each triangle that
    /// has the point, so that nothing gapes.
    std::vector<V3f> positions(std::span<const V3f> first) const;
};

/// Cuts edges in halves until none is longer than @p edge. Each edge is cut alike for all its triangles. Made
/// of the same mesh it is the same, on any threads. Time and memory are linear in the triangles made.
/// @param edge     above 0, in the mesh's own space
/// @param require  is told how many triangles there will be before they are made, and may throw
/// Throws Cancelled.
Tessellation tessellate(const Mesh& mesh, float edge, const std::function<void(size_t)>& require,
                        Progress& progress);

}  // namespace ovrix::geo
