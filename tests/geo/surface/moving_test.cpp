// Surfaces between two frames, against looking at every triangle and at many times.
#include "base/error.h"
#include "geo/strands/strands.h"
#include "geo/surface/moving_surface.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

M44f placedAt(const V3f& place, const V3f& axis, float degrees) {
    M44f turn, move;
    turn.setAxisAngle(axis, degrees * float(M_PI) / 180.0f);
    move.setTranslation(place);
    return turn * move;
}

SurfacePtr surfaceOf(const MeshPtr& mesh) { return std::make_shared<const Surface>(mesh); }

/// The least part of the way at which the point lies on a triangle, by halving many small steps.
float firstMeeting(const MovingSurface& s, double begin, double end, const V3f& from, const V3f& to) {
    constexpr int kSteps = 1500;
    const auto sideOf = [&](const MovingTriangle& t, const V3f& p) {
        return (t.b - t.a).cross(t.c - t.a).dot(p - t.a);
    };
    const auto within = [&](const MovingTriangle& t, const V3f& p) {
        const V3f n = (t.b - t.a).cross(t.c - t.a);
        return (t.b - t.a).cross(p - t.a).dot(n) >= 0 && (t.c - t.b).cross(p - t.b).dot(n) >= 0 &&
               (t.a - t.c).cross(p - t.c).dot(n) >= 0;
    };
    for (int k = 1; k <= kSteps; ++k) {
        const float a = float(k - 1) / kSteps, b = float(k) / kSteps;
        const V3f p = from + (to - from) * a, q = from + (to - from) * b;
        for (uint32_t t = 0; t < s.triangleCount(); ++t) {
            const MovingTriangle before = s.triangle(t, begin + (end - begin) * double(a)),
                                 after = s.triangle(t, begin + (end - begin) * double(b));
            if ((sideOf(before, p) > 0) != (sideOf(after, q) > 0) && within(after, q)) return b;
        }
    }
    return -1;
}

}  // namespace

TEST_CASE("one that moves as a whole is where its matrices say, and half way between", "[moving]") {
    const auto s = MovingSurface::moved(surfaceOf(makeSphere(0.5f, 12)), placedAt(V3f(0.0f), V3f(0, 1, 0), 0),
                                        placedAt(V3f(2, 0, 0), V3f(0, 1, 0), 90));
    const MeshPtr mesh = makeSphere(0.5f, 12);
    const M44f end = placedAt(V3f(2, 0, 0), V3f(0, 1, 0), 90),
               half = placedAt(V3f(1, 0, 0), V3f(0, 1, 0), 45);
    REQUIRE(s->triangleCount() == mesh->triangles().size());
    CHECK(s->closed());
    for (uint32_t t = 0; t < s->triangleCount(); t += 7) {
        const V3f a = mesh->cornerPosition(mesh->triangles()[t][0]);
        CHECK((s->triangle(t, 0).a - a).length() < 1e-6f);
        CHECK((s->triangle(t, 0.5).a - a * half).length() < 1e-5f);
        CHECK((s->triangle(t, 1).a - a * end).length() < 1e-5f);
        // The velocity is how far a place gets in a small part of the frame.
        const float h = 1e-2f;
        const V3f moved = (s->triangle(t, 0.5 + 0.5 * double(h)).at(0.2f, 0.3f) -
                           s->triangle(t, 0.5 - 0.5 * double(h)).at(0.2f, 0.3f)) /
                          h;
        CHECK((s->velocityAt(t, 0.2f, 0.3f, 0.5) - moved).length() < 0.02f);
    }
    CHECK(s->mostMoved(0, 1) >= 2.0f);
    CHECK(s->mostMoved(0.25, 0.25) == 0.0f);
}

