// Meshes to files.
#pragma once
#include <filesystem>

#include "geo/mesh/mesh.h"

namespace ovrix::io {

/// Binary PLY with normals and, where there are some, UVs. Points that differ in these are written apart.
/// Atomic; throws Error.
void writePlyMesh(const std::filesystem::path& path, const Mesh& mesh);

/// Text OBJ with normals and UVs, faces as they are, and a group for each slot.
void writeObjMesh(const std::filesystem::path& path, const Mesh& mesh);
/// Binary glTF 2.0, triangles with normals and UVs.
void writeGlbMesh(const std::filesystem::path& path, const Mesh& mesh);

}  // namespace ovrix::io
