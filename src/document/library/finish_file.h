// A finish by itself, as a file: to be used in another scene.
#pragma once
#include "document/library/parts_file.h"

namespace ovrix::document {

extern const PartsKind kFinishings;

/// The document's finish with its steps. What its masks name of the scene stays behind, painted maps too.
/// @p folder is where the document's relative paths start; those of the file are absolute. Throws Error where
/// there are no steps.
PartsFile finishFileOf(const Document& document, const std::filesystem::path& folder);

/// Its steps and response in place of the document's own.
Document withFinishFile(const Document& document, const PartsFile& file);

}  // namespace ovrix::document
