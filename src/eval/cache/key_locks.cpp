#include "eval/cache/key_locks.h"

#include <chrono>

#include "base/error.h"

namespace ovrix::eval {

KeyLocks::Turn::Turn(KeyLocks& locks, uint64_t key, std::shared_ptr<Lock> lock)
    : locks_(locks), key_(key), lock_(std::move(lock)) {}

KeyLocks::Turn::~Turn() {
    if (!lock_) return;
    lock_->owner = std::thread::id();
    lock_->mutex.unlock();
    locks_.leave(key_, lock_);
}

/// The last that has it, or waits for it, takes it out of the table.
void KeyLocks::leave(uint64_t key, const std::shared_ptr<Lock>& lock) {
    const std::lock_guard guard(mutex_);
    const auto known = locks_.find(key);
    if (known != locks_.end() && known->second == lock && lock.use_count() == 2) locks_.erase(known);
}

KeyLocks::Turn KeyLocks::take(uint64_t key, Progress& progress) {
    std::shared_ptr<Lock> lock;
    {
        const std::lock_guard guard(mutex_);
        auto& known = locks_[key];
        if (!known) known = std::make_shared<Lock>();
        lock = known;
    }
    if (lock->owner == std::this_thread::get_id()) return {*this, key, nullptr};
    // By the clock of the system: waiting by another one is a call that the thread sanitizer does not know.
    while (!lock->mutex.try_lock_until(std::chrono::system_clock::now() + std::chrono::milliseconds(20)))
        if (progress.cancelled()) {
            leave(key, lock);
            throw Cancelled();
        }
    lock->owner = std::this_thread::get_id();
    return {*this, key, std::move(lock)};
}

size_t KeyLocks::size() const {
    const std::lock_guard guard(mutex_);
    return locks_.size();
}

}  // namespace ovrix::eval