TEST_CASE("a sweep meets what looking at many times meets, moved or deformed", "[moving]") {
    const MeshPtr ball = makeSphere(0.4f, 10);
    const M44f before = placedAt(V3f(-0.3f, 0, 0), V3f(1, 1, 0).normalized(), 10),
               now = placedAt(V3f(0.3f, 0.1f, 0), V3f(1, 1, 0).normalized(), 50);
    // As a whole and without a turn its points go straight, as those of one that deforms always do.
    const auto rigid = MovingSurface::moved(surfaceOf(ball), before,
                                            placedAt(V3f(0.3f, 0.1f, 0), V3f(1, 1, 0).normalized(), 10));
    const auto soft = MovingSurface::deformed(transformed(*ball, before), transformed(*ball, now));
    std::mt19937_64 random(testSeed());
    std::uniform_real_distribution<float> part(-1, 1);
    const auto any = [&] { return V3f(part(random), part(random), part(random)); };
    int met = 0, same = 0;
    for (int i = 0; i < 150; ++i) {
        const V3f from = any() * 1.5f, to = any() * 0.5f;
        const double begin = i % 3 == 0 ? 0.5 : 0.0, end = i % 3 == 1 ? 0.5 : 1.0;
        for (const auto& s : {rigid, soft}) {
            const auto during = s->during(begin, end);
            const Touch touch = during.sweep(from, to);
            const float expected = firstMeeting(*s, begin, end, from, to);
            if (expected < 0) continue;  // what slips past a corner may be met, never missed
            ++met;
            REQUIRE(touch.hit);
            CHECK(touch.fraction <= expected + 2e-3f);
            same += std::abs(touch.fraction - expected) < 4e-3f;
            // It is on the triangle that it names, when it says.
            const MovingTriangle t =
                s->triangle(touch.triangle, begin + (end - begin) * double(touch.fraction));
            CHECK((t.at(touch.u, touch.v) - touch.position).length() < 1e-3f);
            CHECK((from + (to - from) * touch.fraction - touch.position).length() < 1e-3f);
            CHECK(touch.normal.length() == Approx(1).epsilon(1e-4));
        }
    }
    CHECK(met > 20);
    CHECK(same > met * 9 / 10);
}

TEST_CASE("the closest place and the inside are those at the end of a part", "[moving]") {
    const MeshPtr ball = makeSphere(0.5f, 48);
    const M44f now = placedAt(V3f(2, 0, 0), V3f(0, 1, 0), 0);
    for (const auto& s : {MovingSurface::moved(surfaceOf(ball), M44f(), now),
                          MovingSurface::deformed(ball, transformed(*ball, now))}) {
        CHECK(s->during(0, 0.5).inside(V3f(1, 0, 0)));
        CHECK_FALSE(s->during(0, 0.5).inside(V3f(0, 0, 0)));
        CHECK(s->during(0, 1).inside(V3f(2, 0.4f, 0)));
        const SurfaceHit hit = s->during(0, 1).closest(V3f(3, 0, 0), 1.0f);
        REQUIRE(hit.hit);
        CHECK(hit.distance == Approx(0.5).margin(0.01));  // 48 parts of a circle
        CHECK(hit.position.x == Approx(2.5).margin(0.01));
        CHECK_FALSE(s->during(0, 1).closest(V3f(3, 0, 0), 0.3f).hit);
        // A guess changes nothing of the answer, be it ever so bad.
        for (const uint32_t guess : {0u, uint32_t(s->triangleCount() - 1), hit.triangle}) {
            const SurfaceHit again = s->during(0, 1).closest(V3f(3, 0, 0), 1.0f, guess);
            CHECK(again.distance == hit.distance);
            CHECK(again.triangle == hit.triangle);
        }
    }
}

