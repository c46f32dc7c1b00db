// Rectangles as places see them: solid angles, and points that are even by it.
#include "render/light/spherical_rectangle.h"

#include "base/random.h"
#include "render/light/lights.h"
#include "support.h"

using namespace ovrix::render;
using namespace ovrix::tests;

namespace {

/// Of a rectangle upright before the eye, its middle straight ahead: known in closed form.
double angleAhead(double width, double height, double away) {
    const double a = width / 2, b = height / 2;
    return 4 * std::asin(a * b / std::sqrt((a * a + away * away) * (b * b + away * away)));
}

SphericalRectangle ahead(float width, float height, float away) {
    return {V3f(1, 2, 3), V3f(1 - width / 2, 2 - height / 2, 3 - away), V3f(width, 0, 0), V3f(0, height, 0)};
}

QuadLight lampAbove(float side) {
    QuadLight q{V3f(-0.5f * side, 1, -0.5f * side), V3f(side, 0, 0), V3f(0, 0, side), V3f(0, -1, 0)};
    q.area = side * side, q.turn = -1, q.radiance = V3f(1.0f);
    return q;
}

}  // namespace

TEST_CASE("a rectangle's solid angle is as known, far and close", "[render][lights]") {
    for (const float away : {1e-3f, 0.1f, 1.0f, 30.0f})
        for (const float width : {0.2f, 2.0f})
            CHECK(ahead(width, 1, away).angle() ==
                  Approx(angleAhead(double(width), 1, double(away))).epsilon(1e-3));
    // Four that share a corner make the one.
    const V3f from(0.3f, 0.7f, 1);
    const auto part = [&](float x0, float x1, float y0, float y1) {
        return SphericalRectangle(from, V3f(x0, y0, 0), V3f(x1 - x0, 0, 0), V3f(0, y1 - y0, 0)).angle();
    };
    CHECK(part(-2, 0.5f, -1, 0.1f) + part(0.5f, 3, -1, 0.1f) + part(-2, 0.5f, 0.1f, 4) +
              part(0.5f, 3, 0.1f, 4) ==
          Approx(part(-2, 3, -1, 4)).epsilon(1e-6));
    CHECK(SphericalRectangle(from, V3f(-1, -1, 1), V3f(2, 0, 0), V3f(0, 2, 0)).angle() == 0);  // in its plane
}

TEST_CASE("points of a rectangle are even by solid angle, and lie on it", "[render][lights]") {
    // A quarter of the draws falls on each quarter of its solid angle.
    const V3f from(0.1f, 0.2f, 0.4f), corner(-1, -0.5f, 0);
    const SphericalRectangle whole(from, corner, V3f(3, 0, 0), V3f(0, 2, 0));
    constexpr int kPieces = 6, kDrawn = 240;
    int count[kPieces][kPieces] = {};
    for (int i = 0; i < kDrawn; ++i)
        for (int k = 0; k < kDrawn; ++k) {
            const V3f p = from + whole.at((float(i) + 0.5f) / kDrawn, (float(k) + 0.5f) / kDrawn);
            CHECK(std::abs(p.z) < 1e-5f);
            const int x = int((p.x + 1) / 3 * kPieces), y = int((p.y + 0.5f) / 2 * kPieces);
            REQUIRE(x >= 0);
            REQUIRE(y >= 0);
            ++count[std::min(x, kPieces - 1)][std::min(y, kPieces - 1)];
        }
    for (int x = 0; x < kPieces; ++x)
        for (int y = 0; y < kPieces; ++y) {
            const SphericalRectangle piece(
                from, corner + V3f(3.0f * float(x) / kPieces, 2.0f * float(y) / kPieces, 0),
                V3f(3.0f / kPieces, 0, 0), V3f(0, 2.0f / kPieces, 0));
            const double wanted = piece.angle() / whole.angle() * kDrawn * kDrawn;
            CHECK(double(count[x][y]) ==
                  Approx(wanted).margin(2.0 * kDrawn));  // a line of draws along its border
        }
    // Its middle, where a sine is 0, and its borders.
    const SphericalRectangle even = ahead(2, 2, 1);
    CHECK((even.at(0.5f, 0.5f) - V3f(0, 0, -1)).length() < 1e-5f);
    for (const float u : {0.0f, 1.0f})
        for (const float v : {0.0f, 1.0f}) {
            const V3f p = even.at(u, v);
            CHECK(std::abs(p.x) == Approx(1.0f).epsilon(1e-3));
            CHECK(std::abs(p.y) == Approx(1.0f).epsilon(1e-3));
        }
}

