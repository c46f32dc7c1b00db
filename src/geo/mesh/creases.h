// The edges at which a mesh is not smooth.
#pragma once
#include "base/progress.h"
#include "geo/mesh/mesh.h"

namespace ovrix::geo {

/// The edges at which faces turn by more than an angle, as pairs of ends in the mesh's own space. Points in
/// one place count as one, so that a file's seams are edges like others; an edge with one face is none.
/// @param angle  radians, 0 to pi
/// Time goes as sorting its edges. Thread safe. Throws Cancelled.
std::vector<V3f> creaseLines(const Mesh& mesh, float angle, Progress& progress);

}  // namespace ovrix::geo
