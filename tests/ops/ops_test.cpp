#include <tbb/global_control.h>

#include "base/random.h"
#include "document/model/step_registry.h"
#include "geo/strands/strands.h"
#include "geo/surface/surface.h"
#include "ops/place/scatter.h"
#include "ops/points/copies_of.h"
#include "ops/points/orient.h"
#include "ops/points/vary_size.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

std::shared_ptr<const PointSet> scatter(const Surface& s, size_t count, uint64_t seed,
                                        Varying keep = {0, 1, nullptr}) {
    ScatterOptions o;
    o.count = count;
    o.seed = seed;
    o.mask = std::move(keep);
    return scatterOnSurface(s, o, Progress::none());
}

std::span<const V3f> positions(const PointSet& p) { return p.attributes.find<V3f>("P"); }
std::span<const uint64_t> ids(const PointSet& p) { return p.attributes.find<uint64_t>("id"); }

Varying noiseMask(double strength) {
    FieldSource s = makeSource("noise");
    s.params["size"].value = 0.2;
    s.strength.value = strength;
    return {0, 1, std::make_shared<CompiledField>(Field{{s}}, FieldContext())};
}

/// Chi-square of the points per triangle against the triangles' areas. The triangles are those that the
/// surface says the points are in: in strips as thin as these, a position alone does not tell them apart.
double chiSquareByArea(const Surface& s, const PointSet& points, uint64_t seed) {
    const Mesh& m = s.mesh();
    std::vector<double> hits(m.triangles().size());
    std::vector<Surface::Sample> samples(points.size());
    s.sample(seed, 0, samples.size(), samples.data());
    for (size_t i = 0; i < samples.size(); ++i) {
        REQUIRE(samples[i].position == positions(points)[i]);
        ++hits[samples[i].triangle];
    }
    double sum = 0;
    for (size_t t = 0; t < hits.size(); ++t) {
        const Triangle& k = m.triangles()[t];
        const V3f a = m.cornerPosition(k[0]), e1 = m.cornerPosition(k[1]) - a,
                  e2 = m.cornerPosition(k[2]) - a;
        const double expected = 0.5 * double(e1.cross(e2).length()) / s.area() * double(points.size());
        sum += (hits[t] - expected) * (hits[t] - expected) / expected;
    }
    return sum;
}

}  // namespace

TEST_CASE("scattering is uniform by area", "[scatter]") {
    // Strips of a square whose widths differ 1000:1.
    std::vector<V3f> p;
    std::vector<std::vector<uint32_t>> faces;
    double x = 0;
    for (int i = 0; i <= 12; ++i) {
        p.push_back(V3f(float(x), 0, 0));
        p.push_back(V3f(float(x), 0, 1));
        x += std::pow(1000.0, i / 11.0) * 1e-3;
    }
    for (uint32_t i = 0; i < 12; ++i) faces.push_back({2 * i, 2 * i + 1, 2 * i + 3, 2 * i + 2});
    const Surface square(makePlane(1, 8)), sphere(makeSphere(1, 16)), strips(meshOf(p, faces));
    for (const Surface* s : {&square, &sphere, &strips})
        for (uint64_t seed = testSeed(); seed < testSeed() + 4; ++seed) {
            INFO("seed " << seed);
            const auto points = scatter(*s, 60000, seed);
            CHECK(chiSquareByArea(*s, *points, seed) <
                  chiSquareLimit(double(s->mesh().triangles().size() - 1)));
        }
}

TEST_CASE("every point lies on its surface and the count is exact", "[scatter]") {
    const Surface s(makeTorus(2, 0.5f, 40));
    for (size_t count : {size_t(0), size_t(1), size_t(1023), size_t(20000)}) {
        const auto points = scatter(s, count, 5);
        REQUIRE(points->size() == count);
        for (const V3f& p : positions(*points)) REQUIRE(s.closest(p).distance < 1e-5f * 5.0f);
        for (const V3f& n : points->attributes.find<V3f>("N"))
            REQUIRE(n.length() == Approx(1.0f).margin(1e-4));
    }
}

TEST_CASE("raising the count keeps the elements that were there", "[scatter]") {
    const Surface s(makeSphere(1, 32));
    const auto few = scatter(s, 5000, 3), many = scatter(s, 12345, 3);
    CHECK(std::equal(positions(*few).begin(), positions(*few).end(), positions(*many).begin()));
    CHECK(std::equal(ids(*few).begin(), ids(*few).end(), ids(*many).begin()));
    CHECK(positions(*scatter(s, 10, 4))[0] != positions(*few)[0]);
}

