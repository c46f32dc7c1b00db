// Painted maps beside the scene: NAME.maps/HASH.ply, points with their values.
#pragma once
#include <filesystem>
#include <functional>

#include "document/model/document.h"

namespace ovrix::document {

/// NAME.maps beside NAME.ovrix.
std::filesystem::path mapFolder(const std::filesystem::path& scene);

/// Writes the maps that are not there yet. Throws Error naming the file.
void writeMaps(const Document& document, const std::filesystem::path& folder);
/// Removes files of maps that the document does not hold.
void dropOldMaps(const Document& document, const std::filesystem::path& folder);
/// The document with its maps read. One whose file is missing or damaged stays as it is, known by its name,
/// so that saving loses nothing; the checks say so.
Document withMapsRead(const Document& document, const std::filesystem::path& folder);

/// Calls @p visit with each painted map of each node, its title and, in steps, the step's id.
void overMaps(const Document& document,
              const std::function<void(const Node&, const std::string& step, const FieldSource&,
                                       const MapValue&)>& visit);

}  // namespace ovrix::document
