// The thread that bakes; one bake after another.
#pragma once
#include "app/session/job_thread.h"
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
    void start(Job job);
    /// Stops what runs and forgets what waits. What was written stays, and a later bake goes on from there.
    void cancel() { jobs_.clear(); }
    State state() const;

  private:
    void run(const Job& job, Progress& progress);
    void set(const State& state);

    Tell tell_;
    mutable std::mutex mutex_;
    State state_;
    JobThread jobs_;  // last: it ends before what it uses
};

}  // namespace ovrix::app
