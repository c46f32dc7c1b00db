// A thread that does one job after another.
#pragma once
#include <atomic>
#include <chrono>
#include <condition_variable>
#include <deque>
#include <functional>
#include <memory>
#include <mutex>
#include <string>
#include <thread>

#include "base/progress.h"

namespace ovrix::app {

/// Jobs that must all be done, in order, and beside them the newest of those that replace each other: that
/// one comes when no other waits. All of it may be called from any thread. A job reports its own errors; one
/// that escapes is given to the caller of the constructor, on the job thread, since nothing may end the
/// program.
class JobThread {
  public:
    using Job = std::function<void(Progress&)>;
    /// What is done with a newest job's forerunner that still runs.
    enum class Forerunner {
        Cancel,
        /// Nearly done work is let finish, or while a value is dragged nothing would ever show.
        CancelIfLong
    };

    explicit JobThread(std::function<void(const std::exception&)> escaped);
    /// Cancels what runs and waits for it; what waits is not begun.
    ~JobThread();
    JobThread(const JobThread&) = delete;
    JobThread& operator=(const JobThread&) = delete;

    void post(Job job);
    void postNewest(Job job, Forerunner forerunner);
    /// Asks what runs to end; what waits is done.
    void cancel();
    /// Asks what runs to end, and forgets what waits.
    void clear();

    /// Whether something runs or waits.
    bool busy() const { return busy_.load(); }
    /// Seconds since the running job began; 0 when none runs.
    double busySeconds() const;
    /// Of the running job's progress.
    std::string title() const;
    float fraction() const;
    /// Waits until nothing runs or waits. For tests and pictures.
    void waitIdle();

  private:
    void loop();
    Job next();

    std::function<void(const std::exception&)> escaped_;
    mutable std::mutex mutex_;
    std::condition_variable wake_, idle_;
    std::deque<Job> waiting_;
    Job newest_;
    std::shared_ptr<Progress> running_;
    std::chrono::steady_clock::time_point began_;
    std::atomic<bool> busy_{false};
    bool stop_ = false;
    std::thread thread_;  // last: it ends before what it uses
};

}  // namespace ovrix::app
