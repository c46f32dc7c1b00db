// What the library of volumes does, which lies apart: see fromLibrary(). For vdb_read.cpp alone.
#pragma once
#include <filesystem>
#include <functional>

#include "geo/vector_grid.h"
#include "io/state_file.h"

namespace ovrix {

/// As the functions of vdb_points.h and vdb_grids.h say.
struct VdbLibrary {
    void (*writePoints)(const std::filesystem::path& path, const AttributeSet& points);
    std::function<void()> (*readyState)(const std::filesystem::path& path, const StateFile& state);
    void (*writeGrid)(const std::filesystem::path& path, const std::string& name, const VectorGrid& grid);
};

// In the library.
void putVdbPoints(const std::filesystem::path& path, const AttributeSet& points);
std::function<void()> prepareStateVdb(const std::filesystem::path& path, const StateFile& state);
void putVectorGrid(const std::filesystem::path& path, const std::string& name, const VectorGrid& grid);

}  // namespace ovrix
