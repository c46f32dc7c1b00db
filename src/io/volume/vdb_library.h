// What the library of volumes does, which lies apart: see fromLibrary().
#pragma once
#include <filesystem>
#include <functional>

#include "geo/points/elements.h"
#include "geo/volume/vector_grid.h"
#include "io/points/elements_info.h"
#include "io/state/state_data.h"

namespace ovrix::io {

/// As the functions of vdb_points.h and vdb_grids.h say. What parses does so by the library alone, which does
/// not check what it is given: that is for the reading process.
struct VdbLibrary {
    void (*writePoints)(const std::filesystem::path& path, const AttributeSet& points);
    std::function<void()> (*readyState)(const std::filesystem::path& path, const StateFile& state);
    void (*writeGrid)(const std::filesystem::path& path, const std::string& name, const VectorGrid& grid);
    StateFile (*parseState)(const std::filesystem::path& path);
    PointSet (*parsePoints)(const std::filesystem::path& path);
    ElementsInfo (*parseInfo)(const std::filesystem::path& path);
    VectorGrid (*parseGrid)(const std::filesystem::path& path, const std::string& name, size_t limit);
};

/// Loads it at the first call. Thread safe. Throws Error.
const VdbLibrary& vdbLibrary();

// In the library.
void putVdbPoints(const std::filesystem::path& path, const AttributeSet& points);
std::function<void()> prepareStateVdb(const std::filesystem::path& path, const StateFile& state);
void putVectorGrid(const std::filesystem::path& path, const std::string& name, const VectorGrid& grid);
StateFile parseStateVdb(const std::filesystem::path& path);
PointSet parseVdbPoints(const std::filesystem::path& path);
ElementsInfo parseVdbInfo(const std::filesystem::path& path);
VectorGrid parseVectorGrid(const std::filesystem::path& path, const std::string& name, size_t limit);

}  // namespace ovrix::io
