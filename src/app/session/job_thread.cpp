#include "app/session/job_thread.h"

#include <utility>

#include "base/error.h"

namespace ovrix::app {

using Clock = std::chrono::steady_clock;

static constexpr std::chrono::milliseconds kLong{400};

JobThread::JobThread(std::function<void(const std::exception&)> escaped)
    : escaped_(std::move(escaped)), thread_([this] { loop(); }) {}

JobThread::~JobThread() {
    {
        const std::lock_guard lock(mutex_);
        stop_ = true;
        if (running_) running_->cancel();
    }
    wake_.notify_all();
    thread_.join();
}

void JobThread::post(Job job) {
    const std::lock_guard lock(mutex_);
    waiting_.push_back(std::move(job));
    busy_ = true;
    wake_.notify_all();
}

void JobThread::postNewest(Job job, Forerunner forerunner) {
    const std::lock_guard lock(mutex_);
    newest_ = std::move(job);
    const bool mayCancel =
        forerunner == Forerunner::Cancel || (Clock::now() - began_ > kLong && waiting_.empty());
    if (running_ && mayCancel) running_->cancel();
    busy_ = true;
    wake_.notify_all();
}

void JobThread::cancel() {
    const std::lock_guard lock(mutex_);
    if (running_) running_->cancel();
}

void JobThread::clear() {
    const std::lock_guard lock(mutex_);
    waiting_.clear();
    newest_ = nullptr;
    if (running_) running_->cancel();
}

double JobThread::busySeconds() const {
    const std::lock_guard lock(mutex_);
    return running_ ? std::chrono::duration<double>(Clock::now() - began_).count() : 0.0;
}

std::string JobThread::title() const {
    const std::lock_guard lock(mutex_);
    return running_ ? running_->title() : std::string();
}

float JobThread::fraction() const {
    const std::lock_guard lock(mutex_);
    return running_ ? running_->fraction() : 0.0f;
}

void JobThread::waitIdle() {
    std::unique_lock lock(mutex_);
    idle_.wait(lock, [this] { return !busy_; });
}

/// Empty when nothing waits.
JobThread::Job JobThread::next() {
    if (waiting_.empty()) return std::exchange(newest_, nullptr);
    Job job = std::move(waiting_.front());
    waiting_.pop_front();
    return job;
}

void JobThread::loop() {
    std::unique_lock lock(mutex_);
    for (;;) {
        wake_.wait(lock, [this] { return stop_ || newest_ || !waiting_.empty(); });
        if (stop_) return;
        Job job = next();
        const auto progress = running_ = std::make_shared<Progress>();
        began_ = Clock::now();
        lock.unlock();
        try {
            job(*progress);
        } catch (const Cancelled&) {
        } catch (const std::exception& e) {
            escaped_(e);
        }
        job = nullptr;  // what it holds goes before anybody hears that it is done
        lock.lock();
        running_ = nullptr;
        busy_ = newest_ || !waiting_.empty();
        if (!busy_) idle_.notify_all();
    }
}

}  // namespace ovrix::app
