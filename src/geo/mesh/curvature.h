// How a mesh bends at its points.
#pragma once
#include "geo/mesh/mesh.h"

namespace ovrix::geo {

/// Mean curvature per point in 1/m: positive on ridges and bumps (1/r on a sphere of radius r), negative in
/// hollows, 0 where it is flat, on open borders and at points without area. By the cotangent formula over
/// mixed areas: Meyer, Desbrun, Schröder, Barr, "Discrete Differential-Geometry Operators for Triangulated
/// 2-Manifolds", VisMath 2002, equation 8. Cost linear in triangles. Thread safe.
std::vector<float> meanCurvature(const Mesh& mesh);

/// For each point whether it lies on an edge that has only one triangle. Thread safe.
std::vector<uint8_t> openPoints(const Mesh& mesh);

/// Each value replaced by the mean of itself and its neighbours along edges, @p rounds times.
void smoothOverPoints(const Mesh& mesh, int rounds, std::vector<float>& values);

}  // namespace ovrix::geo
