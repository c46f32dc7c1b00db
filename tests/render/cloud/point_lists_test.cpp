#include "render/cloud/point_lists.h"

#include <oneapi/tbb/global_control.h>

#include <limits>

#include "base/random.h"
#include "support.h"

namespace ovrix::tests {

using render::PointLists;

namespace {

struct Point {
    int x, y;
    float depth;
};

std::vector<Point> somePoints(size_t count, int width, int height) {
    std::vector<Point> points;
    for (size_t i = 0; i < count; ++i) {
        const Random4 r = random4(3, i, Stream::User);
        // Some outside, some as far as others.
        points.push_back({int(r[0] * float(width + 4)) - 2, int(r[1] * float(height + 4)) - 2,
                          std::floor(r[2] * 50.0f) / 10.0f});
    }
    return points;
}

PointLists listsOf(const std::vector<Point>& points, const PointLists::Frame& frame) {
    return {points.size(), frame,
            [&](size_t i, const auto& put) { put(points[i].x, points[i].y, points[i].depth); },
            Progress::none()};
}

}  // namespace

TEST_CASE("points lie in their pixels, from the nearest on", "[cloud]") {
    for (const auto& [width, height] : {std::pair{70, 45}, {1, 1}, {32, 32}, {33, 1}}) {
        const auto points = somePoints(20000, width, height);
        const PointLists lists = listsOf(points, {width, height, 0.0f, 5.0f});
        size_t found = 0;
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x) {
                std::vector<std::pair<float, uint32_t>> expected, actual;
                for (size_t i = 0; i < points.size(); ++i)
                    if (points[i].x == x && points[i].y == y) expected.emplace_back(points[i].depth, i);
                std::stable_sort(expected.begin(), expected.end());
                for (const auto& e : lists.pixel(x, y)) actual.emplace_back(points[e.point].depth, e.point);
                REQUIRE(actual == expected);
                found += actual.size();
            }
        CHECK(found == lists.size());
    }
}

TEST_CASE("a depth is kept to a four millionth of its range", "[cloud]") {
    const std::vector<Point> points{{0, 0, 1.0f}, {0, 0, 2.3456f}, {0, 0, 9.0f}};
    const PointLists lists = listsOf(points, {1, 1, 1.0f, 9.0f});
    for (const auto& e : lists.pixel(0, 0))
        CHECK(std::abs(lists.depthOf(e) - points[e.point].depth) <= 8.0f * 0x1p-22f);
}

TEST_CASE("lists take what is nothing, one, out of range and no number", "[cloud]") {
    CHECK(listsOf({}, {4, 4, 0.0f, 1.0f}).size() == 0);
    CHECK(listsOf({}, {0, 0, 0.0f, 1.0f}).size() == 0);
    const float nan = std::numeric_limits<float>::quiet_NaN(), inf = std::numeric_limits<float>::infinity();
    const PointLists lists =
        listsOf({{0, 0, nan}, {0, 0, inf}, {0, 0, -inf}, {0, 0, 0.5f}}, {1, 1, 0.0f, 1.0f});
    REQUIRE(lists.pixel(0, 0).size() == 4);
    CHECK(lists.pixel(0, 0)[3].point == 1);
    CHECK(listsOf({{0, 0, 2.0f}}, {1, 1, 2.0f, 2.0f}).size() == 1);  // all as far
}

TEST_CASE("lists are the same on any threads", "[cloud][threads]") {
    const auto points = somePoints(200000, 300, 200);
    const PointLists many = listsOf(points, {300, 200, 0.0f, 5.0f});
    const oneapi::tbb::global_control one(oneapi::tbb::global_control::max_allowed_parallelism, 1);
    const PointLists single = listsOf(points, {300, 200, 0.0f, 5.0f});
    for (int y = 0; y < 200; ++y)
        for (int x = 0; x < 300; ++x) {
            const auto a = many.pixel(x, y), b = single.pixel(x, y);
            REQUIRE(std::equal(a.begin(), a.end(), b.begin(), b.end(), [](const auto& p, const auto& q) {
                return p.point == q.point && p.key == q.key;
            }));
        }
}

}  // namespace ovrix::tests
