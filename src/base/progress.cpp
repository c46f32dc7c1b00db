#include "base/progress.h"

#include "base/error.h"

namespace ovrix::base {

void Progress::check() const {
    if (cancelled()) throw Cancelled();
}

std::string Progress::title() const {
    std::lock_guard lock(mutex_);
    return titles_.empty() ? std::string() : titles_.back();
}

Progress& Progress::none() {
    static Progress progress;  // nobody can cancel it: it is only handed to code that reports
    return progress;
}

Progress::Task::Task(Progress& progress, std::string title) : progress_(progress) {
    std::lock_guard lock(progress_.mutex_);
    title_ = progress_.titles_.insert(progress_.titles_.end(), std::move(title));
    progress_.fraction_.store(0.0f, std::memory_order_relaxed);
}

Progress::Task::~Task() {
    std::lock_guard lock(progress_.mutex_);
    progress_.titles_.erase(title_);
}

void Progress::Task::report(float fraction) {
    {
        std::lock_guard lock(progress_.mutex_);
        if (std::next(title_) == progress_.titles_.end())
            progress_.fraction_.store(fraction, std::memory_order_relaxed);
    }
    progress_.check();
}

}  // namespace ovrix::base
