#include "eval/cache/sim_cache.h"

#include <set>

namespace ovrix::eval {

/// With what is a state's own: its numbers and texts.
static std::vector<Block> blocksOf(const SolverState& state) {
    std::vector<Block> blocks = geo::blocksOf(state.geometry);
    blocks.push_back({&state, state.numbers.size() * sizeof(double) + 256});
    return blocks;
}

void SimCache::setLimit(size_t bytes) {
    std::lock_guard lock(mutex_);
    limit_ = bytes;
}

SimCache::Life& SimCache::simulationKeyOf(uint64_t life) {
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
    const Life& l = simulationKeyOf(life);
    const auto it = l.frames.find(frame);
    return it == l.frames.end() ? nullptr : it->second;
}

SolverStatePtr SimCache::traceAt(uint64_t life, int frame) {
    std::lock_guard lock(mutex_);
    if (!lives_.count(life)) return nullptr;
    const Life& l = simulationKeyOf(life);
    for (const auto* frames : {&l.frames, &l.traces})
        if (const auto it = frames->find(frame); it != frames->end()) return it->second;
    return nullptr;
}

SolverStatePtr SimCache::upTo(uint64_t life, int frame) {
    std::lock_guard lock(mutex_);
    if (!lives_.count(life)) return nullptr;
    const Life& l = simulationKeyOf(life);
    auto it = l.frames.upper_bound(frame);
    return it == l.frames.begin() ? nullptr : (--it)->second;
}

void SimCache::store(uint64_t life, SolverStatePtr state) {
    std::lock_guard lock(mutex_);
    Life& l = simulationKeyOf(life);
    const int frame = int(state->frame);
    const auto [it, fresh] = l.frames.try_emplace(frame, state);
    if (!fresh) return;
    held_.add(blocksOf(*state));
    shrink(life, frame);
}

/// What trails ask of a frame; null for what is no particles.
static SolverStatePtr traceOf(const SolverState& state) {
    const auto* points = std::get_if<std::shared_ptr<const PointSet>>(&state.geometry);
    if (!points) return nullptr;
    auto left = std::make_shared<PointSet>(**points);
    static const std::set<std::string> wanted = {"P", "v", "id", "age", "scale", "state"};
    for (const auto& [name, column] : (*points)->attributes.columns())
        if (!wanted.count(name)) left->attributes.remove(name);
    return std::make_shared<const SolverState>(
        SolverState{state.frame, std::shared_ptr<const PointSet>(left)});
}

void SimCache::shrink(uint64_t life, int newest) {
    while (held_.bytes() > limit_ && recent_.back() != life) {
        Life& oldest = lives_[recent_.back()];
        for (const auto* frames : {&oldest.frames, &oldest.traces})
            for (const auto& [frame, state] : *frames) held_.remove(blocksOf(*state));
        lives_.erase(recent_.back());
        recent_.pop_back();
    }
    Life& own = lives_[life];
    while (held_.bytes() > limit_ && own.frames.size() > 1) {
        auto last = std::prev(own.frames.end());
        if (last->first == newest) --last;
        held_.remove(blocksOf(*last->second));
        if (SolverStatePtr trace = traceOf(*last->second)) {
            held_.add(blocksOf(*trace));
            own.traces[last->first] = std::move(trace);
        }
        own.frames.erase(last);
        // Half of the room is for them at most; those that are farthest back go first.
        size_t traced = 0;
        for (const auto& [frame, state] : own.traces) traced += bytesOf(state->geometry);
        while (traced > limit_ / 2 && !own.traces.empty()) {
            traced -= bytesOf(own.traces.begin()->second->geometry);
            held_.remove(blocksOf(*own.traces.begin()->second));
            own.traces.erase(own.traces.begin());
        }
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
    return held_.bytes();
}

void SimCache::clear() {
    std::lock_guard lock(mutex_);
    lives_.clear();
    recent_.clear();
    held_ = {};
}

}  // namespace ovrix::eval
