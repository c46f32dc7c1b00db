// Placing along curves, and turning to them.
#include <set>

#include "geo/surface/surface.h"
#include "ops/place/along.h"
#include "ops/points/orient.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

std::shared_ptr<const PointSet> along(const CurveSet& curves, const AlongOptions& o,
                                      const Surface* surface = nullptr) {
    return pointsAlong(curves, surface, o, Progress::none());
}

std::map<uint64_t, V3f> byId(const PointSet& points) {
    const auto id = points.attributes.find<uint64_t>("id");
    const auto p = points.attributes.find<V3f>("P");
    std::map<uint64_t, V3f> out;
    for (size_t i = 0; i < id.size(); ++i) out[id[i]] = p[i];
    REQUIRE(out.size() == id.size());  // no id twice
    return out;
}

}  // namespace

TEST_CASE("by spacing neighbours lie that far apart, and lengthening a curve moves none", "[along]") {
    AlongOptions o;
    o.spacing = 0.25;
    const CurveSet two({{{0, 0, 0}, {1, 0, 0}}, {{0, 0, 1}, {0.6f, 0, 1}}});
    const auto points = byId(*along(two, o));
    CHECK(points.size() == 5 + 3);
    for (uint64_t i = 0; i < 5; ++i) CHECK((points.at(i) - V3f(0.25f * float(i), 0, 0)).length() < 1e-6f);
    const CurveSet longer({{{0, 0, 0}, {1, 0, 0}, {1, 0, 3}}, {{0, 0, 1}, {0.6f, 0, 1}}});
    const auto more = byId(*along(longer, o));
    CHECK(more.size() == 17 + 3);
    for (const auto& [id, p] : points) CHECK((more.at(id) - p).length() < 1e-6f);
}

TEST_CASE("by count a power of two is spread evenly, and raising the count moves none", "[along]") {
    const CurveSet line({{{0, 0, 0}, {8, 0, 0}}});
    AlongOptions o;
    o.count = 64;
    const auto points = byId(*along(line, o));
    std::set<float> xs;
    for (const auto& [id, p] : points) xs.insert(p.x);
    REQUIRE(xs.size() == 64);
    for (auto it = xs.begin(); std::next(it) != xs.end(); ++it)
        CHECK(*std::next(it) - *it == Approx(0.125f).epsilon(1e-3));
    o.jitter = 0.8f;  // slides each in its own gap, whatever the count
    const auto slid = byId(*along(line, o));
    CHECK(slid != points);
    o.count = 200;
    const auto all = byId(*along(line, o));
    for (const auto& [id, p] : slid) CHECK(all.at(id) == p);
    o.jitter = 0;
    const auto more = byId(*along(line, o));
    CHECK(more.size() == 200);
    for (const auto& [id, p] : points) CHECK(more.at(id) == p);
    o.share = 0.25;
    const auto part = byId(*along(line, o));
    CHECK(part.size() == 50);
    for (const auto& [id, p] : part) CHECK(more.at(id) == p);
}

TEST_CASE("on a surface they lie on it, know where, and stay in the strip", "[along]") {
    const Surface plane(makePlane(4, 8));
    const CurveSet line({{{-1, 0.3f, 0}, {1, 0.4f, 0}}});
    AlongOptions o;
    o.count = 500;
    o.width = 0.4f;
    const auto points = along(line, o, &plane);
    const auto p = points->attributes.find<V3f>("P"), n = points->attributes.find<V3f>("N");
    const auto triangle = points->attributes.find<int32_t>("triangle");
    const auto bary = points->attributes.find<V2f>("bary");
    float widest = 0;
    for (size_t i = 0; i < p.size(); ++i) {
        CHECK(std::abs(p[i].y) < 1e-6f);
        CHECK(n[i] == V3f(0, 1, 0));
        CHECK((plane.sampleAt(uint32_t(triangle[i]), bary[i].x, bary[i].y).position - p[i]).length() < 1e-5f);
        widest = std::max(widest, std::abs(p[i].z));
    }
    CHECK(widest <= 0.2f);
    CHECK(widest > 0.19f);
    o.onSurface = false;
    const auto free = along(line, o, &plane);
    CHECK_FALSE(free->attributes.has("triangle"));
    for (const V3f& q : free->attributes.find<V3f>("P")) CHECK(q.y >= 0.3f - 1e-6f);
}

TEST_CASE("a strip of points uses the mask as every placing does", "[along]") {
    const CurveSet line({{{0, 0, 0}, {1, 0, 0}}});
    AlongOptions o;
    o.count = 4000;
    o.mask = {0, 0.3f, {}};
    const size_t kept = along(line, o)->size();
    CHECK(std::abs(double(kept) - 1200.0) < 5.0 * std::sqrt(4000 * 0.3 * 0.7));  // five sigma of a binomial
}

TEST_CASE("elements look along the nearest curve, upright on the slope", "[along]") {
    const auto curves = std::make_shared<const CurveSet>(
        std::vector<std::vector<V3f>>{{{-5, 0, 0}, {5, 0, 0}}, {{-5, 0, 3}, {-5, 0, 9}}});
    PointSet points;
    points.attributes.set("P", std::vector<V3f>{{0, 0, 0.5f}, {-5, 0, 8}});
    points.attributes.set("N", std::vector<V3f>(2, V3f(0, 1, 0)));
    points.attributes.set("id", std::vector<uint64_t>{1, 2});
    OrientOptions o;
    o.front.kind = Aim::Tangent;
    o.front.curves = curves;
    o.roll = {0, 0, {}};
    const auto out = orientPoints(points, o, Progress::none());
    const auto turn = out->attributes.find<Quatf>("orient");
    CHECK((rotate(turn[0], V3f(0, 0, 1)) - V3f(1, 0, 0)).length() < 1e-5f);
    CHECK((rotate(turn[1], V3f(0, 0, 1)) - V3f(0, 0, 1)).length() < 1e-5f);
    CHECK((rotate(turn[0], V3f(0, 1, 0)) - V3f(0, 1, 0)).length() < 1e-5f);
}

TEST_CASE("no curve, no length and too many are refused with a way out", "[along]") {
    AlongOptions o;
    CHECK_THROWS_WITH(along(CurveSet({}), o), Catch::Contains("no length"));
    CHECK_THROWS_WITH(along(CurveSet({{{1, 1, 1}, {1, 1, 1}}}), o), Catch::Contains("no length"));
    const CurveSet line({{{0, 0, 0}, {1000, 0, 0}}});
    o.spacing = 1e-5;
    o.memoryLimit = 1000;
    CHECK_THROWS(along(line, o));
    o.count = 0;
    o.spacing = 0;
    CHECK(along(line, o)->size() == 0);
}
