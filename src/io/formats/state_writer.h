// Writes the frames of a simulation while the next is worked out.
#pragma once
#include <future>

#include "io/formats/state_file.h"

namespace ovrix::io {

/// One frame at a time goes to the disk, on a thread of its own. Of one thread.
class StateWriter {
  public:
    StateWriter() = default;
    StateWriter(const StateWriter&) = delete;
    StateWriter& operator=(const StateWriter&) = delete;
    /// Waits for what is being written, and runs what comes after it; errors are lost.
    ~StateWriter();
    /// Waits for the frame before, then begins with this one. @p write  see readyStateFile(). @p then runs
    /// when it is on the disk, within the next call, on the caller's thread. Throws the Error of the frame
    /// before.
    void add(std::function<void()> write, std::function<void()> then = {});
    /// Waits for the last. Throws its Error.
    void finish();

  private:
    std::future<void> writing_;
    std::function<void()> then_;
};

}  // namespace ovrix::io
