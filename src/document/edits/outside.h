// What a scene reads that does not lie with it.
#pragma once
#include <filesystem>

#include "document/model/document.h"
#include "io/mesh/mesh_reader.h"

namespace ovrix::document {

/// The files that a document names, and that lie outside of a folder, over all links: what a stranger's scene
/// would have the program open. Rising, each once. Sequences by their pattern. Thread safe.
/// @param folder  where relative paths start
/// @param home  another folder that is no stranger; empty for none
std::vector<std::string> filesOutside(const Document& document, const std::filesystem::path& folder,
                                      const std::filesystem::path& home = {});
/// Those that a document names and another did not, and that lie outside of @p home too, where what was added
/// came from.
std::vector<std::string> filesAdded(const Document& before, const Document& after,
                                    const std::filesystem::path& folder, const std::filesystem::path& home);

/// Takes from the materials of a mesh file the images that lie in none of @p folders: whoever wrote the file
/// chose them, not the one who brings it in. Gives their paths. Thread safe for different meshes.
std::vector<std::string> dropImagesOutside(FileMesh& mesh, const std::vector<std::filesystem::path>& folders);

}  // namespace ovrix::document
