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

/// rtcCommitScene() as work of its own. Within a loop, the tasks of a scene are bound to that loop for as
/// long as the scene lives: the tree is left half built when the loop is cancelled, and what is cancelled
/// once the loop is gone reads where it was.
void commitScene(RTCScene scene);

}  // namespace ovrix::geo