TEST_CASE("near area lights are drawn from by solid angle, and what each draw gives is bounded",
          "[render][lights]") {
    for (const float side : {0.1f, 1.0f, 8.0f}) {
        const QuadLight q = lampAbove(side);
        for (const V3f& from : {V3f(0.0f), V3f(0.3f, 0.9f, 0), V3f(0, 0.95f, 0.2f), V3f(3, 0.5f, 1)}) {
            double light = 0;
            constexpr int kSteps = 64;
            for (int i = 0; i < kSteps; ++i)
                for (int k = 0; k < kSteps; ++k) {
                    const LightSample s =
                        q.sample(from, (float(i) + 0.5f) / kSteps, (float(k) + 0.5f) / kSteps);
                    REQUIRE(s.pdf > 0);
                    CHECK(s.pdf * 2.0f * kPi > 0.99f);  // never more than half of all there is
                    const LightHit hit = q.hit(from, s.direction);
                    if (hit.hit) CHECK(hit.pdf == Approx(s.pdf).epsilon(1e-3));
                    light += double(std::max(0.0f, s.direction.y) / s.pdf) / (kSteps * kSteps);
                }
            // Against fine pieces of its area.
            double sum = 0;
            constexpr int kFine = 1500;
            for (int i = 0; i < kFine; ++i)
                for (int k = 0; k < kFine; ++k) {
                    const V3d p(side * ((i + 0.5) / kFine - 0.5), 1, side * ((k + 0.5) / kFine - 0.5));
                    const V3d to = p - V3d(from);
                    sum += to.y * to.y / (to.dot(to) * to.dot(to)) * double(side) * double(side) /
                           (kFine * kFine);
                }
            CHECK(light == Approx(sum).epsilon(0.01));
        }
    }
    // By area a place close to a large one has most of its draws where hardly any light comes from.
    const auto spread = [](const QuadLight& q, bool byArea) {
        const V3f from(0, 0.9f, 0);
        double sum = 0, squares = 0;
        constexpr int kSteps = 200;
        for (int i = 0; i < kSteps; ++i)
            for (int k = 0; k < kSteps; ++k) {
                const float u = (float(i) + 0.5f) / kSteps, v = (float(k) + 0.5f) / kSteps;
                const LightSample s = byArea ? sampleOfFlat(q.corner + q.side1 * u + q.side2 * v - from,
                                                            q.normal, q.area, q.radiance)
                                             : q.sample(from, u, v);
                const double light = double(std::max(0.0f, s.direction.y) / s.pdf);
                sum += light / (kSteps * kSteps), squares += light * light / (kSteps * kSteps);
            }
        return squares / (sum * sum) - 1;
    };
    CHECK(spread(lampAbove(8.0f), false) < 0.02 * spread(lampAbove(8.0f), true));
    // What is small and far is drawn from by area, with the same density either way at the border of both.
    const QuadLight q = lampAbove(0.1f);
    for (const float away : {1.0f, 5.0f, 9.0f, 11.0f, 50.0f, 1000.0f}) {
        const LightSample s = q.sample(V3f(0, 1 - away, 0), 0.3f, 0.6f);
        CHECK(double(s.pdf) == Approx(1.0 / angleAhead(0.1, 0.1, double(away))).epsilon(5e-3));
    }
}
