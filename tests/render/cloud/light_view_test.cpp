#include "render/cloud/light_view.h"

#include "base/random.h"
#include "support.h"

namespace ovrix::tests {

using render::LightView;

namespace {

const Box3f kBox(V3f(-1, -0.5f, -2), V3f(1, 0.5f, 2));

std::vector<LightView> views(int size) {
    const V3f way = V3f(0.3f, 0.8f, -0.5f).normalized();
    return {{way, std::numeric_limits<float>::infinity(), kBox, size},
            {way, 7.0f, kBox, size},
            {way, 0.4f, kBox, size}};
}

}  // namespace

TEST_CASE("a light sees all places of its box, and the way of a pixel leads there", "[cloud]") {
    for (const LightView& view : views(256))
        for (uint64_t i = 0; i < 2000; ++i) {
            const Random4 r = random4(5, i, Stream::User);
            V3f p;
            for (int k = 0; k < 3; ++k) p[k] = lerp(kBox.min[k], kBox.max[k], r[k]);
            const auto at = view.place(p);
            REQUIRE(at);
            CHECK(at->depth >= view.near() - 1e-4f);
            CHECK(at->depth <= view.far() + 1e-4f);
            const LightView::Way way = view.wayOf(at->x, at->y, 0.5f, 0.5f);
            const float along = (p - way.origin).dot(way.direction);
            const float aside = (p - way.origin - way.direction * along).length();
            // No further than half of the diagonal of what a pixel covers; folded ones are not quite square.
            CHECK(aside < 1.3f * std::sqrt(at->area));
        }
}

TEST_CASE("what pixels cover makes up the whole", "[cloud]") {
    // Pixels at distance 1 about a lamp: the sphere's area, 4 pi. The mean over even places of a pixel's area
    // is what a pixel has of it, so that as many pixels as there are make it up.
    const int size = 64;
    const LightView around(V3f(0, 1, 0), 0.1f, Box3f(V3f(-1), V3f(1)), size);
    double sum = 0.0;
    for (int y = 0; y < size; ++y)
        for (int x = 0; x < size; ++x) {
            const auto way = around.wayOf(x, y, 0.5f, 0.5f);
            sum += double(around.place(way.origin + way.direction)->area);
        }
    CHECK(sum == Approx(4.0 * double(kPi)).epsilon(0.002));  // the midpoint rule's error at 64
    // A window at distance 2: a pixel's edge there is 2 tan(angle) / size each way, less the tilt.
    const LightView far(V3f(0, 0, 1), std::numeric_limits<float>::infinity(), Box3f(V3f(-1), V3f(1)), 10);
    const float edge = 2.0f * std::sqrt(3.0f) * 1.0001f / 10.0f;
    CHECK(far.place(V3f(0.1f, 0.2f, 0.3f))->area == Approx(edge * edge).epsilon(1e-4));
}

TEST_CASE("a light does not see what is no place, behind its window or out of it", "[cloud]") {
    const float nan = std::numeric_limits<float>::quiet_NaN();
    for (const LightView& view : views(16)) {
        CHECK_FALSE(view.place(V3f(nan, 0, 0)));
        CHECK_FALSE(view.place(V3f(0, nan, nan)));
    }
    const LightView window(V3f(0, 0, 1), 7.0f, kBox, 16);
    CHECK_FALSE(window.place(V3f(0, 0, 8)));
    CHECK_FALSE(window.place(V3f(100, 0, 0)));
}

}  // namespace ovrix::tests
