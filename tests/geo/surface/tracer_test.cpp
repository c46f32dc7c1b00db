// Trees for rays that are made within parallel loops.
#include <tbb/parallel_for.h>
#include <tbb/task_group.h>

#include "geo/mesh/primitives.h"
#include "geo/surface/surface.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

bool metFromAbove(const Surface& s) { return s.intersect(V3f(0.1f, 2, 0.1f), V3f(0, -1, 0), 10).hit; }

/// Runs it far down the stack, and leaves other bytes there.
void farDown(const std::function<void()>& work) {
    std::array<volatile char, 1 << 16> stack;
    if (work) work();
    for (volatile char& c : stack) c = 3;
}

}  // namespace

TEST_CASE("cancelling reads nothing of loops that are gone, though their trees are there",
          "[surface][threads]") {
    std::array<std::unique_ptr<const Surface>, 4> surfaces;
    for (auto& s : surfaces) s = std::make_unique<const Surface>(makePlane(2, 4));
    std::atomic<int> met = 0;
    farDown([&] {
        farDown([&] {
            tbb::parallel_for(0, 2, [&](int a) {
                tbb::parallel_for(0, 2,
                                  [&](int b) { met += int(metFromAbove(*surfaces[size_t(2 * a + b)])); });
            });
        });
        farDown({});
    });
    CHECK(met == 4);
    const auto nested = [] {
        tbb::parallel_for(
            0, 4, [](int) { tbb::parallel_for(0, 4, [](int) { throw std::runtime_error("enough"); }); });
    };
    for (int k = 0; k < 10; ++k) CHECK_THROWS_AS(nested(), std::runtime_error);
}

TEST_CASE("a tree that is first asked for in what was cancelled is whole", "[surface][threads]") {
    const Surface s(makePlane(2, 4));
    tbb::task_group_context outer;
    bool met = false;
    tbb::parallel_for(
        0, 1,
        [&](int) {
            outer.cancel_group_execution();
            met = metFromAbove(s);
        },
        outer);
    CHECK(met);
    CHECK(metFromAbove(s));
}
