// A material by itself, as a file: to be worn in another scene.
#pragma once
#include "document/library/parts_file.h"

namespace ovrix::document {

/// The material with those that lie over it. What its fields measure to in the scene stays behind. Throws
/// Error when @p material is none.
PartsFile materialFileOf(const Document& document, const std::string& material,
                         const std::filesystem::path& folder);

/// The material in a document: one that is just so already, or added.
/// @param id  gets its id
Document withMaterialFile(const Document& document, const PartsFile& file, std::string* id = nullptr);

/// The object or layer in that material. Throws Error on what wears none.
Document withWorn(const Document& document, const std::string& wearer, const std::string& material);

}  // namespace ovrix::document
