// Spacing, grids, overlaps, orientation, mixing.
#include <tbb/global_control.h>
#include "base/parallel.h"
#include "geo/surface/surface.h"
#include "ops/place/place_grid.h"
#include "ops/place/scatter.h"
#include "ops/place/spread.h"
#include "ops/points/copies_of.h"
#include "ops/points/keep_apart.h"
#include "ops/points/orient.h"
#include "ops/points/vary_color.h"
#include "ops/points/vary_size.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

std::shared_ptr<const PointSet> spread(const Surface& surface, float distance, uint64_t seed = 1,
                                       Varying keep = {0, 1, {}}) {
    SpreadOptions o;
    o.distance = {0, distance, {}};
    o.seed = seed;
    o.mask = std::move(keep);
    return spreadOnSurface(surface, o, Progress::none());
}

Varying byField(const std::string& type, const std::map<std::string, Value>& params, float low, float high) {
    FieldSource s = makeSource(type);
    for (const auto& [id, value] : params) s.params[id].value = value;
    return {low, high, std::make_shared<CompiledField>(Field{{s}}, FieldContext())};
}

float closestPair(std::span<const V3f> p) {
    float best = 1e30f;
    const NearestPoints tree(std::vector<V3f>(p.begin(), p.end()));
    for (size_t i = 0; i < p.size(); ++i)
        tree.within(p[i], std::min(best, 10.0f), [&](uint32_t j) {
            if (j != i) best = std::min(best, (p[i] - p[j]).length());
        });
    return best;
}

}  // namespace

TEST_CASE("no two spread points are nearer than the distance, and they fill the surface", "[spread]") {
    for (const MeshPtr& mesh :
         {makePlane(1, 1), makePlane(1, 64), makeSphere(0.3f, 96), makeTorus(0.3f, 0.1f, 64)}) {
        const Surface surface(mesh);
        const auto points = spread(surface, 0.01f, 7);
        const auto p = points->attributes.find<V3f>("P");
        CHECK(closestPair(p) >= 0.01f);
        // Relative radius: the distance by that of as many points in a hexagonal lattice.
        const double best = std::sqrt(2.0 * surface.area() / (std::sqrt(3.0) * double(p.size())));
        INFO("relative radius " << 0.01 / best);
        CHECK(0.01 / best >= 0.65);
        CHECK(0.01 / best <= 0.85);
        for (size_t i = 0; i < p.size(); i += 97) REQUIRE(surface.closest(p[i]).distance < 1e-5f);
    }
}

TEST_CASE("the spectrum of spread points shows the gap", "[spread]") {
    // Radially averaged power of N points in a square: 1 for random points, near 0 below the gap's frequency.
    const auto points = spread(Surface(makePlane(1, 1)), 0.03f);
    const auto p = points->attributes.find<V3f>("P");
    const auto power = [&](int radius) {
        double sum = 0;
        int count = 0;
        for (int fx = -radius; fx <= radius; ++fx)
            for (int fz = 0; fz <= radius; ++fz) {
                if (std::abs(std::hypot(fx, fz) - radius) > 0.5) continue;
                double re = 0, im = 0;
                for (const V3f& q : p) {
                    const double a = 2 * M_PI * (fx * double(q.x) + fz * double(q.z));
                    re += std::cos(a), im += std::sin(a);
                }
                sum += (re * re + im * im) / double(p.size());
                ++count;
            }
        return sum / count;
    };
    CHECK(power(8) < 0.35);  // far below 1 / 0.03 = 33 turns
    double ring = 0;
    for (int radius = 28; radius <= 46; radius += 3) ring = std::max(ring, power(radius));
    CHECK(ring > 1.1);
    CHECK(power(90) == Approx(1).margin(0.25));
}

