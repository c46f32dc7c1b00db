// Loops within loops that are cancelled.
#include "base/parallel.h"

#include <numeric>

#include "base/error.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// Runs it in a loop that was cancelled, as by what another piece of it threw.
void inCancelled(const std::function<void()>& work) {
    tbb::task_group_context outer;
    tbb::parallel_for(
        0, 1,
        [&](int) {
            outer.cancel_group_execution();
            work();
        },
        outer);
}

}  // namespace

TEST_CASE("a loop is whole though the one around it was cancelled", "[parallel][threads]") {
    std::vector<uint32_t> values(100000);
    inCancelled([&] {
        parallelFor(values.size(), Progress::none(), [&](size_t i) { values[i] = uint32_t(i * 7919); });
    });
    size_t right = 0;
    for (size_t i = 0; i < values.size(); ++i) right += values[i] == uint32_t(i * 7919);
    CHECK(right == values.size());
    inCancelled([&] { parallelSort(values); });
    CHECK(std::is_sorted(values.begin(), values.end()));
    std::vector<int> few(7);
    inCancelled([&] { parallelEach(few.size(), Progress::none(), [&](size_t i) { few[i] = 1; }); });
    CHECK(std::accumulate(few.begin(), few.end(), 0) == 7);
}

TEST_CASE("what a piece throws ends its own loop, and comes out of all around it", "[parallel][threads]") {
    const auto nested = [] {
        parallelEach(4, Progress::none(), [](size_t a) {
            parallelEach(4, Progress::none(), [a](size_t b) {
                if (a == 2 && b == 3) throw Error("enough");
            });
        });
    };
    CHECK_THROWS_AS(nested(), Error);
    Progress progress;
    progress.cancel();
    CHECK_THROWS_AS(parallelFor(10, progress, [](size_t) {}), Cancelled);
    size_t ran = 0;
    parallelFor(0, progress, [&](size_t) { ++ran; });  // nothing to do, nothing to leave undone
    CHECK(ran == 0);
}

TEST_CASE("few and many are sorted alike", "[parallel]") {
    for (const size_t n : {0, 1, 2, 4095, 4096, 50000}) {
        std::vector<std::pair<uint32_t, uint32_t>> values(n);
        for (size_t i = 0; i < n; ++i) values[i] = {uint32_t(i * 2654435761u) % 1000, uint32_t(i)};
        auto other = values;
        parallelSort(values);
        std::sort(other.begin(), other.end());
        CHECK(values == other);
    }
}
