// The queue as a file: renders that wait, work and are done. The window and the shell read and write the same
// one, at the same time.
#pragma once
#include <filesystem>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "eval/scene_context.h"

namespace ovrix::deliver {

/// A frame that lies there whole.
struct QueuedFrame {
    uint64_t scene = 0;  ///< what it was made from: see sceneStamp()
    double seconds = 0;
    bool operator==(const QueuedFrame&) const = default;
};

/// A still, a range of frames or a video of one scene.
struct QueueJob {
    std::string id, name;
    std::string scene;  ///< its file; paths of a queue start where it lies
    int first = 1, last = 1;
    std::string camera = {};           ///< id; empty for the render settings' own
    int width = 0, height = 0;         ///< 0 for the render settings' own
    int samples = 0;                   ///< 0 for the render settings' own
    std::optional<double> noise = {};  ///< in place of the render settings' own
    bool denoise = true;
    bool steady = true;  ///< denoised frames go by those before: see FrameOptions
    bool finish = true;  ///< the scene's finish is run, but for EXR
    /// What is other than in the scene: "sun/elevation=10". See withText().
    std::vector<std::string> changes = {};
    std::string codec = {};  ///< of a video; the ending's usual one where nothing is said
    std::string out;         ///< NAME.png, NAME.####.exr, NAME.mp4
    bool paused = false;
    std::string failed = {};  ///< why it gave up; empty where it did not
    std::map<int, QueuedFrame> done = {};

    int count() const { return last - first + 1; }
    bool complete() const { return int(done.size()) >= count(); }
    bool isVideo() const;
    bool isSteady() const { return steady && denoise && count() > 1; }
    /// The first frame that is not there yet.
    std::optional<int> next() const;
    bool operator==(const QueueJob&) const = default;
};

struct Queue {
    std::vector<QueueJob> jobs;  ///< in the order in which they are worked on
    bool paused = false;         ///< who works on it ends
    QueueJob* find(const std::string& id);
    const QueueJob* find(const std::string& id) const;
    /// The first job that can be worked on; null for none.
    const QueueJob* next() const;
    bool operator==(const Queue&) const = default;
};

/// The usual ending, with its dot.
inline constexpr const char* kQueueEnding = ".queue";

/// An empty queue where there is no file. Throws Error, naming it, where it is damaged or none of ours.
Queue readQueue(const std::filesystem::path& path);
/// Reads it, lets @p change work on it, and writes it, while nobody else does. The file is whole or as it
/// was. Throws Error, and what @p change throws.
Queue editQueue(const std::filesystem::path& path, const std::function<void(Queue&)>& change);

/// Puts a job at the end, with an id that is free. Throws Error where it cannot be done: no such scene,
/// frames or ending, several frames of one name.
Queue addToQueue(const std::filesystem::path& path, QueueJob job);

/// Where a path of the queue leads.
std::filesystem::path fromQueue(const std::filesystem::path& queue, const std::string& path);

/// The scene of a job with what is other in it. Throws Error.
SceneContext sceneOf(const std::filesystem::path& queue, const QueueJob& job);
/// Changes with all that a job's pictures are made from: the scene, the files that it names (by size and
/// date), and what the job says. Throws Error where the scene cannot be read.
uint64_t sceneStamp(const SceneContext& scene, const QueueJob& job);
/// Where what is under way lies: films, pictures so far, frames of videos.
std::filesystem::path queueFolder(const std::filesystem::path& path);
/// Where a frame's picture lies; those of a video until it is there.
std::filesystem::path frameFile(const std::filesystem::path& queue, const QueueJob& job, int frame);
/// Frames that were done and are not there any more: somebody took their pictures away, or the video of all.
std::vector<int> goneFrames(const std::filesystem::path& queue, const QueueJob& job);
/// Frames that were made from something else than is there now, all where the scene is gone; and those that
/// are gone.
std::vector<int> staleFrames(const std::filesystem::path& queue, const QueueJob& job);

}  // namespace ovrix::deliver