TEST_CASE("spread points do not depend on threads, nor move with the mask", "[spread]") {
    const Surface surface(makeSphere(0.5f, 64));
    const auto all = spread(surface, 0.02f);
    {
        tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
        CHECK(spread(surface, 0.02f)->attributes == all->attributes);
    }
    const auto half = spread(surface, 0.02f, 1, byField("height", {{"range", Range{0, 0}}}, 0, 1));
    std::map<uint64_t, V3f> places;
    for (size_t i = 0; i < all->size(); ++i)
        places[all->attributes.find<uint64_t>("id")[i]] = all->attributes.find<V3f>("P")[i];
    CHECK(half->size() < all->size() * 6 / 10);
    CHECK(half->size() > all->size() * 4 / 10);
    for (size_t i = 0; i < half->size(); ++i)
        REQUIRE(places.at(half->attributes.find<uint64_t>("id")[i]) == half->attributes.find<V3f>("P")[i]);
    CHECK(spread(surface, 0.02f, 2)->attributes.find<V3f>("P")[0] != all->attributes.find<V3f>("P")[0]);
}

TEST_CASE("a field varies the distance from place to place", "[spread]") {
    const Surface surface(makePlane(1, 16));
    SpreadOptions o;
    o.distance = byField("formula", {{"formula", std::string("x > 0 ? 1 : 0")}}, 0.01f, 0.04f);
    const auto points = spreadOnSurface(surface, o, Progress::none());
    std::vector<V3f> left, right;
    for (const V3f& p : points->attributes.find<V3f>("P")) (p.x > 0.04f ? right : left).push_back(p);
    CHECK(closestPair(left) >= 0.01f);
    CHECK(closestPair(right) >= 0.04f);
    CHECK(left.size() > 10 * right.size());
}

TEST_CASE("spreading refuses what makes no sense, with a way out", "[spread]") {
    const Surface surface(makePlane(1, 1));
    CHECK_THROWS_WITH(spread(surface, 0.0f), Catch::Contains("distance is 0"));
    SpreadOptions o;
    o.distance = {0, 1e-5f, {}};
    o.memoryLimit = size_t(1) << 30;
    CHECK_THROWS_WITH(spreadOnSurface(surface, o, Progress::none()), Catch::Contains("more than the limit"));
    o.memoryLimit = SIZE_MAX;
    CHECK_THROWS_AS(spreadOnSurface(surface, o, Progress::none()), Error);
    CHECK_THROWS_WITH(spread(Surface(std::make_shared<Mesh>()), 0.1f), Catch::Contains("no area"));
    CHECK(spread(surface, 100.0f)->size() == 1);
    Progress progress;
    progress.cancel();
    o.distance = {0, 0.01f, {}};
    CHECK_THROWS_AS(spreadOnSurface(surface, o, progress), Cancelled);
}

TEST_CASE("a strict grid lies on its lines, jitter stays in its square", "[grid]") {
    const Surface surface(makePlane(2.02f, 3));
    GridOptions o;
    o.spacing = 0.25f;
    const auto strict = gridOnSurface(surface, o, Progress::none());
    CHECK(strict->size() == 81);  // nine lines each way
    for (const V3f& p : strict->attributes.find<V3f>("P")) {
        CHECK(std::abs(p.x / 0.25f - std::round(p.x / 0.25f)) < 1e-4f);
        CHECK(p.y == Approx(0).margin(1e-6));
    }
    o.jitter = 1;
    const auto loose = gridOnSurface(surface, o, Progress::none());
    std::map<uint64_t, V3f> places;
    for (size_t i = 0; i < strict->size(); ++i)
        places[strict->attributes.find<uint64_t>("id")[i]] = strict->attributes.find<V3f>("P")[i];
    for (size_t i = 0; i < loose->size(); ++i) {
        const auto from = places.find(loose->attributes.find<uint64_t>("id")[i]);
        if (from == places.end()) continue;
        const V3f d = loose->attributes.find<V3f>("P")[i] - from->second;
        CHECK(std::max(std::abs(d.x), std::abs(d.z)) <= 0.1251f);
    }
    o.spacing = 0;
    CHECK_THROWS_AS(gridOnSurface(surface, o, Progress::none()), Error);
    o.spacing = 1e-5f, o.memoryLimit = 1 << 20;
    CHECK_THROWS_WITH(gridOnSurface(surface, o, Progress::none()), Catch::Contains("more than the limit"));
}

