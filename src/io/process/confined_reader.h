// Files that libraries read which do not look what they are given: in a process of its own, with nothing it
// could spoil.
#pragma once
#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

#include "base/progress.h"

namespace ovrix::io {

/// What the reading process is asked for. Each gives the bytes that its function below packs.
enum class Reading { Mesh, Frame, Points, PointsInfo, Vectors };

/// An answer, in memory that both processes see; gone with this.
class Answer {
  public:
    explicit Answer(int file);
    ~Answer();
    Answer(const Answer&) = delete;
    Answer& operator=(const Answer&) = delete;
    std::string_view bytes() const { return {data_, size_}; }

  private:
    const char* data_ = nullptr;
    size_t size_ = 0;
};

/// Has a file read in a process that is confined as confineToReading() says, killed when it takes too long or
/// @p progress is cancelled, and gone before this returns.
/// @param memory  bytes that the scene may take; the process gets some times that @param more  what else it
/// is told Throws Error naming the file and what is wrong with it, or Cancelled.
std::unique_ptr<Answer> readConfined(Reading what, const std::filesystem::path& path, size_t memory,
                                     Progress& progress, const std::vector<std::string>& more = {});

/// The reading process: reads what its arguments say, after confining itself, and writes the answer, or the
/// parts of an error, to file descriptor 3. Gives the exit code.
int readingProcess(int argc, char** argv);

}  // namespace ovrix::io