TEST_CASE("a mask thins, and its strength moves nobody", "[scatter]") {
    const Surface s(makePlane(2, 4));
    const auto all = scatter(s, 20000, 3), weak = scatter(s, 20000, 3, noiseMask(0.5)),
               strong = scatter(s, 20000, 3, noiseMask(1.0));
    CHECK(strong->size() < weak->size());
    CHECK(weak->size() < all->size());
    for (const auto& thin : {weak, strong})
        for (size_t i = 0; i < thin->size(); ++i) {
            const uint64_t id = ids(*thin)[i];
            REQUIRE(positions(*thin)[i] == positions(*all)[id]);
        }
    CHECK(scatter(s, 1000, 3, {0, 0, nullptr})->size() == 0);
    // Half stay where the chance is a half, within five standard deviations.
    CHECK(std::abs(double(scatter(s, 20000, 3, {0, 0.5f, nullptr})->size()) - 10000) < 5 * std::sqrt(5000.0));
}

TEST_CASE("moving a surface carries its elements, and a small change of shape moves them little",
          "[scatter]") {
    const MeshPtr plane = makePlane(1, 10);
    M44f up;
    up.setTranslation(V3f(0, 3, 0));
    const auto a = scatter(Surface(plane), 1000, 1), b = scatter(Surface(transformed(*plane, up)), 1000, 1);
    for (size_t i = 0; i < 1000; ++i)
        REQUIRE((positions(*a)[i] + V3f(0, 3, 0) - positions(*b)[i]).length() < 1e-5f);
    Mesh bumped = *plane;
    bumped.points.add<V3f>("P")[60].y += 0.01f;
    bumped.finish();
    const auto c = scatter(Surface(std::make_shared<const Mesh>(bumped)), 1000, 1);
    size_t near = 0;
    for (size_t i = 0; i < 1000; ++i) near += (positions(*a)[i] - positions(*c)[i]).length() < 0.15f;
    CHECK(near > 900);
}

TEST_CASE("one and many threads give the same bits", "[scatter][threads]") {
    const Surface s(makeSphere(1, 48));
    const auto make = [&] {
        const auto points = scatter(s, 50000, 9, noiseMask(1.0));
        OrientOptions orient;
        orient.tilt = {0, 20, nullptr};
        const auto turned = orientPoints(*points, orient, Progress::none());
        return copiesOf(*varySize(*turned, {}, Progress::none()), {.prototypes = {{"a", 1}, {"b", 2}}},
                        Progress::none())
            ->attributes;
    };
    const AttributeSet many = make();
    tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
    CHECK(many == make());
}

TEST_CASE("scattering refuses what cannot be", "[scatter]") {
    CHECK_THROWS_WITH(scatter(Surface(meshOf({}, {})), 10, 1), Catch::Contains("no area"));
    CHECK_THROWS_WITH(scatter(Surface(meshOf({{0, 0, 0}, {1, 0, 0}, {2, 0, 0}}, {{0, 1, 2}})), 10, 1),
                      Catch::Contains("no area"));
    ScatterOptions o;
    o.count = 1'000'000'000;
    o.memoryLimit = 1'000'000'000;
    CHECK_THROWS_WITH(scatterOnSurface(Surface(makePlane(1, 1)), o, Progress::none()), Catch::Contains("GB"));
    Progress cancelled;
    cancelled.cancel();
    o.count = 1'000'000;
    CHECK_THROWS_AS(scatterOnSurface(Surface(makePlane(1, 1)), o, cancelled), Cancelled);
}

TEST_CASE("draft shows the first part of the same elements", "[scatter]") {
    const Surface s(makePlane(1, 1));
    ScatterOptions o;
    o.count = 1000;
    o.share = 0.1;
    const auto draft = scatterOnSurface(s, o, Progress::none());
    o.share = 1.0;
    const auto full = scatterOnSurface(s, o, Progress::none());
    CHECK(draft->size() == 100);
    CHECK(std::equal(positions(*draft).begin(), positions(*draft).end(), positions(*full).begin()));
}

