#include "scene/sim_cache.h"

namespace ovrix {

size_t bytesOf(const SolverState& state) {
    return bytesOf(state.geometry) + state.numbers.size() * sizeof(double) + 256;
}

void SimCache::setLimit(size_t bytes) {
    std::lock_guard lock(mutex_);
    limit_ = bytes;
}

SimCache::Life& SimCache::lifeOf(uint64_t life) {
    const auto [it, fresh] = lives_.try_emplace(life);
    if (fresh) {
        recent_.push_front(life);
        it->second.recent = recent_.begin();
    } else {
        recent_.splice(recent_.begin(), recent_, it->second.recent);
    }
    return it->second;
}

SolverStatePtr SimCache::at(uint64_t life, int frame) {
    std::lock_guard lock(mutex_);
    if (!lives_.count(life)) return nullptr;
    const Life& l = lifeOf(life);
    const auto it = l.frames.find(frame);
    return it == l.frames.end() ? nullptr : it->second;
}

SolverStatePtr SimCache::upTo(uint64_t life, int frame) {
    std::lock_guard lock(mutex_);
    if (!lives_.count(life)) return nullptr;
    const Life& l = lifeOf(life);
    auto it = l.frames.upper_bound(frame);
    return it == l.frames.begin() ? nullptr : (--it)->second;
}

void SimCache::keep(uint64_t life, SolverStatePtr state) {
    std::lock_guard lock(mutex_);
    Life& l = lifeOf(life);
    const int frame = int(state->frame);
    const auto [it, fresh] = l.frames.try_emplace(frame, state);
    if (!fresh) return;
    bytes_ += bytesOf(*state);
    shrink(life, frame);
}

void SimCache::shrink(uint64_t life, int newest) {
    while (bytes_ > limit_ && recent_.back() != life) {
        Life& oldest = lives_[recent_.back()];
        for (const auto& [frame, state] : oldest.frames) bytes_ -= bytesOf(*state);
        lives_.erase(recent_.back());
        recent_.pop_back();
    }
    Life& own = lives_[life];
    while (bytes_ > limit_ && own.frames.size() > 1) {
        auto last = std::prev(own.frames.end());
        if (last->first == newest) --last;
        bytes_ -= bytesOf(*last->second);
        own.frames.erase(last);
    }
}

std::vector<std::pair<int, size_t>> SimCache::frames(uint64_t life) const {
    std::lock_guard lock(mutex_);
    std::vector<std::pair<int, size_t>> out;
    if (const auto it = lives_.find(life); it != lives_.end())
        for (const auto& [frame, state] : it->second.frames)
            out.emplace_back(frame, elementCount(state->geometry));
    return out;
}

size_t SimCache::bytes() const {
    std::lock_guard lock(mutex_);
    return bytes_;
}

void SimCache::clear() {
    std::lock_guard lock(mutex_);
    lives_.clear();
    recent_.clear();
    bytes_ = 0;
}

std::shared_ptr<std::timed_mutex> SimCache::lockOf(uint64_t life) {
    std::lock_guard lock(mutex_);
    return lifeOf(life).mutex;
}

}  // namespace ovrix
