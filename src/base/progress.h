// Progress and cancelling of long work, without knowing any toolkit.
#pragma once
#include <atomic>
#include <functional>
#include <list>
#include <mutex>
#include <string>

#include "base/house.h"

namespace ovrix::base {

/// Shared by the thread that works and the thread that watches. All functions are thread safe.
class Progress {
  public:
    /// Asks the work to stop; it throws Cancelled at its next check().
    void cancel() { cancelled_.store(true, std::memory_order_relaxed); }
    bool cancelled() const { return cancelled_.load(std::memory_order_relaxed); }
    /// Throws Cancelled if cancel() was called. Cheap: one relaxed load.
    void check() const;
    /// Fraction done of the current task, 0 to 1.
    float fraction() const { return fraction_.load(std::memory_order_relaxed); }
    std::string title() const;
    /// A Progress for work that nobody watches.
    static Progress& none();

    /// Names the work from construction to destruction, so that no early return leaves it running. Of
    /// several, nested or side by side, the last begun is told.
    class Task {
      public:
        Task(Progress& progress, std::string title);
        ~Task();
        Task(const Task&) = delete;
        Task& operator=(const Task&) = delete;
        /// Reports the fraction done, where it is this one that is told, and checks for cancelling.
        void report(float fraction);

      private:
        Progress& progress_;
        std::list<std::string>::iterator title_;
    };

  private:
    std::atomic<bool> cancelled_{false};
    std::atomic<float> fraction_{0.0f};
    mutable std::mutex mutex_;
    std::list<std::string> titles_;
};

}  // namespace ovrix::base
