// Lights are met where they are sampled, and with the density that sampling has.
#include "render/light/lights.h"
#include "base/random.h"
#include "render/light/sky.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

QuadLight quad(const V3f& corner, const V3f& side1, const V3f& side2, float turn) {
    QuadLight q{corner, side1, side2, {}, 0, turn, V3f(1.0f)};
    const V3f n = side1.cross(side2) * turn;
    q.area = n.length(), q.normal = n / q.area;
    return q;
}

}  // namespace

TEST_CASE("area lights are hit where they are sampled, sheared and mirrored ones too", "[render][lights]") {
    for (const float turn : {1.0f, -1.0f}) {
        const QuadLight q = quad(V3f(-1, 2, -0.5f), V3f(2, 0.2f, 0), V3f(1.5f, 0, 1), turn);
        const V3f from = V3f(0.4f, 2, 0) + q.normal * 1.7f;
        for (uint64_t i = 0; i < 200; ++i) {
            const Random4 r = random4(3, i, Stream::Place);
            const LightSample s = q.sample(from, r[0], r[1]);
            REQUIRE(s.pdf > 0);
            const LightHit hit = q.hit(from, s.direction);
            REQUIRE(hit.hit);
            CHECK(hit.distance == Approx(s.distance).epsilon(1e-4));
            CHECK(hit.pdf == Approx(s.pdf).epsilon(1e-3));
        }
        // Past the slanted side there is nothing, though a rectangle of its sides would reach there.
        const V3f past = q.corner + q.side1 * 0.5f + q.side2 * 1.05f;
        CHECK_FALSE(q.hit(from, (past - from).normalized()).hit);
        // It shines to one side alone.
        const V3f behind = from - q.normal * 3.4f;
        CHECK(q.sample(behind, 0.5f, 0.5f).pdf == 0);
        CHECK_FALSE(q.hit(behind, q.normal).hit);
    }
}

TEST_CASE("an area light that is squeezed to a line gives nothing, and nothing that is no number",
          "[render][lights]") {
    QuadLight q{V3f(-1, 2, 0), V3f(2, 0, 0), V3f(0.0f), V3f(0, -1, 0), 0, 1, V3f(1.0f)};
    for (const V3f& from : {V3f(0.0f), V3f(0, 2, 0), V3f(-1, 2, 0), V3f(0, 5, 1)}) {
        const LightSample s = q.sample(from, 0.5f, 0.5f);
        CHECK(s.pdf == 0);
        for (const V3f& d : {V3f(0, 1, 0), V3f(0, -1, 0), V3f(1, 0, 0)}) CHECK_FALSE(q.hit(from, d).hit);
    }
}

TEST_CASE("a dome is sampled as what it gives between its pixels", "[render][lights]") {
    auto image = std::make_shared<Image>();
    image->width = 8, image->height = 4, image->scale = 4;
    image->pixels.assign(8 * 4 * 4, half(0.01f));
    for (int c = 0; c < 3; ++c) image->pixels[size_t((1 * 8 + 3) * 4 + c)] = half(50.0f);  // one bright pixel
    const DomeLight dome(std::make_shared<DomeTable>(image), V3f(1.0f), 0.3f);
    double mean = 0, most = 0;
    constexpr int kCount = 20000;
    for (int i = 0; i < kCount; ++i) {
        const Random4 r = random4(5, uint64_t(i), Stream::Place);
        float pdf;
        const V3f d = dome.sample(r[0], r[1], pdf);
        REQUIRE(dome.pdf(d) == Approx(pdf).epsilon(1e-2));
        const double value = double(dome.radiance(d).x) / double(pdf);
        mean += value / kCount, most = std::max(most, value);
    }
    // Beside the corner of a bright pixel what is looked up comes to a quarter of it, and is a 64th in the
    // mean: more than 16 times the mean no sample gives. By pixels alone it would be thousands.
    CHECK(most < 16.5 * mean);
}
