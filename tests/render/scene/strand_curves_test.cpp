// Pieces of strands that the ray tracer is given.
#include "render/scene/strand_curves.h"

#include "base/random.h"
#include "geo/points/curve_set.h"
#include "support.h"

using namespace ovrix::render;
using namespace ovrix::tests;

namespace {

/// Strands that curl, each with @p points points, a metre high.
StrandsPtr curls(size_t count, size_t points, float radius) {
    auto set = std::make_shared<StrandSet>();
    std::vector<V3f> p;
    std::vector<float> width;
    std::vector<uint64_t> id;
    for (size_t s = 0; s < count; ++s) {
        const float phase = random1(3, s, Stream::User) * 6.2831853f;
        for (size_t k = 0; k < points; ++k) {
            const float t = float(k) / float(points - 1), a = phase + 9.0f * t;
            p.push_back(V3f(float(s) * 0.01f + radius * std::cos(a), t, radius * std::sin(a)));
            width.push_back(0.002f * (1.0f - t));
        }
        set->start.push_back(uint32_t(p.size()));
        id.push_back(s);
    }
    set->points.set("P", p);
    set->points.set("width", width);
    set->strands.set("id", id);
    return set;
}

ThinLimit detailOf(float metres, float distance) {
    return {.eye = V3f(0, 0.5f, distance), .perMetre = 0, .detail = metres / distance};
}

}  // namespace

TEST_CASE("straight strands are few pieces, and without a limit all that they have", "[render][strands]") {
    const StrandsPtr straight = curls(50, 33, 0.0f);
    CHECK(StrandCurves(straight, {}).pieces() == 50 * 32);
    const StrandCurves few(straight, detailOf(1e-5f, 10));
    CHECK(few.pieces() == 50 * 4);  // eight in one at most
    for (uint32_t piece = 0; piece < few.pieces(); ++piece) {
        const auto place = few.placeAt(piece, 0.5f);
        CHECK(place.strand == piece / 4);
        CHECK(place.along == Approx((float(piece % 4) + 0.5f) / 4.0f));
        CHECK(place.center.y == Approx(place.along));
        CHECK(place.id == place.strand);
        CHECK(place.radius == Approx(0.001f * (1.0f - place.along)).margin(1e-7));
    }
}

TEST_CASE("no point of a strand is off its pieces by more than the detail", "[render][strands]") {
    const StrandsPtr set = curls(40, 49, 0.05f);
    const auto p = std::as_const(set->points).find<V3f>("P");
    for (const float detail : {1e-3f, 5e-3f, 2e-2f}) {
        INFO(detail);
        const ThinLimit limit = detailOf(detail, 8);
        const StrandCurves curves(set, limit);
        CHECK(curves.pieces() < 40 * 48);
        for (size_t s = 0; s < set->size(); ++s)
            for (uint32_t i = set->start[s]; i < set->start[s + 1]; ++i) {
                float nearest = 1e9f;
                for (uint32_t piece = 0; piece < curves.pieces(); ++piece) {
                    const auto a = curves.placeAt(piece, 0), b = curves.placeAt(piece, 1);
                    if (a.strand != s) continue;
                    const V3f d = b.center - a.center;
                    const float t = std::clamp((p[i] - a.center).dot(d) / d.length2(), 0.0f, 1.0f);
                    nearest = std::min(nearest, (a.center + d * t - p[i]).length());
                }
                CHECK(nearest <= limit.detailAt(p[i]) + 1e-6f);  // rounding of coordinates of about 1
            }
    }
    CHECK(StrandCurves(set, detailOf(2e-2f, 8)).pieces() < StrandCurves(set, detailOf(2e-3f, 8)).pieces());
}

TEST_CASE("what bends at another time, changes its width or its colour keeps its points",
          "[render][strands]") {
    const StrandsPtr straight = curls(20, 33, 0.0f);
    const size_t all = 20 * 32;
    CHECK(StrandCurves(straight, detailOf(1e-4f, 8), {straight, curls(20, 33, 0.05f)}).pieces() > all / 2);
    auto banded = std::make_shared<StrandSet>(*straight);
    auto color = banded->points.add<Color>("color");
    for (size_t i = 0; i < color.size(); ++i) color[i] = Color(i % 2 ? 1.0f : 0.2f);
    CHECK(StrandCurves(banded, detailOf(1e-4f, 8)).pieces() == all);
    auto beaded = std::make_shared<StrandSet>(*straight);
    auto width = beaded->points.add<float>("width");
    for (size_t i = 0; i < width.size(); ++i) width[i] = i % 2 ? 0.01f : 0.001f;
    CHECK(StrandCurves(beaded, detailOf(1e-4f, 8)).pieces() == all);
}

TEST_CASE("pieces of nothing, of one and of what is no number", "[render][strands]") {
    CHECK(StrandCurves(std::make_shared<StrandSet>(), detailOf(1e-3f, 8)).pieces() == 0);
    CHECK(StrandCurves(curls(1, 2, 0.0f), detailOf(1e-3f, 8)).pieces() == 1);
    auto broken = std::make_shared<StrandSet>(*curls(3, 17, 0.0f));
    broken->points.add<V3f>("P")[20] = V3f(std::nanf(""));
    const StrandCurves curves(broken, detailOf(1e-3f, 8));
    CHECK(curves.pieces() >= 3 * 2 + 1);
    // Seen from itself a strand has no detail that could be left out.
    ThinLimit within;
    within.eye = V3f(0, 0.5f, 0), within.detail = 1e-3f;
    CHECK(StrandCurves(curls(1, 33, 0.05f), within).pieces() > 16);
}
