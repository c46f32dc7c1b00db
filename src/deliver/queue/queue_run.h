// Working a queue off, one frame after another.
#pragma once
#include "deliver/queue/queue_file.h"

namespace ovrix::deliver {

/// What is being done: written beside the queue for whoever looks.
struct QueueProgress {
    std::string job;
    int frame = 0, pass = 0, passes = 0;
    double seconds = 0;                  ///< that this frame takes so far
    double left = 0;                     ///< that all of the job takes yet; below 0 for not known
    std::filesystem::path picture = {};  ///< as it is so far, a PNG; empty for none yet
};

struct QueueRun {
    std::function<bool()> stop = {};  ///< asked between passes: true keeps what there is and ends
    std::function<void(const QueueProgress&)> told = {};
};

/// Works on what is there until nothing is left that can be worked on, it is paused, or stop() says so. A
/// frame that was begun lies in a film beside the queue, and is gone on with by whoever comes next; its
/// picture is written whole or not at all. A job that cannot be done says why in the queue, and the next one
/// begins. Videos are written once all of their frames are there. Throws Error where the queue cannot be read
/// or written, or another run works on it.
void runQueue(const std::filesystem::path& path, const QueueRun& run);

/// Whether a run works on it now.
bool queueRuns(const std::filesystem::path& path);
/// What it said last; nothing where it said nothing yet.
std::optional<QueueProgress> queueProgress(const std::filesystem::path& path);

}  // namespace ovrix::deliver
