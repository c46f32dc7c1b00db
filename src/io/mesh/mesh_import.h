// Reads a mesh file in this process. The program uses readMesh(), which does it in another one.
#pragma once
#include "io/mesh/mesh_reader.h"

namespace ovrix::io {

/// Throws Error. May crash on a maliciously damaged file: run it where that does no harm.
FileMesh importMesh(const std::filesystem::path& path);

}  // namespace ovrix::io
