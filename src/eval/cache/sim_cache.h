// Frames of simulations that are kept in memory.
#pragma once
#include <list>
#include <map>
#include <mutex>

#include "eval/cache/key_locks.h"
#include "geo/points/blocks.h"
#include "sim/solver.h"

namespace ovrix::eval {

/// All functions are thread safe. Columns that frames share count once.
class SimCache {
  public:
    explicit SimCache(size_t limit = size_t(2) << 30) : limit_(limit) {}
    /// Bytes that are kept; takes hold with the next frame.
    void setLimit(size_t bytes);

    /// Null when it is not kept.
    SolverStatePtr at(uint64_t life, int frame);
    /// The last that is kept at @p frame or before it; null for none.
    SolverStatePtr upTo(uint64_t life, int frame);
    /// Past the limit the simulations used least recently go first. Of one that is too long by itself its
    /// early frames stay, with the newest: then playing it again and again still finds those.
    void store(uint64_t life, SolverStatePtr state);
    /// The same, or what is left of a frame that is too much to keep whole: places, speeds, ages and ids,
    /// from which nothing can be gone on. Null when there is neither.
    SolverStatePtr traceAt(uint64_t life, int frame);
    /// The frames kept, rising, each with its number of elements.
    std::vector<std::pair<int, size_t>> frames(uint64_t life) const;
    size_t bytes() const;
    void clear();

    /// One thread at a time works on a simulation; others wait, and look again.
    KeyLocks::Turn turnOf(uint64_t life, Progress& progress) { return turns_.take(life, progress); }

  private:
    struct Life {
        std::map<int, SolverStatePtr> frames;
        std::map<int, SolverStatePtr> traces;  ///< of those that had to go
        std::list<uint64_t>::iterator recent;
    };
    Life& simulationKeyOf(uint64_t life);
    void shrink(uint64_t life, int newest);

    KeyLocks turns_;
    mutable std::mutex mutex_;
    std::map<uint64_t, Life> lives_;
    std::list<uint64_t> recent_;  // most recent first
    size_t limit_;
    BlockCount held_;
};

}  // namespace ovrix::eval
