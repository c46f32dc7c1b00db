// Frames of simulations as plain columns: the quickest to read, and the one form that is read in the program
// itself, since it is nothing but sizes, which are checked, and numbers.
#pragma once
#include <filesystem>
#include <functional>

#include "base/progress.h"
#include "io/state/state_data.h"

namespace ovrix::io {

/// As readyStateFile() and readStateFile() do for .columns: a line that names the format, the size of a
/// header, the header as JSON (texts; sets with their counts; columns with their types and the sizes of their
/// blocks), and the blocks, each of up to 1 MiB of numbers, little end first, compressed with Blosc. All bits
/// come back, of all numbers; columns of text are left out.
std::function<void()> readyStateColumns(const std::filesystem::path& path, const StateFile& state);
/// Throws Error, naming the file, when it is damaged, none of ours, or would take more than @p memory bytes;
/// Cancelled.
StateFile readStateColumns(const std::filesystem::path& path, size_t memory, Progress& progress);

}  // namespace ovrix::io
