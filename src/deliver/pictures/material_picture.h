// Pictures of materials, for the library.
#pragma once
#include <filesystem>

#include "base/progress.h"
#include "document/library/material_file.h"

namespace ovrix::deliver {

/// A scene that shows a material well: a ball and a slab that wear it, or strands in it on a ball.
/// @param aspect  width by height of the picture
Document materialSample(const PartsFile& material, float aspect = 1.5f);

/// Renders it. Throws Error, and Cancelled.
void writeMaterialPicture(const PartsFile& material, const std::filesystem::path& path, Progress& progress);

}  // namespace ovrix::deliver
