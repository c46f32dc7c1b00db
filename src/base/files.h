// Files: reading whole, writing so that a crash leaves the old or the new file and nothing between.
#pragma once
#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <utility>

#include "base/progress.h"

namespace ovrix::base {

/// More than any text file holds that people or programs write for us; what is larger is taken for a mistake.
inline constexpr uint64_t kMostRead = uint64_t(4) << 30;

/// What is read of one file may take so much memory where nobody says otherwise.
inline constexpr size_t kMemoryOfFile = size_t(3) << 30;

/// The whole file. Throws Error naming the file when it is missing, no regular file (a folder, a device, a
/// pipe: they may have no end), not readable or larger than @p most bytes; Cancelled.
std::string readFile(const std::filesystem::path& path, Progress& progress = Progress::none(),
                     uint64_t most = kMostRead);

/// A hash of a file's contents, whatever its size, a piece at a time. Throws as readFile() does.
uint64_t hashOfFile(const std::filesystem::path& path, Progress& progress = Progress::none());

/// Throws the Error that readFile() would, without reading.
void requireReadable(const std::filesystem::path& path);

/// Calls @p write with a temporary path beside @p path, then syncs it and renames it over @p path. When
/// write throws, or the disk is full, the temporary file is removed and @p path stays as it was. A link is
/// followed: it stays a link, and its target is replaced. What is there and no regular file is refused. The
/// temporary name ends like @p path, so that writers which choose a format by extension work; nobody can know
/// it before. What runs that were killed left in the folder is removed at the first write there.
void writeAtomically(const std::filesystem::path& path,
                     const std::function<void(const std::filesystem::path& temporary)>& write);

/// writeAtomically() of a text.
void writeFile(const std::filesystem::path& path, const std::string& contents);

/// Removes what writeAtomically() left in a folder when its process was killed.
void removeLeftovers(const std::filesystem::path& folder);

/// Held by one at a time, in all programs: a file that they agree on, made where it is missing. It goes with
/// its holder, even one that is killed. Throws Error where the file cannot be made, or is a link.
class FileLock {
  public:
    /// Waits for whoever holds it.
    explicit FileLock(const std::filesystem::path& file);
    /// Nothing where somebody holds it.
    static std::optional<FileLock> ifFree(const std::filesystem::path& file);
    /// Whether somebody does. Who asks is in nobody's way.
    static bool isHeld(const std::filesystem::path& file);
    ~FileLock();
    FileLock(FileLock&& other) noexcept : file_(std::exchange(other.file_, -1)) {}
    FileLock& operator=(FileLock&&) = delete;

  private:
    struct Open {};
    FileLock(const std::filesystem::path& file, Open);
    int file_;
};

/// Makes a folder of the program's own, and those above it that are missing. Throws Error where it cannot be
/// made, or is a link: what is written and removed there must not be elsewhere.
void makeOwnFolder(const std::filesystem::path& folder);

/// The ending in lower case, with its dot: ".PLY" counts as ".ply".
std::string endingOf(const std::filesystem::path& path);

/// A file in @p folder that is not there yet, named after what an artist calls it in small letters, figures
/// and "_". @p ending has its dot; where nothing is left of the name, the file is called as the ending.
std::filesystem::path freeFile(const std::filesystem::path& folder, const std::string& name,
                               const std::string& ending);

/// Throws Error where it cannot be deleted; one that is not there is none.
void removeFile(const std::filesystem::path& path);

/// Changes when the file changes: size and modification time; 0 when it does not exist.
uint64_t fileStamp(const std::filesystem::path& path);

/// An id as the name of one file or folder in another: letters, figures, "-" and "_" as they are, all else by
/// its number, so that it names nothing above, below or hidden. Different ids, different names.
std::string nameOfId(const std::string& id);

}  // namespace ovrix::base
