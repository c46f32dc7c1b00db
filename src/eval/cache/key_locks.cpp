#include "eval/cache/key_locks.h"

#include <chrono>

namespace ovrix::eval {

KeyLocks::Turn::Turn(KeyLocks& locks, uint64_t key, std::shared_ptr<Lock> lock)
    : locks_(locks), key_(key), lock_(std::move(lock)) {}

KeyLocks::Turn::~Turn() {
    if (!lock_) return;
    lock_->owner = std::thread::id();
    lock_->mutex.unlock();
    const std::lock_guard guard(locks_.mutex_);
    const auto known = locks_.locks_.find(key_);
    // Of the table and of this one: nobody waits.
    if (known != locks_.locks_.end() && known->second == lock_ && lock_.use_count() == 2)
        locks_.locks_.erase(known);
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
        progress.check();
    lock->owner = std::this_thread::get_id();
    return {*this, key, std::move(lock)};
}

}  // namespace ovrix::eval
