// The order in which neighbours follow each other.
#include "geo/points/order.h"

#include <numeric>
#include <set>

#include "base/random.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

TEST_CASE("an order in space holds each place once, and neighbours lie near", "[geo][order]") {
    std::vector<V3f> p(20000);
    for (size_t i = 0; i < p.size(); ++i) {
        const Random4 r = random4(3, i, Stream::Place);
        p[i] = V3f(r[0], r[1], r[2]) * 40.0f - V3f(7, 0, 90);
    }
    const std::vector<uint32_t> order = orderInSpace(p);
    std::vector<uint32_t> sorted = order;
    std::sort(sorted.begin(), sorted.end());
    std::vector<uint32_t> all(p.size());
    std::iota(all.begin(), all.end(), 0u);
    CHECK(sorted == all);
    const auto path = [&](const std::vector<uint32_t>& along) {
        double sum = 0;
        for (size_t i = 1; i < along.size(); ++i) sum += double((p[along[i]] - p[along[i - 1]]).length());
        return sum;
    };
    CHECK(path(order) < 0.1 * path(all));  // a cell is a thousandth as wide; the curve jumps now and then
    CHECK(orderInSpace(p) == order);
}

TEST_CASE("an order in space takes what is empty, alike, huge or no number", "[geo][order]") {
    CHECK(orderInSpace({}).empty());
    CHECK(orderInSpace(std::vector<V3f>(4, V3f(2))) == std::vector<uint32_t>{0, 1, 2, 3});  // by index
    const std::vector<V3f> odd{{1, 1, 1}, {NAN, 0, 0}, {0, 0, 0}, {INFINITY, 0, 0}, {3e38f, -3e38f, 0}};
    const auto order = orderInSpace(odd);
    REQUIRE(order.size() == odd.size());
    CHECK(std::set<uint32_t>(order.begin(), order.end()).size() == odd.size());
    // Octants in the order of their bits: x, then y, then z.
    const std::vector<V3f> corners{{1, 1, 1}, {0, 0, 1}, {0, 1, 0}, {1, 0, 0}, {0, 0, 0}};
    CHECK(orderInSpace(corners) == std::vector<uint32_t>{4, 3, 2, 1, 0});
}
