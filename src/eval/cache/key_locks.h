// Locks by key, for what several threads may ask for at a time and one should make.
#pragma once
#include <atomic>
#include <cstdint>
#include <map>
#include <memory>
#include <mutex>
#include <thread>

#include "base/progress.h"

namespace ovrix::eval {

/// One thread at a time has the turn of a key. All functions are thread safe.
class KeyLocks {
    struct Lock {
        std::timed_mutex mutex;
        std::atomic<std::thread::id> owner{};
    };

  public:
    /// Has the key's turn while it lives, on the thread that took it. Where loops run meanwhile they must be
    /// isolated: a task that is taken up while waiting may ask for the same.
    class Turn {
      public:
        Turn(Turn&& other) noexcept = default;
        Turn& operator=(Turn&&) = delete;
        ~Turn();

      private:
        friend class KeyLocks;
        Turn(KeyLocks& locks, uint64_t key, std::shared_ptr<Lock> lock);
        KeyLocks& locks_;
        uint64_t key_;
        std::shared_ptr<Lock> lock_;  ///< null when the thread has the turn already, or it was moved from
    };

    /// Waits until no other thread has the key's turn. Throws Cancelled.
    Turn take(uint64_t key, Progress& progress);
    /// Keys that someone has, or waits for.
    size_t size() const;

  private:
    void leave(uint64_t key, const std::shared_ptr<Lock>& lock);

    mutable std::mutex mutex_;
    std::map<uint64_t, std::shared_ptr<Lock>> locks_;  ///< of keys that someone has, or waits for
};

}  // namespace ovrix::eval
