// A mesh as bytes, to hand it from the reading process to the program. Not a file format.
#pragma once
#include <string>

#include "io/mesh/mesh_reader.h"

namespace ovrix::io {

std::string packMesh(const FileMesh& mesh);
/// Throws Error when the bytes are not whole. The mesh is finished.
FileMesh unpackMesh(std::string_view bytes);

}  // namespace ovrix::io