TEST_CASE("orientation stands along the normal, up, or between", "[orient]") {
    const auto points = scatter(Surface(makeSphere(1, 24)), 2000, 1);
    OrientOptions o;
    const auto up = [&](float toUp) {
        o.toUp = {0, toUp, nullptr};
        return orientPoints(*points, o, Progress::none());
    };
    const auto along = up(0), upright = up(1), half = up(0.5f);
    const auto n = points->attributes.find<V3f>("N");
    for (size_t i = 0; i < points->size(); ++i) {
        REQUIRE((rotate(along->attributes.find<Quatf>("orient")[i], V3f(0, 1, 0)) - n[i]).length() < 1e-4f);
        REQUIRE((rotate(upright->attributes.find<Quatf>("orient")[i], V3f(0, 1, 0)) - V3f(0, 1, 0)).length() <
                1e-4f);
        const V3f between = rotate(half->attributes.find<Quatf>("orient")[i], V3f(0, 1, 0));
        if ((n[i] + V3f(0, 1, 0)).length() > 0.1f)
            REQUIRE((between - (n[i] + V3f(0, 1, 0)).normalized()).length() < 1e-3f);
    }
    o.toUp = {0, 1, nullptr};
    o.tilt = {30, 30, nullptr};
    const auto tilted = orientPoints(*points, o, Progress::none());
    for (const Quatf& q : tilted->attributes.find<Quatf>("orient"))
        REQUIRE(rotate(q, V3f(0, 1, 0)).y == Approx(std::cos(radians(30.0f))).margin(1e-4));
    CHECK(rotate(turnToUp(V3f(0, -1, 0)), V3f(0, 1, 0)).y == Approx(-1));
}

TEST_CASE("sizes fill their range", "[size]") {
    const auto points = scatter(Surface(makePlane(1, 1)), 20000, 1);
    VarySizeOptions o;
    o.between = {0.5f, 2.0f, nullptr};
    const auto even = varySize(*points, o, Progress::none());
    const auto s = even->attributes.find<float>("scale");
    CHECK(*std::min_element(s.begin(), s.end()) == Approx(0.5f).margin(0.01));
    CHECK(*std::max_element(s.begin(), s.end()) == Approx(2.0f).margin(0.01));
    double mean = 0;
    for (float x : s) mean += double(x) / double(s.size());
    CHECK(mean == Approx(1.25).margin(5 * 1.5 / std::sqrt(12.0 * 20000)));
    o.small = 1.0f;
    const auto few = varySize(*points, o, Progress::none());
    size_t large = 0;
    for (float x : few->attributes.find<float>("scale")) large += x > 1.25f;
    CHECK(large < 20000 / 8);
    const auto twice = varySize(*even, o, Progress::none());
    CHECK(twice->attributes.find<float>("scale")[0] ==
          Approx(s[0] * few->attributes.find<float>("scale")[0]));
}

TEST_CASE("shares are kept within binomial bounds and zero is never picked", "[copies]") {
    const auto points = scatter(Surface(makePlane(1, 1)), 100000, 1);
    const auto copies = copiesOf(
        *points, {.prototypes = {{"a", 6}, {"none", 0}, {"b", 3}, {"c", 1}, {"last", 0}}}, Progress::none());
    std::vector<double> count(5);
    for (int32_t k : copies->attributes.find<int32_t>("prototype")) ++count[size_t(k)];
    const double share[] = {0.6, 0, 0.3, 0.1, 0};
    for (size_t i = 0; i < 5; ++i)
        CHECK(std::abs(count[i] - 1e5 * share[i]) <= 5 * std::sqrt(1e5 * share[i] * (1 - share[i])));
    CHECK(copies->prototypes.size() == 5);
    // As long as nothing to copy is chosen there are the places.
    for (const CopiesOptions& none : {CopiesOptions(), CopiesOptions{.prototypes = {{"a", -1}}}}) {
        const auto bare = copiesOf(*points, none, Progress::none());
        CHECK(bare->prototypes.empty());
        CHECK(bare->size() == points->size());
        CHECK(bare->attributes.find<int32_t>("prototype")[0] == -1);
    }
}

TEST_CASE("copies without a turn of their own stand on the surface, lifted along it", "[copies]") {
    const auto points = scatter(Surface(makeSphere(1, 64)), 500, 1);
    const auto copies =
        copiesOf(*points, {.prototypes = {{"a", 1}}, .size = 2.0f, .lift = {0, 0.5f, {}}}, Progress::none());
    const auto p = copies->attributes.find<V3f>("P");
    for (size_t i = 0; i < p.size(); ++i) REQUIRE(p[i].length() == Approx(1.5f).margin(5e-3));
    CHECK(copies->attributes.find<float>("scale")[0] == 2.0f);
}

TEST_CASE("each step is declared in full", "[steps]") {
    for (const StepType& t : stepTypes()) {
        INFO(t.id);
        CHECK_FALSE(t.title.empty());
        CHECK_FALSE(t.help.empty());
        CHECK(
            (t.apply || t.finish || !t.partOf.empty()));  // parts are taken up by the step that they stand in
        for (const ParamSpec& s : t.params) {
            INFO(s.id);
            CHECK_FALSE(s.title.empty());
            CHECK_FALSE(s.help.empty());
            CHECK(holdsType(s.type, s.initial));
            CHECK(s.hardMin <= s.softMin);
            CHECK(s.softMax <= s.hardMax);
            CHECK(clampToSpec(s, s.initial) == s.initial);
        }
    }
}
