// OpenVDB points behind a plain interface. Reading happens in the reading process: see confined_reader.h.
#pragma once
#include <filesystem>

#include "base/files.h"
#include "base/progress.h"
#include "geo/points/elements.h"
#include "io/points/elements_info.h"
#include "io/state/state_data.h"

namespace ovrix::io {

void writeVdbPoints(const std::filesystem::path& path, const AttributeSet& points);
/// P, id, and float and vector attributes. Throws Error.
PointSet readVdbPoints(const std::filesystem::path& path, size_t memory = kMemoryOfFile,
                       Progress& progress = Progress::none());
ElementsInfo readVdbInfo(const std::filesystem::path& path);

/// As readyStateFile() and readStateFile() do for .vdb.
std::function<void()> readyStateVdb(const std::filesystem::path& path, const StateFile& state);
StateFile readStateVdb(const std::filesystem::path& path, size_t memory = kMemoryOfFile,
                       Progress& progress = Progress::none());

}  // namespace ovrix::io
