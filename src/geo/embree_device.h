// The one Embree device of the process, and meshes handed to it.
#pragma once
#include <embree3/rtcore.h>

#include "geo/mesh.h"

namespace ovrix {

/// Made at first use and kept. Errors of Embree are logged. Thread safe.
RTCDevice embreeDevice();

/// A committed triangle geometry of the mesh's triangles (primID = index into Mesh::triangles()); positions
/// and indices are copied, so the mesh may go. The caller releases it.
RTCGeometry meshGeometry(const Mesh& mesh);

}  // namespace ovrix
