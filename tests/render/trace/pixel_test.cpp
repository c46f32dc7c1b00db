// Samples over pixels, over a pixel, and over the lens.
#include "render/render_support.h"
#include "render/trace/pixel_filter.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// How far a smooth integral is off in each pixel after so many passes.
std::vector<double> errors(int side, uint32_t passes,
                           const std::function<Sampler(uint32_t, uint32_t, uint32_t)>& of) {
    std::vector<double> out;
    for (uint32_t y = 0; y < uint32_t(side); ++y)
        for (uint32_t x = 0; x < uint32_t(side); ++x) {
            double sum = 0;
            for (uint32_t pass = 0; pass < passes; ++pass) {
                Sampler s = of(x, y, pass);
                s.next4();  // of the lens; a later set counts as much
                const auto r = s.next4();
                sum += double(r[0] * r[1] + std::sin(3 * r[2]) * r[3]) / passes;
            }
            out.push_back(sum - 0.25 - 0.5 * (1 - std::cos(3.0)) / 3);
        }
    return out;
}

/// Mean square of it, and of its mean over squares of 8 pixels.
std::pair<double, double> power(const std::vector<double>& e, int side) {
    double each = 0, wide = 0;
    for (const double x : e) each += x * x / double(e.size());
    const int squares = side / 8;
    for (int v = 0; v < squares; ++v)
        for (int u = 0; u < squares; ++u) {
            double mean = 0;
            for (int k = 0; k < 64; ++k) mean += e[size_t((v * 8 + k / 8) * side + u * 8 + k % 8)] / 64;
            wide += mean * mean / (squares * squares);
        }
    return {each, wide};
}

}  // namespace

TEST_CASE("what noise is left differs from pixel to pixel, and is not seen from afar", "[render][sampler]") {
    constexpr int kSide = 64;
    for (const uint32_t log2Passes : {0u, 2u, 4u}) {
        const uint32_t passes = 1u << log2Passes;
        const auto [each, wide] = power(
            errors(kSide, passes,
                   [&](uint32_t x, uint32_t y, uint32_t pass) { return Sampler(x, y, pass, 5, log2Passes); }),
            kSide);
        // Pixels that know nothing of each other: the mean of 64 has a 64th of the power.
        INFO("passes " << passes << ": " << each << " and " << wide);
        CHECK(wide < 0.4 * each / 64);
    }
    // Before a whole, each pixel is well spread by itself: 4 of 16 passes are as good as 4 of 4.
    const auto part = power(
        errors(kSide, 4, [](uint32_t x, uint32_t y, uint32_t pass) { return Sampler(x, y, pass, 5, 4); }),
        kSide);
    const auto whole = power(
        errors(kSide, 4, [](uint32_t x, uint32_t y, uint32_t pass) { return Sampler(x, y, pass, 5, 2); }),
        kSide);
    CHECK(part.first < 1.3 * whole.first);
}

TEST_CASE("samples differ far away on large pictures, and after a whole", "[render][sampler]") {
    const auto first = [](uint32_t x, uint32_t y, uint32_t pass, uint32_t bits) {
        return Sampler(x, y, pass, 0, bits).next4();
    };
    CHECK(first(3, 4, 0, 16) != first(3 + 256, 4, 0, 16));
    CHECK(first(3, 4, 0, 16) != first(3, 4 + 256, 0, 16));
    CHECK(first(3, 4, 1, 2) != first(3, 4, 5, 2));
    CHECK(first(3, 4, 1, 2) == first(3, 4, 1, 2));
}

