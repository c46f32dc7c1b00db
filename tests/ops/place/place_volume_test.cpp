// Points in the inside of a mesh, and on rings.
#include "ops/place/place_volume.h"

#include "base/error.h"
#include "geo/surface/surface.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

std::span<const V3f> places(const std::shared_ptr<const PointSet>& set) {
    return set->attributes.find<V3f>("P");
}

}  // namespace

TEST_CASE("points inside of a ball lie there evenly", "[ops][volume]") {
    const Surface ball(makeSphere(1, 96));
    const size_t count = 20000;
    const auto set = pointsInside(ball, count, 3, Progress::none());
    REQUIRE(set->size() == count);
    // Eight octants, and ten shells of one volume; the ball of triangles lies inside of the round one by less
    // than a hundredth of a shell's.
    std::vector<double> octants(8), shells(10);
    for (const V3f& p : places(set)) {
        CHECK(p.length() <= 1.0f);
        ++octants[size_t((p.x > 0) + 2 * (p.y > 0) + 4 * (p.z > 0))];
        ++shells[size_t(std::min(9.0f, 10 * std::pow(p.length(), 3.0f)))];
    }
    for (const auto* cells : {&octants, &shells}) {
        const double even = double(count) / double(cells->size());
        double chi = 0;
        for (double x : *cells) chi += (x - even) * (x - even) / even;
        CHECK(chi < chiSquareLimit(double(cells->size() - 1)));
    }
}

TEST_CASE("more points inside leave those that were there", "[ops][volume]") {
    const Surface ring(makeTorus(1, 0.2f, 24));
    const auto few = pointsInside(ring, 100, 5, Progress::none());
    const auto many = pointsInside(ring, 1000, 5, Progress::none());
    CHECK(std::equal(places(few).begin(), places(few).end(), places(many).begin()));
    const auto other = pointsInside(ring, 100, 6, Progress::none());
    CHECK_FALSE(places(few)[0] == places(other)[0]);
    CHECK(pointsInside(ring, 0, 5, Progress::none())->size() == 0);
}

TEST_CASE("what has no inside, or next to none, says so", "[ops][volume]") {
    CHECK_THROWS_WITH(pointsInside(Surface(makePlane(1, 2)), 10, 1, Progress::none()),
                      Catch::Contains("open edges"));
    // A needle across its box, a millionth of it: what finds a place lies in it, the rest is counted.
    const auto needle = meshOf({V3f(0.0f), V3f(1, 1, 1), V3f(1, 1.001f, 1), V3f(1, 1, 1.001f)},
                               {{0, 2, 1}, {0, 1, 3}, {0, 3, 2}, {1, 2, 3}});
    size_t without = 0;
    const auto filled = pointsInside(Surface(needle), 10, 1, Progress::none(), &without);
    CHECK(filled->size() + without == 10);
    for (const V3f& p : places(filled)) {
        const float middle = (p.x + p.y + p.z) / 3;
        CHECK((p - V3f(middle)).length() < 0.001f);
    }
}

TEST_CASE("points on a ring lie on it evenly, in its place and with its up", "[ops][volume]") {
    M44f world;
    world.rotate(V3f(0.7f, 0, 0.3f));
    world[3][0] = 2, world[3][1] = -1, world[3][2] = 4;
    const M44f back = world.inverse();
    const size_t count = 10000;
    const auto set = pointsOnRing(world, 0.5f, 1.5f, count, 2, Progress::none());
    V3f up;
    world.multDirMatrix(V3f(0, 1, 0), up);
    std::vector<double> bands(10), sectors(12);
    const auto n = set->attributes.find<V3f>("N");
    for (size_t i = 0; i < count; ++i) {
        const V3f p = places(set)[i] * back;
        const float r2 = p.x * p.x + p.z * p.z;
        CHECK(std::abs(p.y) < 1e-5f);
        CHECK(r2 > 0.25f - 1e-4f);
        CHECK(r2 < 2.25f + 1e-4f);
        CHECK((n[i] - up).length() < 1e-5f);
        ++bands[size_t(std::clamp((r2 - 0.25f) / 0.2f, 0.0f, 9.0f))];  // of one area each
        ++sectors[size_t(std::clamp((std::atan2(p.z, p.x) / kPi + 1) * 6, 0.0f, 11.0f))];
    }
    for (const auto* cells : {&bands, &sectors}) {
        const double even = double(count) / double(cells->size());
        double chi = 0;
        for (double x : *cells) chi += (x - even) * (x - even) / even;
        CHECK(chi < chiSquareLimit(double(cells->size() - 1)));
    }
    // The hole may be given as the edge; one width is a circle.
    const auto swapped = pointsOnRing(world, 1.5f, 0.5f, 50, 2, Progress::none());
    CHECK(std::equal(places(swapped).begin(), places(swapped).end(), places(set).begin()));
    const auto circle = pointsOnRing(M44f(), 1, 1, 50, 2, Progress::none());
    for (const V3f& p : places(circle)) CHECK(p.length() == Approx(1).epsilon(1e-5));
}