TEST_CASE("what is known to be near gives the closest place all the same, wherever a point goes",
          "[moving]") {
    std::mt19937_64 random(testSeed());
    std::uniform_real_distribution<float> part(-1, 1);
    const auto any = [&] { return V3f(part(random), part(random), part(random)); };
    Mesh crumpled = *makeSphere(0.5f, 24);
    for (V3f& p : crumpled.points.add<V3f>("P")) p += any() * 0.03f;
    crumpled.finish();
    const auto rough = std::make_shared<const Surface>(std::make_shared<const Mesh>(crumpled));
    const auto flat = surfaceOf(makePlane(2, 8));
    CHECK(rough->number() != flat->number());
    for (const SurfacePtr& surface : {rough, flat})
        for (const float step : {1e-4f, 3e-3f, 0.2f}) {
            NearTriangles near;
            V3f p = any() * 0.5f;
            int kept = 0;
            for (int i = 0; i < 4000; ++i) {
                p += any() * step;
                if (p.length() > 0.8f) p *= 0.5f;
                const float reach = i % 5 == 0 ? 0.01f : i % 5 == 1 ? 0.1f : 10.0f;
                const V3f place = near.position;
                const SurfaceHit fresh = surface->closest(p, reach), known = surface->closest(p, reach, near);
                kept += near.position == place;
                REQUIRE(known.hit == fresh.hit);
                if (!fresh.hit) continue;
                CHECK(known.distance == Approx(fresh.distance).margin(1e-7));
                CHECK((known.position - fresh.position).length() < 1e-4f);  // of two that are as near, either
            }
            if (step < 1e-3f) CHECK(kept > 3000);  // else it would be for nothing
        }
    // Of another surface, and of nothing.
    NearTriangles near;
    rough->closest(V3f(0.6f, 0, 0), 1.0f, near);
    CHECK(near.of == rough->number());
    CHECK(flat->closest(V3f(0.6f, 0.1f, 0), 1.0f, near).distance == Approx(0.1));
    CHECK(near.of == flat->number());
    CHECK_FALSE(flat->closest(V3f(0.6f, 5, 0), 1.0f, near).hit);
    CHECK_FALSE(flat->closest(V3f(std::nanf("")), 1.0f, near).hit);
    CHECK(flat->closest(V3f(0.2f, 0.1f, 0), 1.0f, near).hit);
}

TEST_CASE("a way that is told to be apart from what is near crosses nothing", "[moving]") {
    std::mt19937_64 random(testSeed());
    std::uniform_real_distribution<float> part(-1, 1);
    const auto any = [&] { return V3f(part(random), part(random), part(random)); };
    for (const float far : {0.0f, 300.0f}) {  // where places are rounded by 30 micrometres
        Mesh crumpled = *makeSphere(0.5f, 24);
        for (V3f& p : crumpled.points.add<V3f>("P")) p += any() * 0.02f + V3f(far);
        crumpled.finish();
        const Surface surface(std::make_shared<const Mesh>(crumpled));
        size_t free = 0, told = 0, crossing = 0;
        for (int i = 0; i < 20'000; ++i) {
            const V3f at = V3f(far) + any().normalized() * (0.5f + 0.05f * part(random));
            const V3f from = at + any() * 0.02f, way = any() * 0.03f;
            NearTriangles near;
            surface.closest(at, 10.0f, near);
            const bool apart = surface.apart(from, from + way, near);
            const bool hit = surface.intersect(from, way.normalized(), way.length()).hit;
            REQUIRE_FALSE((apart && hit));
            // Both ways round, since each misses what it begins on.
            REQUIRE_FALSE((apart && surface.intersect(from + way, -way.normalized(), way.length()).hit));
            hit ? ++crossing : ++free;
            told += apart;
        }
        CHECK(crossing > 1000);
        CHECK(double(told) > 0.5 * double(free));  // else it would be for nothing
    }
    // What it does not know it does not tell: no list, one of another surface, a way out of it, no number.
    const Surface plane(makePlane(2, 8)), other(makePlane(2, 8));
    NearTriangles near;
    const V3f a(0.02f, 0.1f, 0.03f), b(0.06f, 0.1f, 0.02f), under(0.02f, -0.1f, 0.03f);
    CHECK_FALSE(plane.apart(a, b, near));
    plane.closest(a, 10.0f, near);
    CHECK(plane.apart(a, b, near));
    CHECK_FALSE(plane.apart(a, under, near));
    CHECK_FALSE(other.apart(a, b, near));
    CHECK_FALSE(plane.apart(a, V3f(50, 0.1f, 0), near));
    CHECK_FALSE(plane.apart(a, V3f(std::nanf("")), near));
    CHECK_FALSE(plane.apart(V3f(std::numeric_limits<float>::infinity()), b, near));
}

