// The thread that bakes; one bake after another.
#pragma once
#include <condition_variable>
#include <deque>
#include <thread>

#include "eval/bake.h"

namespace ovrix::app {

class BakeWorker {
  public:
    struct Job {
        SceneContext scene;
        std::string layer;
        int first = 1, last = 1;
    };
    struct State {
        bool running = false;
        std::string layer;
        int frame = 0, first = 0, last = 0;
    };
    /// Called on the worker's thread: after each frame with an empty text; at the end with what there is to
    /// say.
    using Tell = std::function<void(const std::string& text, bool bad, bool ended)>;

    explicit BakeWorker(Tell tell);
    ~BakeWorker();
    void start(Job job);
    /// Stops what runs and forgets what waits. What was written stays, and a later bake goes on from there.
    void cancel();
    State state() const;

  private:
    void loop();
    void run(const Job& job, Progress& progress);

    Tell tell_;
    mutable std::mutex mutex_;
    std::condition_variable wake_;
    std::deque<Job> waiting_;
    std::shared_ptr<Progress> running_;
    State state_;
    bool stop_ = false;
    std::thread thread_;
};

}  // namespace ovrix::app
