// Meshes to files.
#pragma once
#include <filesystem>

#include "geo/mesh.h"

namespace ovrix {

/// Binary PLY with normals and, where there are some, UVs. Points that differ in these are written apart.
/// Atomic; throws Error.
void writePlyMesh(const std::filesystem::path& path, const Mesh& mesh);

}  // namespace ovrix
