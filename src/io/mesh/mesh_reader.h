// Meshes from files: OBJ (with MTL), PLY, STL, OFF, glTF, GLB, FBX.
#pragma once
#include <filesystem>

#include "base/files.h"
#include "base/progress.h"
#include "geo/mesh/mesh.h"

namespace ovrix::io {

/// A material as a mesh file describes it. Colours are linear.
struct FileMaterial {
    std::string name;
    Color baseColor{0.8f, 0.8f, 0.8f}, emission{0.0f, 0.0f, 0.0f};
    float roughness = 0.6f, metalness = 0.0f;
    std::string baseColorImage;  ///< path, empty for none
};

struct FileMesh {
    std::shared_ptr<Mesh> mesh;  ///< finished; all parts of the file as one, in the file's own units and axes
    std::vector<FileMaterial> materials;  ///< one per slot of the mesh
};

/// Reads in a process of its own, so that a damaged file can neither bring the program down nor hang it.
/// Throws Error naming the file and what is wrong with it (missing, empty, a folder, not readable, damaged,
/// positions that are no numbers, indices out of range, nothing to show), or Cancelled.
/// @param memory  bytes that the scene may take
FileMesh readMesh(const std::filesystem::path& path, Progress& progress, size_t memory = kMemoryOfFile);

}  // namespace ovrix::io
