// A regular file that is open for reading.
#pragma once
#include <cstdint>
#include <filesystem>

#include "base/house.h"

namespace ovrix::base {

/// Closes with it. Links are followed; what is no regular file is refused, and a pipe that takes the file's
/// place meanwhile is not waited for.
class OpenFile {
  public:
    /// Throws Error naming the file when it is missing, not readable or no regular file.
    explicit OpenFile(const std::filesystem::path& path);
    ~OpenFile();
    OpenFile(const OpenFile&) = delete;
    OpenFile& operator=(const OpenFile&) = delete;

    uint64_t size() const { return size_; }
    /// Up to @p most bytes from where the last reading ended; 0 at the end. Throws Error. Not thread safe.
    size_t read(char* to, size_t most);
    /// All bytes from a place on; whether there were so many. Throws Error. Thread safe.
    bool readAt(uint64_t at, char* to, size_t count) const;

  private:
    [[noreturn]] void broken() const;
    std::filesystem::path path_;
    int file_ = -1;
    uint64_t size_ = 0;
};

}  // namespace ovrix::base