TEST_CASE("points and faces come in the order of the mesh", "[grid]") {
    const MeshPtr mesh = makePlane(1, 4);
    const Surface surface(mesh);
    OnMeshOptions o;
    const auto points = pointsOnMesh(surface, o, Progress::none());
    REQUIRE(points->size() == 25);
    for (size_t i = 0; i < 25; ++i) {
        CHECK((points->attributes.find<V3f>("P")[i] - mesh->positions()[i]).length() < 1e-6f);
        CHECK(points->attributes.find<uint64_t>("id")[i] == i);
    }
    o.faces = true;
    o.every = 3;
    const auto faces = pointsOnMesh(surface, o, Progress::none());
    REQUIRE(faces->size() == 6);
    CHECK(faces->attributes.find<uint64_t>("id")[1] == 3);
    CHECK((faces->attributes.find<V3f>("P")[0] - V3f(-0.375f, 0, 0.375f)).length() < 1e-5f);
}

namespace {

/// Balls strewn in a box, of sizes that differ 1000:1.
Footprints someBalls(size_t count, std::mt19937_64& random) {
    std::uniform_real_distribution<float> place(-1, 1), size(-3, 0);
    Footprints f;
    for (size_t i = 0; i < count; ++i) {
        f.center.push_back(V3f(place(random), 0.1f * place(random), place(random)));
        f.radius.push_back(0.2f * std::pow(10.0f, size(random)));
    }
    return f;
}

bool meet(const Footprints& a, size_t i, const Footprints& b, size_t j, float part, float margin) {
    const float least = (a.radius[i] + b.radius[j]) * part + margin;
    return (a.center[i] - b.center[j]).length2() < least * least;
}

}  // namespace

TEST_CASE("keeping apart leaves no pair that overlaps, and takes out none without need", "[apart]") {
    std::mt19937_64 random(testSeed() + 11);
    for (const auto first : {KeepApartOptions::Large, KeepApartOptions::LowId, KeepApartOptions::Random}) {
        const Footprints f = someBalls(1500, random);
        std::vector<uint64_t> ids(f.center.size());
        for (size_t i = 0; i < ids.size(); ++i) ids[i] = i * 7;
        KeepApartOptions o;
        o.first = first;
        o.margin = 0.003f;
        o.overlap = 0.1f;
        o.others.push_back(someBalls(100, random));
        const auto stays = keepApart(f, ids, o, Progress::none());
        size_t count = 0;
        for (size_t i = 0; i < stays.size(); ++i) {
            bool crowded = false;
            for (size_t j = 0; j < stays.size(); ++j)
                crowded = crowded || (i != j && stays[j] && meet(f, i, f, j, 0.9f, o.margin));
            for (size_t j = 0; j < o.others[0].center.size(); ++j)
                crowded = crowded || meet(f, i, o.others[0], j, 0.9f, o.margin);
            REQUIRE(bool(stays[i]) != crowded);  // stays exactly when nothing that stays is in the way
            count += stays[i];
        }
        CHECK(count > 20);
        CHECK(count < stays.size());
        CHECK(keepApart(f, ids, o, Progress::none()) == stays);
    }
}

TEST_CASE("who stays first is as chosen", "[apart]") {
    Footprints f{{{0, 0, 0}, {0.1f, 0, 0}}, {0.1f, 0.2f}};
    const std::vector<uint64_t> ids = {1, 2};
    KeepApartOptions o;
    CHECK(keepApart(f, ids, o, Progress::none()) == std::vector<uint8_t>{0, 1});
    o.first = KeepApartOptions::LowId;
    CHECK(keepApart(f, ids, o, Progress::none()) == std::vector<uint8_t>{1, 0});
    o.within = false;
    CHECK(keepApart(f, ids, o, Progress::none()) == std::vector<uint8_t>{1, 1});
    f.center[0].x = NAN;
    CHECK(keepApart(f, ids, o, Progress::none()) == std::vector<uint8_t>{0, 1});
    CHECK(keepApart({}, {}, o, Progress::none()).empty());
}

