#include "io/mesh/mesh_reader.h"

#include "io/mesh/mesh_blob.h"
#include "io/process/confined_reader.h"

namespace ovrix::io {

FileMesh readMesh(const std::filesystem::path& path, Progress& progress, size_t memory) {
    Progress::Task task(progress, "Reading " + path.filename().string());
    return unpackMesh(readConfined(Reading::Mesh, path, memory, progress)->bytes());
}

}  // namespace ovrix::io
