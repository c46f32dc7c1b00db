// OpenVDB points behind a plain interface; the only source that includes OpenVDB.
#pragma once
#include <filesystem>

#include "io/elements_io.h"
#include "io/state_file.h"

namespace ovrix {

void writeVdbPoints(const std::filesystem::path& path, const AttributeSet& points);
/// P, id, and float and vector attributes. Throws Error.
PointSet readVdbPoints(const std::filesystem::path& path);
ElementsInfo readVdbInfo(const std::filesystem::path& path);

/// Reads all grids of a file and forgets them; see tryReading(). Throws Error, or does whatever the library does
/// with a damaged file.
void readAllOfVdb(const std::filesystem::path& path);

/// As readyStateFile() and readStateFile() do for .vdb.
std::function<void()> readyStateVdb(const std::filesystem::path& path, const StateFile& state);
StateFile readStateVdb(const std::filesystem::path& path);

}  // namespace ovrix
