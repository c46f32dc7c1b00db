// Loops over elements on all threads. Results may depend on the element's index only, never on the split.
#pragma once
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <cstddef>

#include "base/progress.h"

namespace ovrix::base {

/// Calls body(begin, end) for pieces that cover [0, count). Checks @p progress before each piece; a piece
/// is small enough (grain elements) that cancelling answers within a few milliseconds.
template <class Body>
void parallelRanges(size_t count, size_t grain, Progress& progress, const Body& body) {
    tbb::parallel_for(tbb::blocked_range<size_t>(0, count, grain),
                      [&](const tbb::blocked_range<size_t>& range) {
                          progress.check();
                          body(range.begin(), range.end());
                      });
}

/// Calls body(i) for each i in [0, count).
template <class Body>
void parallelFor(size_t count, Progress& progress, const Body& body) {
    parallelRanges(count, 1024, progress, [&](size_t begin, size_t end) {
        for (size_t i = begin; i < end; ++i) body(i);
    });
}

}  // namespace ovrix::base