TEST_CASE("a pixel filter draws offsets as its form says", "[render][filter]") {
    using Kind = PixelFilter::Kind;
    const auto spread = [](Kind kind, float width) {
        const PixelFilter f(kind, width);
        double mean = 0, square = 0, most = 0;
        constexpr int kDraws = 100000;
        for (int i = 0; i < kDraws; ++i) {
            const double x = double(f.offset((float(i) + 0.5f) / kDraws));
            mean += x / kDraws, square += x * x / kDraws, most = std::max(most, std::abs(x));
        }
        CHECK(mean == Approx(0).margin(1e-3));
        CHECK(most <= width / 2 * 1.0001);
        return square;
    };
    CHECK(spread(Kind::Box, 1) == Approx(1.0 / 12).epsilon(0.005));
    CHECK(spread(Kind::Box, 3) == Approx(9.0 / 12).epsilon(0.005));
    CHECK(spread(Kind::Tent, 2) == Approx(1.0 / 6).epsilon(0.005));
    // Its terms are cosines: the integral of x^2 cos(2 pi k x) over -1/2 to 1/2 is cos(pi k) / (2 pi^2 k^2).
    double moment = 1.0 / 12;
    const double terms[] = {0.48829, 0.14128, 0.01168};
    for (int k = 1; k <= 3; ++k)
        moment += terms[k - 1] / 0.35875 * (k % 2 ? -1 : 1) / (2 * M_PI * M_PI * k * k);
    CHECK(spread(Kind::BlackmanHarris, 3) == Approx(9 * moment).epsilon(0.02));
    for (const float u : {0.0f, 0.5f, 1.0f}) CHECK(PixelFilter(Kind::BlackmanHarris, 0).offset(u) == 0);
}

TEST_CASE("a pixel's light is that around it, as its filter counts it", "[render][filter]") {
    // A bright half plane: the pixel at its edge shows half of it under any filter, its neighbours what
    // reaches over.
    RenderScene scene;
    SurfaceMaterial bright = plain(0, 1, 0, 0);
    bright.luminance.high = 1;
    M44f upright;
    upright[1][1] = upright[2][2] = 0, upright[1][2] = 1, upright[2][1] = -1;
    upright[3][0] = 5;
    addTo(scene, makePlane(10, 1), bright, upright);
    scene.commit(Progress::none());
    CameraOptions c;
    c.position = V3f(0, 0, 5);
    const auto row = [&](PixelFilter filter) {
        RenderOptions o;
        o.filter = filter, o.log2Passes = 10;
        Film film(9, 9);  // the edge runs through the middle of the fifth column
        const Renderer renderer(scene, Camera(c, 1.0f), o);
        for (uint32_t pass = 0; pass < 1024; ++pass)
            renderer.renderPass(film, pass, {0, 4, 9, 1}, Progress::none());
        return film;
    };
    using Kind = PixelFilter::Kind;
    const Film box = row(PixelFilter(Kind::Box, 1)), tent = row(PixelFilter(Kind::Tent, 4));
    CHECK(box.beauty(4, 4).x == Approx(0.5f).margin(0.01));
    CHECK(box.beauty(3, 4).x < 0.005f);
    CHECK(tent.beauty(4, 4).x == Approx(0.5f).margin(0.01));
    CHECK(tent.beauty(3, 4).x == Approx(0.125f).margin(0.01));  // a half of (1/2)^2
    CHECK(tent.beauty(5, 4).x == Approx(0.875f).margin(0.01));
}

TEST_CASE("an iris has its blades, their turn and roundness, and is squeezed", "[render][camera]") {
    CameraOptions o{.position = V3f(0, 0, 5), .focal = 50, .fstop = 2};
    const float radius = 0.5e-3f * 50 / 2;
    const auto places = [&] {
        const Camera camera(o, 1.0f);
        std::vector<V2f> all;
        for (int i = 0; i < 20000; ++i) {
            const Random4 r = random4(4, uint64_t(i), Stream::User);
            const V3f p = camera.ray(0.5f, 0.5f, r[0], r[1]).origin - o.position;
            all.push_back(V2f(p.x, p.y) / radius);
        }
        return all;
    };
    /// Fraction of the unit circle that it covers, by its second moment in the case of a circle.
    const auto inside = [](const std::vector<V2f>& all, float r) {
        return double(std::count_if(all.begin(), all.end(), [&](const V2f& p) { return p.length() < r; })) /
               double(all.size());
    };
    CHECK(inside(places(), 0.5f) == Approx(0.25).margin(0.01));
    o.blades = 6;
    const auto six = places();
    const float apothem = std::cos(kPi / 6);
    for (const V2f& p : six)
        for (int k = 0; k < 6; ++k) {
            const float a = (float(k) + 0.5f) * kPi / 3;
            REQUIRE(p.x * std::cos(a) + p.y * std::sin(a) < apothem + 1e-4f);
        }
    // Even over the hexagon, whose area is 3 sqrt(3) / 2.
    CHECK(inside(six, 0.5f) == Approx(double(kPi) * 0.25 / (1.5 * std::sqrt(3.0))).margin(0.01));
    o.bladeTurn = kPi / 6;
    float most = 0;
    for (const V2f& p : places()) most = std::max(most, p.x);
    CHECK(most == Approx(apothem).margin(0.01));  // now a flat side lies to the right
    o.roundness = 1;
    CHECK(inside(places(), 0.5f) == Approx(0.25).margin(0.01));
    o.squeeze = 2;
    float wide = 0, high = 0;
    for (const V2f& p : places()) wide = std::max(wide, std::abs(p.x)), high = std::max(high, std::abs(p.y));
    CHECK(high == Approx(2 * wide).epsilon(0.03));
}

