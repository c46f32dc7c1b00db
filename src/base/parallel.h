// Loops over elements on all threads. Results may depend on the element's index only, never on the split.
// A loop is one of its own: it is whole, or throws, though a loop that it runs within was cancelled meanwhile
// by what another piece of that one threw. What is made in it may be kept for others.
#pragma once
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <tbb/parallel_sort.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <atomic>
#include <cstddef>
#include <vector>

#include "base/progress.h"

namespace ovrix::base {

/// The end of a loop as the thread sanitizer sees it: the scheduler's own hand-over lies in a library that is
/// not built with it. Nothing else asks for this.
class LoopEnd {
  public:
    void pieceDone() {
#ifdef __SANITIZE_THREAD__
        pieces_.fetch_add(1, std::memory_order_release);
#endif
    }
    ~LoopEnd() {
#ifdef __SANITIZE_THREAD__
        pieces_.load(std::memory_order_acquire);
#endif
    }

  private:
#ifdef __SANITIZE_THREAD__
    std::atomic<size_t> pieces_{0};
#endif
};

/// Calls body(begin, end) for pieces that cover [0, count). Checks @p progress before each piece; a piece
/// is small enough (grain elements) that cancelling answers within a few milliseconds.
template <class Body, class Partitioner = tbb::auto_partitioner>
void parallelRanges(size_t count, size_t grain, Progress& progress, const Body& body,
                    const Partitioner& pieces = Partitioner()) {
    tbb::task_group_context own(tbb::task_group_context::isolated);
    LoopEnd end;
    tbb::parallel_for(
        tbb::blocked_range<size_t>(0, count, grain),
        [&](const tbb::blocked_range<size_t>& range) {
            progress.check();
            body(range.begin(), range.end());
            end.pieceDone();
        },
        pieces, own);
}

/// Calls body(i) for each i in [0, count).
template <class Body>
void parallelFor(size_t count, Progress& progress, const Body& body) {
    parallelRanges(count, 1024, progress, [&](size_t begin, size_t end) {
        for (size_t i = begin; i < end; ++i) body(i);
    });
}

/// As parallelFor(), where each is much work: a thread that is free takes the next one.
template <class Body>
void parallelEach(size_t count, Progress& progress, const Body& body) {
    parallelRanges(
        count, 1, progress, [&](size_t begin, size_t) { body(begin); }, tbb::simple_partitioner());
}

/// Runs work of a library that has loops. The thread takes nothing up, while it waits there, of what called
/// it.
template <class Work>
void apart(const Work& work) {
    tbb::task_arena arena;
    arena.execute(work);
}

/// Ascending by <. Elements that are equal must be the same: their order is any.
template <class T>
void parallelSort(std::vector<T>& values) {
    constexpr size_t kFew = 4096;  // for which waking threads takes longer
    if (values.size() < kFew)
        std::sort(values.begin(), values.end());
    else
        apart([&] { tbb::parallel_sort(values.begin(), values.end()); });
}

}  // namespace ovrix::base
