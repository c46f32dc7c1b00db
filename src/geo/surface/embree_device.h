// The one Embree device of the process, and meshes handed to it.
#pragma once
#include <embree3/rtcore.h>

#include "geo/mesh/mesh.h"

namespace ovrix::geo {

/// Made at first use and kept. Errors of Embree are logged. Thread safe.
RTCDevice embreeDevice();

/// A committed triangle geometry of the mesh's triangles (primID = index into Mesh::triangles()); positions
/// and indices are copied, so the mesh may go. The caller releases it. @p moves  the same faces at even times
/// from 0 to 1, two or more; empty for a mesh that keeps its shape
RTCGeometry meshGeometry(const Mesh& mesh, const std::vector<MeshPtr>& moves = {});

}  // namespace ovrix::geo
