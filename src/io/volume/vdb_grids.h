// Grids of OpenVDB files.
#pragma once
#include <filesystem>
#include <string>

#include "base/progress.h"
#include "geo/volume/vector_grid.h"

namespace ovrix::io {

/// A grid of vectors, by name or, where that is empty, the first. Values outside of the grid's active cells
/// are its background. Throws Error, naming the file, where there is none of that name, it is no grid of
/// vectors, it holds what is no number, its cells do not lie evenly, or as a block it takes more than
/// @p limit bytes.
VectorGrid readVectorGrid(const std::filesystem::path& path, const std::string& name, size_t limit,
                          Progress& progress = Progress::none());
/// Writes it as the grid of that name, compressed with Blosc. Throws Error.
void writeVectorGrid(const std::filesystem::path& path, const std::string& name, const VectorGrid& grid);

}  // namespace ovrix::io