TEST_CASE("obstacles are kept away from by their true distance", "[apart]") {
    KeepApartOptions o;
    o.obstacles.push_back(std::make_shared<const Surface>(makeTorus(1.0f, 0.1f, 200)));
    o.margin = 0.05f;
    o.within = false;
    Footprints f;
    std::vector<uint64_t> ids;
    for (int i = 0; i <= 200; ++i) {
        f.center.push_back(V3f(float(i) * 0.01f, 0, 0));
        f.radius.push_back(0.1f);
        ids.push_back(uint64_t(i));
    }
    const auto stays = keepApart(f, ids, o, Progress::none());
    for (int i = 0; i <= 200; ++i) {
        const float distance = std::abs(std::abs(float(i) * 0.01f - 1.0f) - 0.1f);
        if (std::abs(distance - 0.15f) < 2e-3f) continue;  // the ring is of flat faces
        CHECK(bool(stays[size_t(i)]) == (distance > 0.15f));
    }
}

TEST_CASE("a footprint is the widest reach around, grown with the copy", "[apart]") {
    CHECK(footprintRadius(*makeSphere(0.5f, 64)) == Approx(0.5f).epsilon(1e-3));
    Copies copies;
    copies.attributes.set("P", std::vector<V3f>{{1, 2, 3}, {0, 0, 0}});
    copies.attributes.set("scale", std::vector<float>{2, 1});
    copies.attributes.set("stretch", std::vector<V3f>{{1, 9, 3}, {1, 1, 1}});
    copies.attributes.set("prototype", std::vector<int32_t>{0, 1});
    const std::vector<float> radii = {0.5f, 0.25f};
    const Footprints f = footprintsOf(copies, radii);
    CHECK(f.radius == std::vector<float>{3.0f, 0.25f});
    CHECK(f.center[0] == V3f(1, 2, 3));
}

TEST_CASE("elements stand and look where they are told", "[orient]") {
    ScatterOptions s;
    s.count = 300;
    const auto points = scatterOnSurface(Surface(makeSphere(1, 64)), s, Progress::none());
    const auto p = points->attributes.find<V3f>("P"), n = points->attributes.find<V3f>("N");
    OrientOptions o;
    o.roll = {0, 0, {}};
    o.toUp = {0, 1, {}};
    o.up.kind = Aim::Point;
    o.up.vector = V3f(0, 5, 0);
    o.front.kind = Aim::Direction;
    o.front.vector = V3f(1, 0, 0);
    const auto turned = orientPoints(*points, o, Progress::none());
    const auto q = turned->attributes.find<Quatf>("orient");
    for (size_t i = 0; i < p.size(); ++i) {
        const V3f up = rotate(q[i], V3f(0, 1, 0)), front = rotate(q[i], V3f(0, 0, 1));
        REQUIRE((up - (V3f(0, 5, 0) - p[i]).normalized()).length() < 1e-4f);
        const V3f wanted = V3f(1, 0, 0) - up * up.x;  // as near to the direction as standing allows
        REQUIRE((front - wanted.normalized()).length() < 1e-3f);
    }
    o.toUp = {0, 0, {}};
    o.front.kind = Aim::Downhill;
    const auto down = orientPoints(*points, o, Progress::none());
    for (size_t i = 0; i < p.size(); ++i) {
        if (std::abs(n[i].y) > 0.99f) continue;
        const V3f front = rotate(down->attributes.find<Quatf>("orient")[i], V3f(0, 0, 1));
        REQUIRE(front.y == Approx(-std::sqrt(1 - n[i].y * n[i].y)).margin(1e-3));
    }
    o.front.kind = Aim::Surface;
    o.front.surface = std::make_shared<const Surface>(makePlane(0.01f, 1));
    const auto in = orientPoints(*points, o, Progress::none());
    CHECK(in->size() == p.size());
}

