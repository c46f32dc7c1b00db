// Strands as points: how many, where along them, and what they carry.
#include "ops/groom/points_along.h"

#include "base/error.h"
#include "geo/strands/strands.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// Two strands: a straight one of 1 m up, wider at its tip, and an angle of 0.2 m and 0.3 m.
StrandSet two() {
    StrandSet set;
    set.start = {0, 2, 5};
    set.points.resize(5);
    const auto p = set.points.add<V3f>("P");
    p[0] = V3f(0), p[1] = V3f(0, 1, 0);
    p[2] = V3f(2, 0, 0), p[3] = V3f(2.2f, 0, 0), p[4] = V3f(2.2f, 0, 0.3f);
    const auto w = set.points.add<float>("width");
    w[0] = 0.01f, w[1] = 0.03f, w[2] = w[3] = w[4] = 0.02f;
    set.strands.resize(2);
    const auto id = set.strands.add<uint64_t>("id");
    id[0] = 11, id[1] = 12;
    return set;
}

}  // namespace

TEST_CASE("points lie along strands at their spacing, and say where", "[points-along]") {
    const StrandSet strands = two();
    const auto set = pointsAlong(strands, {.spacing = 0.1f, .jitter = 0.0f}, Progress::none());
    REQUIRE(set->size() == 15);  // ten and five
    const AttributeSet& a = set->attributes;
    const auto p = a.find<V3f>("P"), n = a.find<V3f>("N");
    const auto along = a.find<float>("along"), distance = a.find<float>("root_distance"),
               length = a.find<float>("strand_length"), width = a.find<float>("width");
    const auto strand = a.find<uint64_t>("strand");
    for (size_t i = 0; i < 10; ++i) {
        const float y = (float(i) + 0.5f) / 10;
        CHECK((p[i] - V3f(0, y, 0)).length() < 1e-6f);
        CHECK(along[i] == Approx(y));
        CHECK(distance[i] == Approx(y));
        CHECK(length[i] == Approx(1));
        CHECK(width[i] == Approx(0.01 + 0.02 * double(y)));
        CHECK(n[i] == V3f(0, 1, 0));
        CHECK(strand[i] == 11);
    }
    // Around the corner: at 5, 15, 25, 35 and 45 cm of half a metre.
    CHECK((p[11] - V3f(2.15f, 0, 0)).length() < 1e-5f);
    CHECK((p[12] - V3f(2.2f, 0, 0.05f)).length() < 1e-5f);
    CHECK((n[11] - V3f(1, 0, 0)).length() < 1e-6f);
    CHECK((n[13] - V3f(0, 0, 1)).length() < 1e-6f);
    const auto orient = a.find<Quatf>("orient");
    for (size_t i = 0; i < p.size(); ++i)
        CHECK((V3f(0, 1, 0) * orient[i].toMatrix33() - n[i]).length() < 1e-5f);
}

TEST_CASE("a count is of each strand, and points keep their pieces and ids", "[points-along]") {
    const StrandSet strands = two();
    const auto set = pointsAlong(strands, {.bySpacing = false, .count = 50}, Progress::none());
    REQUIRE(set->size() == 100);
    const auto along = set->attributes.find<float>("along");
    const auto id = set->attributes.find<uint64_t>("id");
    for (size_t i = 0; i < 100; ++i)
        CHECK((along[i] >= float(i % 50) / 50 - 1e-6f && along[i] <= float(i % 50 + 1) / 50 + 1e-6f));
    CHECK(std::set<uint64_t>(id.begin(), id.end()).size() == 100);
    // Without the first strand the second one's are the same.
    StrandSet second;
    second.start = {0, 3};
    second.points = strands.points.gathered(std::vector<uint32_t>{2, 3, 4});
    second.strands = strands.strands.gathered(std::vector<uint32_t>{1});
    const auto alone = pointsAlong(second, {.bySpacing = false, .count = 50}, Progress::none());
    const auto p = set->attributes.find<V3f>("P"), q = alone->attributes.find<V3f>("P");
    for (size_t i = 0; i < 50; ++i) {
        CHECK(alone->attributes.find<uint64_t>("id")[i] == id[50 + i]);
        CHECK(q[i] == p[50 + i]);
    }
}

TEST_CASE("strands without length, none, and too many points", "[points-along]") {
    CHECK(pointsAlong(StrandSet(), {}, Progress::none())->size() == 0);
    StrandSet point = two();
    for (V3f& p : point.points.add<V3f>("P")) p = V3f(1, 2, 3);
    const auto set = pointsAlong(point, {}, Progress::none());
    REQUIRE(set->size() == 2);
    CHECK(set->attributes.find<V3f>("P")[0] == V3f(1, 2, 3));
    point.points.add<V3f>("P")[1].y = std::numeric_limits<float>::quiet_NaN();
    CHECK(pointsAlong(point, {}, Progress::none())->size() == 1);
    CHECK_THROWS_AS(pointsAlong(two(), {.spacing = 0.0f}, Progress::none()), Error);
    CHECK_THROWS_AS(pointsAlong(two(), {.spacing = 1e-9f, .memoryLimit = 1 << 20}, Progress::none()), Error);
    CHECK_THROWS_AS(
        pointsAlong(two(), {.bySpacing = false, .count = 1000000, .memoryLimit = 1 << 20}, Progress::none()),
        Error);
}
