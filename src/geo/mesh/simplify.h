// Coarser versions of a mesh for drawing.
#pragma once
#include "geo/mesh/mesh.h"

namespace ovrix::geo {

/// Triangles (as corner indices of @p mesh) of a coarser version with about @p targetTriangles; the shape is
/// kept roughly, topology and seams are not. Never more than the mesh has. Uses meshoptimizer.
std::vector<uint32_t> simplifiedCorners(const Mesh& mesh, size_t targetTriangles);

/// The version that the view draws while it moves, or where many copies stand: a sixth of a large mesh, and
/// a few dozen triangles of a small one.
std::vector<uint32_t> coarseCorners(const Mesh& mesh);

}  // namespace ovrix::geo
