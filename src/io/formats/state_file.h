// Frames of simulations on disk: sets of points with all their columns, bit for bit.
#pragma once
#include <filesystem>
#include <functional>

#include "base/files.h"
#include "base/progress.h"
#include "io/state/state_data.h"

namespace ovrix::io {

/// Writes by the ending. .columns: readyStateColumns(), quickest. .vdb: OpenVDB points, one grid a set,
/// compressed with Blosc: any program that reads them sees the points where they are and their columns by
/// name; columns more hold what the format itself would lose: the order, places that its voxels do not give
/// back exactly, the signs of zeros. .usda: stateAsUsda(). Written beside its name first, so a file is whole
/// or not there. Throws Error.
void writeStateFile(const std::filesystem::path& path, const StateFile& state);
/// The same in two parts: what it returns writes the file, on any thread; all that asks the state is done
/// before.
std::function<void()> readyStateFile(const std::filesystem::path& path, const StateFile& state);
/// Sets with the same bits. Throws Error, naming the file, when it is missing, damaged or none of
/// ours.
StateFile readStateFile(const std::filesystem::path& path, size_t memory = kMemoryOfFile,
                        Progress& progress = Progress::none());

}  // namespace ovrix::io
