// Files: reading whole, writing so that a crash leaves the old or the new file and nothing between.
#pragma once
#include <filesystem>
#include <functional>
#include <string>

namespace ovrix {

/// The whole file. Throws Error naming the file when it is missing, a folder or not readable.
std::string readFile(const std::filesystem::path& path);

/// Throws the Error that readFile() would, without reading.
void requireReadable(const std::filesystem::path& path);

/// Calls @p write with a temporary path beside @p path, then syncs it and renames it over @p path. When
/// write throws, or the disk is full, the temporary file is removed and @p path stays as it was.
/// The temporary name ends like @p path, so that writers which choose a format by extension work.
void writeAtomically(const std::filesystem::path& path,
                     const std::function<void(const std::filesystem::path& temporary)>& write);

/// writeAtomically() of a text.
void writeFile(const std::filesystem::path& path, const std::string& contents);

/// Changes when the file changes: size and modification time; 0 when it does not exist.
uint64_t fileStamp(const std::filesystem::path& path);

}  // namespace ovrix