TEST_CASE("sizes by axis and colours stay in their ranges and with their ids", "[size]") {
    ScatterOptions s;
    s.count = 2000;
    const auto points = scatterOnSurface(Surface(makePlane(1, 1)), s, Progress::none());
    VarySizeOptions o;
    o.byAxis = true;
    o.axis[1] = {2, 3, {}};
    const auto sized = varySize(*points, o, Progress::none());
    for (const V3f& f : sized->attributes.find<V3f>("stretch")) {
        REQUIRE((f.x == 1.0f && f.z == 1.0f));
        REQUIRE((f.y >= 2.0f && f.y <= 3.0f));
    }
    VaryColorOptions c;
    c.hue = {-36, 36, {}};
    c.brightness = {0.5f, 2, {}};
    const auto colored = varyColor(*varyColor(*points, c, Progress::none()), {}, Progress::none());
    double mean = 0;
    for (const V3f& t : colored->attributes.find<V3f>("tint")) {
        REQUIRE((t.x >= -0.1f && t.x <= 0.1f && t.y == 1.0f && t.z >= 0.5f && t.z <= 2.0f));
        mean += double(t.x) / 2000;
    }
    CHECK(mean == Approx(0).margin(5 * 0.2 / std::sqrt(12 * 2000)));
}

TEST_CASE("prototypes are picked by field, in turn and in patches", "[copies]") {
    ScatterOptions s;
    s.count = 20000;
    const auto points = scatterOnSurface(Surface(makePlane(1, 1)), s, Progress::none());
    CopiesOptions o;
    o.prototypes = {{"a", 1}, {"b", 1}, {"c", 2}};
    const auto kinds = [&] { return copiesOf(*points, o, Progress::none()); };

    o.pick = CopiesOptions::ByField;
    o.field = byField("formula", {{"formula", std::string("x + 0.5")}}, 0, 1);
    const auto byPlace = kinds();
    for (size_t i = 0; i < points->size(); ++i) {
        const float x = points->attributes.find<V3f>("P")[i].x + 0.5f;
        if (std::abs(x - 0.25f) < 1e-4f || std::abs(x - 0.5f) < 1e-4f) continue;
        REQUIRE(byPlace->attributes.find<int32_t>("prototype")[i] == (x < 0.25f ? 0 : x < 0.5f ? 1 : 2));
    }
    o.pick = CopiesOptions::InTurn;
    const auto turns = kinds();
    std::array<int, 3> count{};
    for (size_t i = 0; i < 100; ++i) ++count[size_t(turns->attributes.find<int32_t>("prototype")[i])];
    CHECK((std::abs(count[0] - 25) <= 2 && std::abs(count[1] - 25) <= 2 && std::abs(count[2] - 50) <= 2));

    o.pick = CopiesOptions::Clusters;
    o.cluster = 0.2f, o.mingle = 0;
    const auto patches = kinds();
    const auto p = points->attributes.find<V3f>("P");
    const NearestPoints tree(std::vector<V3f>(p.begin(), p.end()));
    const auto which = patches->attributes.find<int32_t>("prototype");
    size_t same = 0, pairs = 0;
    for (size_t i = 0; i < 500; ++i)
        tree.within(p[i], 0.01f, [&](uint32_t j) { same += which[i] == which[j], ++pairs; });
    CHECK(double(same) / double(pairs) > 0.85);  // by chance it would be 3/8
}

TEST_CASE("each prototype has its own range of size and tilt", "[copies]") {
    ScatterOptions s;
    s.count = 1000;
    const auto points = scatterOnSurface(Surface(makePlane(1, 1)), s, Progress::none());
    CopiesOptions o;
    o.prototypes = {{"a", 1, {2, 3}, {0, 0}}, {"b", 1, {1, 1}, {30, 30}}};
    const auto copies = copiesOf(*points, o, Progress::none());
    for (size_t i = 0; i < copies->size(); ++i) {
        const float scale = copies->attributes.find<float>("scale")[i];
        const float up = rotate(copies->attributes.find<Quatf>("orient")[i], V3f(0, 1, 0)).y;
        if (copies->attributes.find<int32_t>("prototype")[i] == 0)
            REQUIRE((scale >= 2 && scale <= 3 && up == Approx(1)));
        else
            REQUIRE((scale == 1 && up == Approx(std::cos(radians(30))).margin(1e-5)));
    }
}
