// Curves: through their points, along their length, to their nearest place.
#include "geo/points/curve_set.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

std::vector<V3f> circle(int n, float radius) {
    std::vector<V3f> p;
    for (int i = 0; i < n; ++i) {
        const float a = 2 * kPi * float(i) / float(n);
        p.push_back(V3f(radius * std::cos(a), 0, radius * std::sin(a)));
    }
    return p;
}

V3f somewhere(std::mt19937_64& random, float size) {
    const auto one = [&] { return size * (2.0f * float(random() >> 40) * 0x1p-24f - 1.0f); };
    return {one(), one(), one()};
}

}  // namespace

TEST_CASE("a straight curve is measured exactly", "[curve]") {
    const CurveSet set({{{0, 0, 0}, {3, 0, 0}, {3, 4, 0}}});
    REQUIRE(set.size() == 1);
    CHECK(set.length(0) == Approx(7.0));
    CHECK(set.totalLength() == Approx(7.0));
    CHECK((set.at(0, 5.0).position - V3f(3, 2, 0)).length() < 1e-5f);
    CHECK(set.at(0, 5.0).tangent == V3f(0, 1, 0));
    CHECK(set.at(0, -2.0).position == V3f(0, 0, 0));
    CHECK(set.at(0, 99.0).position == V3f(3, 4, 0));
    const auto near = set.closest({1, -2, 0});
    REQUIRE(near);
    CHECK(near->distance == Approx(2.0f));
    CHECK(near->place.along == Approx(1.0));
    CHECK_FALSE(set.closest({1, -2, 0}, 1.9f));
}

TEST_CASE("several curves are walked one after another", "[curve]") {
    const CurveSet set({{{0, 0, 0}, {1, 0, 0}}, {{9, 9, 9}}, {{0, 0, 5}, {0, 2, 5}}});
    REQUIRE(set.size() == 2);  // one point is no curve
    CHECK(set.totalLength() == Approx(3.0));
    CHECK(set.at(0.5).curve == 0);
    CHECK(set.at(2.0).curve == 1);
    CHECK((set.at(2.0).position - V3f(0, 1, 5)).length() < 1e-5f);
}

TEST_CASE("a bent curve goes through its points and is as long as the circle that they lie on", "[curve]") {
    const auto points = circle(32, 2);
    const auto line = curveThrough(points, true, true);
    CHECK(line.front() == line.back());
    for (const V3f& p : points) CHECK(std::find(line.begin(), line.end(), p) != line.end());
    // A cubic through arcs of 11.25 degrees leaves the circle by less than (pi / 32)^4 / 4 of the radius.
    for (const V3f& p : line) CHECK(p.length() == Approx(2.0f).epsilon(1e-4));
    CHECK(CurveSet({line}).totalLength() == Approx(4 * double(kPi)).epsilon(2e-4));
    CHECK(curveThrough(points, true, false).size() == 33);
    CHECK(curveThrough(points, false, false).size() == 32);
}

TEST_CASE("an open curve starts and ends at its points, and a pair of points is a straight line", "[curve]") {
    const auto line = curveThrough({{0, 0, 0}, {1, 0, 0}}, false, true);
    REQUIRE(line.size() == 17);
    for (size_t i = 0; i < line.size(); ++i) CHECK((line[i] - V3f(float(i) / 16, 0, 0)).length() < 1e-6f);
    CHECK(curveThrough({{0, 0, 0}, {1, 0, 0}}, true, true) == line);  // two points cannot be closed
}

TEST_CASE("points that repeat or are no numbers are passed over", "[curve]") {
    const float nan = std::numeric_limits<float>::quiet_NaN();
    CHECK(curveThrough({}, true, true).empty());
    CHECK(curveThrough({{1, 2, 3}}, true, true).size() == 1);
    const auto clean = curveThrough({{0, 0, 0}, {1, 1, 0}, {2, 0, 0}}, false, true);
    CHECK(curveThrough({{0, 0, 0}, {nan, 0, 0}, {0, 0, 0}, {1, 1, 0}, {1, 1, 0}, {2, 0, 0}}, false, true) ==
          clean);
    for (const V3f& p : clean) CHECK(isFinite(p));
    CHECK(CurveSet({}).totalLength() == 0.0);
    CHECK_FALSE(CurveSet({}).closest({0, 0, 0}));
    CHECK_FALSE(CurveSet({clean}).closest({nan, 0, 0}));
}

TEST_CASE("the nearest place is that of looking at every piece", "[curve]") {
    std::mt19937_64 random(testSeed());
    std::vector<std::vector<V3f>> lines(5);
    for (auto& line : lines) {
        std::vector<V3f> points;
        for (int i = 0; i < 6; ++i) points.push_back(somewhere(random, 1));
        line = curveThrough(points, false, true);
    }
    lines.push_back({{-50, 0, 0}, {50, 0.5f, 0}});  // a piece much longer than all others
    const CurveSet set(lines);
    for (int k = 0; k < 500; ++k) {
        const V3f p = somewhere(random, 2);
        float best = 1e9f;
        for (const auto& line : lines)
            for (size_t i = 0; i + 1 < line.size(); ++i) {
                const V3f d = line[i + 1] - line[i];
                const float t = std::clamp((p - line[i]).dot(d) / d.length2(), 0.0f, 1.0f);
                best = std::min(best, (line[i] + d * t - p).length());
            }
        const auto near = set.closest(p);
        REQUIRE(near);
        // The pieces of the set are cut from those of the line: the same up to rounding at the long one.
        CHECK(near->distance == Approx(best).margin(1e-5));
        CHECK((near->place.position - p).length() == Approx(near->distance).margin(1e-6));
        CHECK((set.at(near->place.curve, near->place.along).position - near->place.position).length() <
              1e-5f);
        CHECK_FALSE(set.closest(p, best * 0.99f - 1e-5f));
    }
}