TEST_CASE("a triangle is met once, from both sides, at its border, and never where they part", "[moving]") {
    const MovingTriangle still{V3f(0, 0, 0), V3f(1, 0, 0), V3f(0, 0, 1)};
    float u = 0, v = 0;
    CHECK(meetTriangle(V3f(0.2f, 1, 0.2f), V3f(0.2f, -1, 0.2f), still, still, u, v) == Approx(0.5));
    CHECK(u == Approx(0.2));
    CHECK(v == Approx(0.2));
    CHECK(meetTriangle(V3f(0.2f, -1, 0.2f), V3f(0.2f, 3, 0.2f), still, still, u, v) == Approx(0.25));
    CHECK(meetTriangle(V3f(0.6f, 1, 0.6f), V3f(0.6f, -1, 0.6f), still, still, u, v) < 0);
    CHECK(meetTriangle(V3f(0.2f, 1, 0.2f), V3f(0.2f, 0.5f, 0.2f), still, still, u, v) < 0);
    // The triangle comes to a point at rest, and passes one that goes as fast.
    const MovingTriangle above{V3f(0, 1, 0), V3f(1, 1, 0), V3f(0, 1, 1)},
        below{V3f(0, -1, 0), V3f(1, -1, 0), V3f(0, -1, 1)};
    CHECK(meetTriangle(V3f(0.3f, 0, 0.3f), V3f(0.3f, 0, 0.3f), above, below, u, v) == Approx(0.5));
    CHECK(meetTriangle(V3f(0.3f, 2, 0.3f), V3f(0.3f, 0, 0.3f), above, below, u, v) < 0);
    // One that turns over passes a point twice: the first time counts.
    const MovingTriangle turned{V3f(0, 1, 0), V3f(1, 1, 0), V3f(0, -3, 1)};
    const float part = meetTriangle(V3f(0.2f, -0.1f, 0.4f), V3f(0.2f, 0.4f, 0.4f), still, turned, u, v);
    REQUIRE(part >= 0);
    const V3f a = still.a + (turned.a - still.a) * part, b = still.b + (turned.b - still.b) * part,
              c = still.c + (turned.c - still.c) * part;
    const V3f p = V3f(0.2f, -0.1f, 0.4f) + V3f(0, 0.5f, 0) * part;
    CHECK((a * (1 - u - v) + b * u + c * v - p).length() < 1e-4f);
    const float nan = std::nanf("");
    CHECK_FALSE(meetTriangle(V3f(nan), V3f(0.0f), still, still, u, v) >= 0);
}

TEST_CASE("surfaces of other faces, none at all, and those without area", "[moving]") {
    CHECK_THROWS_AS(MovingSurface::deformed(makeSphere(1, 8), makeSphere(1, 9)), Error);
    const auto flat = MovingSurface::moved(surfaceOf(makePlane(1, 1)), M44f(), M44f());
    CHECK_FALSE(flat->closed());
    CHECK_FALSE(flat->during(0, 1).inside(V3f(0, -0.1f, 0)));  // no inside without a closed surface
    CHECK_FALSE(flat->empty());
    CHECK(MovingTriangle{V3f(1.0f), V3f(1.0f), V3f(1.0f)}.normal() == V3f(0, 1, 0));
    const float nan = std::nanf("");
    CHECK_FALSE(flat->during(0, 1).sweep(V3f(nan), V3f(0, -1, 0)).hit);
    CHECK_FALSE(flat->during(0, 1).sweep(V3f(0, 1, 0), V3f(0, 1, 0)).hit);
    CHECK_FALSE(flat->during(0, 1).closest(V3f(nan), 1.0f).hit);
}