TEST_CASE("film width and shift frame as formulas say", "[render][camera]") {
    CameraOptions o{.position = V3f(0, 0, 5), .focal = 50};
    o.film = 24;
    CHECK(Camera(o, 1.5f).halfWidth() == Approx(0.24f));
    CHECK(Camera(o, 1.5f).halfHeight() == Approx(0.16f));
    o.shift = V2f(0.5f, 0.25f);
    const Camera c(o, 1.5f);
    // Half a film to the right: the line of sight is at the picture's left edge.
    const Ray left = c.ray(0.0f, 0.5f, 0, 0);
    CHECK(left.direction.x == Approx(0).margin(1e-6));
    CHECK(left.direction.y / -left.direction.z == Approx(0.25f * 0.48f));
    const V3f place = c.placeAt(0.3f, 0.8f, 4.0f);
    const V3f seen = (place - o.position).normalized();
    CHECK((seen - c.ray(0.3f, 0.8f, 0, 0).direction).length() < 1e-6f);
    CHECK((place - o.position).dot(c.forward()) == Approx(4.0f));
}

TEST_CASE("shines behind a matt surface are roughened: no dots, and the light that they bundle", "[render]") {
    // A small lamp before a mirror that stands on a matt floor.
    struct Light3 {
        double direct = 0, indirect = 0, most = 0;
    };
    const auto seen = [](float roughen, bool mirror, float lampZ) {
        RenderScene scene;
        addTo(scene, makePlane(4, 1), plain(0.7f, 1, 0, 0));
        M44f wall;
        wall[1][1] = wall[2][2] = 0, wall[1][2] = 1, wall[2][1] = -1;
        wall[3][2] = -1;
        if (mirror) addTo(scene, makePlane(4, 1), plain(0.9f, 0.05f, 1, 0.5f), wall);
        scene.lights.push_back(
            BallLight{.center = V3f(0, 1, lampZ), .radius = 0.01f, .radiance = V3f(20000.0f)});
        scene.commit(Progress::none());
        CameraOptions c;
        c.position = V3f(0, 1.5f, 2);
        c.target = V3f(0, 0, 0.3f);
        c.focal = 70;
        RenderOptions o;
        o.roughen = roughen, o.bounces = 4;
        Film film(24, 24);
        const Renderer renderer(scene, Camera(c, 1.0f), o);
        for (uint32_t pass = 0; pass < 64; ++pass)
            renderer.renderPass(film, pass, {0, 0, 24, 24}, Progress::none());
        Light3 light;
        for (const FilmPixel& p : film.pixels()) {
            const double indirect = double(p.indirect.x) / p.samples;
            light.direct += double(p.direct.x) / p.samples / 576;
            light.indirect += indirect / 576;
            light.most = std::max(light.most, indirect);
        }
        return light;
    };
    // What the mirror throws on the floor is as from a lamp behind it.
    const double truth = 0.9 * seen(0, false, -2.5f).direct;
    const Light3 bare = seen(0, true, 0.5f), rough = seen(0.3f, true, 0.5f);
    CHECK(bare.most > 20 * truth);  // few paths find it
    CHECK(rough.most < 20 * truth);
    CHECK(rough.indirect == Approx(truth).epsilon(0.5));  // it is spread over more than is seen
}
