// Strokes on a picture as masks.
#include "render/finish/steps/painted_mask.h"
#include "document/file/scene_file.h"
#include "render/finish/finish_support.h"

using namespace ovrix::tests;

namespace {

std::vector<float> maskOf(const PictureStrokes& strokes, int w, int h) {
    return paintedMask(strokes, w, h, {0, 0, double(w), double(h)}, {w, h}, Progress::none());
}

double sumOf(const std::vector<float>& mask) {
    double sum = 0;
    for (const float m : mask) sum += double(m);
    return sum;
}

PictureStrokes one(std::vector<V2f> points, float radius, float softness) {
    return {{{std::move(points), radius, softness, false}}};
}

}  // namespace

TEST_CASE("a touch of a hard brush is a disc, and a line a stadium", "[painted-mask]") {
    // 200 pixels high: a radius of 40 pixels. Pixels whose middle lies within count whole: by Gauss' circle
    // problem their number differs from the area by about its rim's root.
    const auto disc = maskOf(one({V2f(0.5f, 0.5f)}, 0.2f, 0.0f), 300, 200);
    CHECK(sumOf(disc) == Approx(kPi * 40 * 40).margin(30));
    const auto line = maskOf(one({V2f(0.3f, 0.5f), V2f(0.7f, 0.5f)}, 0.2f, 0.0f), 300, 200);
    CHECK(sumOf(line) == Approx(kPi * 40 * 40 + 120 * 80).margin(60));
    // Softness fades between the inner radius and the rim, about half on the way.
    const auto soft = maskOf(one({V2f(0.5f, 0.5f)}, 0.2f, 1.0f), 300, 200);
    CHECK(soft[100 * 300 + 150] > 0.99f);
    CHECK(soft[100 * 300 + 170] == Approx(0.5f).margin(0.03));
    CHECK(soft[100 * 300 + 191] == 0.0f);
}

TEST_CASE("a stroke covers a place once, strokes lie over one another, and one may erase", "[painted-mask]") {
    const V2f here(0.5f, 0.5f), away(0.1f, 0.5f);
    PictureStrokes back = one({here, away, here}, 0.3f, 1.0f);
    const auto there = maskOf(one({here, away}, 0.3f, 1.0f), 60, 40), again = maskOf(back, 60, 40);
    CHECK(there == again);
    PictureStrokes twice = one({here}, 0.3f, 1.0f);
    twice.list.push_back(twice.list[0]);
    const auto single = maskOf(one({here}, 0.3f, 1.0f), 60, 40), both = maskOf(twice, 60, 40);
    for (size_t i = 0; i < single.size(); ++i)
        CHECK(both[i] == Approx(1 - (1 - single[i]) * (1 - single[i])).margin(1e-6));
    twice.list[1] = {{here}, 1.0f, 0.0f, true};
    CHECK(sumOf(maskOf(twice, 60, 40)) == 0.0);
}

TEST_CASE("strokes stay where they are painted when a picture is cut or made smaller", "[painted-mask]") {
    const PictureStrokes strokes = one({V2f(0.4f, 0.3f), V2f(0.6f, 0.7f)}, 0.1f, 0.4f);
    const auto whole = maskOf(strokes, 120, 80);
    const auto part = paintedMask(strokes, 60, 40, {30, 20, 60, 40}, {120, 80}, Progress::none());
    for (int y = 0; y < 40; ++y)
        for (int x = 0; x < 60; ++x)
            CHECK(part[size_t(y * 60 + x)] == Approx(whole[size_t((y + 20) * 120 + x + 30)]).margin(1e-5));
    const auto half = maskOf(strokes, 60, 40);
    CHECK(4 * sumOf(half) == Approx(sumOf(whole)).epsilon(0.02));
}

TEST_CASE("no strokes, strokes without points, and those of no measure", "[painted-mask]") {
    CHECK(sumOf(maskOf({}, 8, 8)) == 0.0);
    CHECK(sumOf(maskOf(one({}, 0.1f, 0.5f), 8, 8)) == 0.0);
    CHECK(maskOf(one({V2f(0.5f, 0.5f)}, 0.1f, 0.5f), 1, 1).size() == 1);
    const float far = 1e30f;
    for (const float m : maskOf(one({V2f(far, -far), V2f(-far, far)}, 2.0f, 0.5f), 16, 16))
        CHECK((m >= 0.0f && m <= 1.0f));
    std::vector<V2f> long_(200000);
    for (size_t i = 0; i < long_.size(); ++i) long_[i] = V2f(float(i % 7) / 7, float(i % 11) / 11);
    Progress stopped;
    stopped.cancel();
    CHECK_THROWS_AS(paintedMask(one(long_, 2.0f, 0.5f), 64, 64, {0, 0, 64, 64}, {64, 64}, stopped),
                    Cancelled);
}

TEST_CASE("a step counts where it is painted, and elsewhere where that is asked",
          "[painted-mask][finish-steps]") {
    const PictureStrokes left = one({V2f(0.25f, 0.5f)}, 0.2f, 0.0f);
    Bench b(40, 40);
    b.run(exposureStep(), values({{"stops", 2.0}, {"painted", left}}));
    CHECK(b.at(10, 20) == V3f(1.0f));
    CHECK(b.at(30, 20) == V3f(0.25f));
    Bench other(40, 40);
    other.run(exposureStep(), values({{"stops", 2.0}, {"painted", left}, {"invert", true}}));
    CHECK(other.at(10, 20) == V3f(0.25f));
    CHECK(other.at(30, 20) == V3f(1.0f));
}
