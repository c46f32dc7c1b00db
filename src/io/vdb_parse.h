// Reading OpenVDB files by the library, in the reading process alone: it does not check what it is given.
#pragma once
#include "geo/vector_grid.h"
#include "io/elements_io.h"
#include "io/state_file.h"

namespace ovrix {

/// As the functions without "parse" say, which have these run elsewhere. Throw Error, or do whatever the
/// library does with a damaged file.
StateFile parseStateVdb(const std::filesystem::path& path);
PointSet parseVdbPoints(const std::filesystem::path& path);
ElementsInfo parseVdbInfo(const std::filesystem::path& path);
VectorGrid parseVectorGrid(const std::filesystem::path& path, const std::string& name, size_t limit);

std::string packInfo(const ElementsInfo& info);
std::string packGrid(const VectorGrid& grid);

}  // namespace ovrix
