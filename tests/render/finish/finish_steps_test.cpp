// Steps on pictures: what each makes of light that is known.
#include <tbb/global_control.h>

#include <numeric>

#include "base/image.h"
#include "base/random.h"
#include "render/finish/finish_support.h"
#include "render/finish/scopes.h"
#include "render/light/black_body.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// Light and planes without any order.
Bench noisy(int w, int h) {
    Bench b(w, h);
    for (size_t i = 0; i < b.light.size(); ++i) {
        const Random4 r = random4(3, i, Stream::Color);
        b.light[i] = V3f(r[0], r[1], r[2]) * (i % 17 == 0 ? 20.0f : 1.0f);
    }
    b.passes.set(Pass::Depth,
                 [](int x, int y) { return (x / 5 + y / 3) % 4 ? 2.0f + 0.2f * float(x) : 0.0f; });
    b.passes.setVectors(Pass::Motion, V3f(6, -3, 0));
    b.passes.mattes["rock"] = b.passes.planeOf([](int x, int) { return x % 2 ? 1.0f : 0.25f; });
    b.passes.groups[""] = b.light;
    return b;
}

struct OneImage : ImageSource {
    std::shared_ptr<Image> made = std::make_shared<Image>();
    OneImage(const Color& color, float alpha) {
        made->width = made->height = 4;
        for (int i = 0; i < 16; ++i)
            for (const float v : {color.x, color.y, color.z, alpha}) made->pixels.emplace_back(v);
    }
    std::shared_ptr<const Image> image(const std::string&, const std::string&) override { return made; }
    std::map<int, std::shared_ptr<const Texture>> tiles(const std::string&, const std::string&) override {
        return {};
    }
};

}  // namespace

TEST_CASE("exposure, levels and grade do as their formulas say", "[finish-steps]") {
    Bench b(3, 2, V3f(0.25f, 0.5f, 1.0f));
    b.run(exposureStep(), values({{"stops", 1.0}}));
    CHECK(b.at(1, 1) == V3f(0.5f, 1.0f, 2.0f));
    b = Bench(3, 2, V3f(0.25f, 0.5f, 2.0f));
    b.run(levelsStep(), values({{"black", 0.25}, {"white", 1.25}, {"gamma", 2.0}, {"highest", 0.5}}));
    CHECK(b.at(0, 0).x == 0.0f);
    CHECK(b.at(0, 0).y == Approx(0.25));  // the root of a quarter, times a half
    CHECK(b.at(0, 0).z == Approx(0.5 * std::sqrt(1.75)));
    b = Bench(3, 2, V3f(0.25f, 0.5f, 1.0f));
    b.run(gradeStep(),
          values({{"slope", V3d(2, 1, 1)}, {"offset", V3d(0, -0.25, 0)}, {"power", V3d(1, 2, 1)}}));
    CHECK(b.at(2, 1).x == Approx(0.5));
    CHECK(b.at(2, 1).y == Approx(0.0625));
    CHECK(b.at(2, 1).z == Approx(1.0));
    b.run(gradeStep(), values({{"saturation", 0.0}}));
    CHECK(b.at(0, 0).x == Approx(luminance(V3f(0.5f, 0.0625f, 1.0f))));
}

TEST_CASE("the light of a group is balanced, and other light stays", "[finish-steps]") {
    Bench b(2, 2, V3f(0.5f, 0.5f, 0.5f));
    b.passes.groups["lamp"] = std::vector<V3f>(4, V3f(0.25f, 0.125f, 0.0f));
    b.run(lightGroupStep(),
          values({{"group", std::string("lamp")}, {"stops", 1.0}, {"color", Color(1, 0, 1)}}));
    CHECK((b.at(1, 1) - V3f(0.75f, 0.375f, 0.5f)).length() < 1e-6f);
    CHECK_THROWS_AS(b.run(lightGroupStep(), values({{"group", std::string("moon")}})), Error);
}

TEST_CASE("curves change what is seen, and light beyond white goes on", "[finish-steps]") {
    Bench b(2, 2, V3f(0.2f, 0.5f, 3.0f));
    const std::vector<V3f> before = b.light;
    b.run(curvesStep());
    CHECK(b.light == before);
    Curve half;
    half.points = {{0, 0}, {1, 0.5f}};
    half.smooth = false;
    b.run(curvesStep(), values({{"all", half}}));
    const auto seen = [](float x) { return 1.055f * std::pow(x, 1 / 2.4f) - 0.055f; };
    CHECK(seen(b.at(0, 0).x) == Approx(0.5f * seen(0.2f)).epsilon(1e-3));
    CHECK(b.at(0, 0).z == Approx(3.0f * std::pow((0.5f + 0.055f) / 1.055f, 2.4f)).epsilon(1e-4));
}

TEST_CASE("white balance finds the light that a grey was lit by, and takes it away", "[finish-steps]") {
    for (const float kelvin : {2500.0f, 3200.0f, 5000.0f, 9000.0f}) {
        const V3f lit = V3f(blackBody(kelvin)) * 0.3f;
        const V3f day = balanced(lit, {kelvin, 0});
        const V3f wanted(blackBody(6500));
        CHECK(day.x / day.z == Approx(wanted.x / wanted.z).epsilon(2e-3));
        const WhiteBalance found = balanceOf(lit * V3f(1, 1.2f, 1));
        const V3f grey = balanced(lit * V3f(1, 1.2f, 1), found);
        CHECK(grey.x == Approx(grey.z).epsilon(1e-3));
        CHECK(grey.y == Approx(grey.x).epsilon(1e-3));
        CHECK(found.tint > 0.1);
    }
    CHECK(balanceOf(V3f(0.0f)).temperature == 6500);
    Bench b(2, 2, V3f(0.4f, 0.3f, 0.2f));
    b.run(whiteBalanceStep());
    CHECK((b.at(0, 0) - V3f(0.4f, 0.3f, 0.2f)).length() < 1e-5f);
}

TEST_CASE("hues are changed alone where only some are meant", "[finish-steps]") {
    Bench b(2, 1);
    b.at(0, 0) = V3f(0.8f, 0.05f, 0.05f), b.at(1, 0) = V3f(0.05f, 0.05f, 0.8f);
    const V3f red = b.at(0, 0);
    b.run(hueStep(), values({{"saturation", 0.0}, {"around", 264.0}, {"width", 60.0}}));
    CHECK((b.at(0, 0) - red).length() < 1e-4f);
    CHECK(std::abs(b.at(1, 0).x - b.at(1, 0).z) < 0.05f);
    b.run(hueStep(), values({{"hue", 360.0}}));
    CHECK((b.at(0, 0) - red).length() < 1e-3f);
}

TEST_CASE("a mask says where a step counts: things, distances, elsewhere, a part", "[finish-steps]") {
    const auto brightened = [](const ParamMap& mask) {
        Bench b(8, 2, V3f(0.25f));
        b.passes.mattes["rock"] = b.passes.planeOf([](int x, int) {
            return x < 2 ? 1.0f : x == 2 ? 0.5f : 0.0f;
        });
        b.passes.set(Pass::Depth, [](int x, int) { return x == 7 ? 0.0f : float(x); });
        ParamMap all = mask;
        all["stops"].value = 1.0;
        b.run(exposureStep(), all);
        std::vector<float> row;
        for (int x = 0; x < 8; ++x) row.push_back(b.at(x, 1).x);
        return row;
    };
    CHECK(brightened(values({{"things", Refs{"rock"}}})) ==
          std::vector<float>{0.5f, 0.5f, 0.375f, 0.25f, 0.25f, 0.25f, 0.25f, 0.25f});
    CHECK(brightened(values({{"things", Refs{"rock"}}, {"invert", true}})) ==
          std::vector<float>{0.25f, 0.25f, 0.375f, 0.5f, 0.5f, 0.5f, 0.5f, 0.5f});
    // From 2 to 4 metres more and more; nothing is the farthest.
    CHECK(brightened(values({{"distance", Range{2, 4}}})) ==
          std::vector<float>{0.5f, 0.25f, 0.25f, 0.375f, 0.5f, 0.5f, 0.5f, 0.5f});
    CHECK(brightened(values({{"amount", 0.5}}))[3] == 0.375f);
    CHECK(brightened(values({{"amount", 0.0}}))[3] == 0.25f);
}

TEST_CASE("a field masks a step by the places that the pixels show", "[finish-steps]") {
    Bench b(9, 9, V3f(0.25f));
    ParamMap params = values({{"stops", 1.0}});
    Field field;
    field.sources.push_back(makeSource("height"));
    field.sources[0].params["range"].value = Range{-1e-3, 1e-3};
    params["amount"].field = std::make_shared<const Field>(field);
    params["amount"].value = 1.0, params["amount"].low = 0.0;
    b.run(exposureStep(), params);
    CHECK(b.at(4, 0).x == Approx(0.5f));   // above the line of sight
    CHECK(b.at(4, 8).x == Approx(0.25f));  // below it
}

TEST_CASE("bloom spreads light and loses none; what is dark stays as it is", "[finish-steps]") {
    Bench dark(40, 30, V3f(0.8f));
    const std::vector<V3f> before = dark.light;
    dark.run(glowStep(), values({{"strength", 1.0}}));
    CHECK(dark.light == before);
    Bench b(128, 128, V3f(0.0f));
    b.at(64, 64) = V3f(1000, 500, 100);
    const V3f sum = sumOf(b.light);
    b.run(glowStep(), values({{"strength", 0.5}, {"radius", 8.0}}));
    for (int k = 0; k < 3; ++k) CHECK(sumOf(b.light)[k] == Approx(sum[k]).epsilon(0.02));
    CHECK(b.at(64, 64).x < 600);
    CHECK(b.at(70, 64).x > b.at(80, 64).x);
    CHECK(b.at(64, 58).x == Approx(b.at(64, 70).x).epsilon(0.1));  // alike around, to the steps of its sizes
    // Rays: along them there is light, between them hardly any.
    Bench rays(129, 129, V3f(0.0f));
    rays.at(64, 64) = V3f(1000.0f);
    rays.run(glowStep(), values({{"strength", 0.0}, {"glare", 0.5}, {"rays", int64_t(4)}, {"turn", 0.0}}));
    CHECK(rays.at(74, 64).x > 100 * rays.at(71, 71).x);
    CHECK(sumOf(rays.light).x == Approx(1000).epsilon(0.05));
}

TEST_CASE("a vignette darkens the corners and leaves the middle", "[finish-steps]") {
    Bench b(64, 40, V3f(1.0f));
    b.run(vignetteStep(), values({{"stops", -2.0}, {"reach", 0.3}, {"softness", 0.5}}));
    CHECK(b.at(32, 20) == V3f(1.0f));
    CHECK(b.at(0, 0).x == Approx(0.25f));
    CHECK(b.at(63, 39).x == Approx(b.at(0, 0).x));
}

TEST_CASE("a lens bends and parts light, and shows no edge", "[finish-steps]") {
    for (const double barrel : {-0.3, 0.3}) {
        Bench b(50, 40, V3f(1.0f));
        b.run(distortionStep(), values({{"barrel", barrel}, {"edge", barrel / 3}}));
        for (const V3f& c : b.light) CHECK((c - V3f(1.0f)).length() < 1e-5f);
    }
    Bench b(201, 101, V3f(0.0f));
    for (int y = 45; y < 56; ++y)
        for (int x = 170; x < 181; ++x) b.at(x, y) = V3f(1.0f);
    b.run(fringeStep(), values({{"width", 4.0}}));
    const auto middle = [&](int k) {
        double sum = 0, moment = 0;
        for (int x = 0; x < b.width; ++x) sum += double(b.at(x, 50)[k]), moment += x * double(b.at(x, 50)[k]);
        return moment / sum;
    };
    // Of 4 pixels at the corners, at 75 of 112 from the middle: red is pulled from farther out, and lies
    // nearer.
    CHECK(middle(1) == Approx(175).margin(0.05));
    CHECK(middle(2) - middle(1) == Approx(-4.04 * 75 / 112.5).margin(0.3));
    CHECK(middle(0) - middle(1) == Approx(4.04 * 75 / 112.5).margin(0.3));
}

TEST_CASE("sharpening leaves what is flat, and lifts edges", "[finish-steps]") {
    Bench b(60, 60, V3f(0.3f));
    for (int y = 0; y < 60; ++y)
        for (int x = 30; x < 60; ++x) b.at(x, y) = V3f(0.6f);
    b.run(sharpenStep(), values({{"radius", 3.0}, {"strength", 1.0}}));
    CHECK(b.at(5, 30).x == Approx(0.3f));
    CHECK(b.at(30, 30).x > 0.62f);
    CHECK(b.at(29, 30).x < 0.29f);
}

TEST_CASE("grain strays by its strength, and lies still on the picture", "[finish-steps]") {
    Bench b(200, 100, V3f(0.2f));
    const ParamMap params = values({{"strength", 0.2}, {"size", 2.0}, {"colored", 0.0}});
    b.run(grainStep(), params);
    double sum = 0, squares = 0;
    for (const V3f& c : b.light) {
        const double stops = std::log2(double(c.x) / 0.2);
        sum += stops, squares += stops * stops;
        CHECK(c.x == c.y);
    }
    const double n = double(b.light.size());
    // Grains of two pixels: 5,000 that are free, so the mean strays by 0.2 / 70.
    CHECK(sum / n == Approx(0).margin(5 * 0.2 / 70));
    CHECK(std::sqrt(squares / n) == Approx(0.2).epsilon(0.05));
    const ParamMap cut = values({{"left", 25.0}, {"top", 50.0}});
    Bench first(200, 100, V3f(0.2f)), then = first;
    first.run(cropStep(), cut), first.run(grainStep(), params);
    then.run(grainStep(), params), then.run(cropStep(), cut);
    CHECK(first.light == then.light);
}

TEST_CASE("fog and light by normals do as their formulas say", "[finish-steps]") {
    Bench b(4, 4, V3f(0.5f));
    b.passes.set(Pass::Depth, [](int x, int) { return x == 0 ? 0.0f : 10.0f * float(x); });
    b.run(distanceFogStep(), values({{"visibility", 30.0}, {"from", 10.0}, {"color", Color(1, 1, 1)}}));
    CHECK(b.at(0, 0).x == 0.5f);
    CHECK(b.at(1, 0).x == Approx(0.5f));
    const double through = std::pow(0.05, 20.0 / 30.0);
    CHECK(double(b.at(3, 0).x) == Approx(0.5 * through + 1 - through));
    Bench lit(4, 4, V3f(0.1f));  // normals look at the camera, which looks along -Z
    lit.run(relightStep(), values({{"elevation", 0.0},
                                   {"azimuth", 60.0},
                                   {"strength", 2.0},
                                   {"wrap", 0.0},
                                   {"color", Color(1, 0.5f, 0)}}));
    CHECK(lit.at(1, 1).x == Approx(0.1f + 0.5f * 2 * 0.5f));
    CHECK(lit.at(1, 1).y == Approx(0.1f + 0.25f * 2 * 0.5f));
    CHECK(lit.at(1, 1).z == Approx(0.1f));
}

TEST_CASE("an image is laid over the picture by its alpha and blend", "[finish-steps]") {
    OneImage half(Color(0.5f, 0.5f, 0.5f), 0.5f);
    const auto laid = [&](const char* how) {
        Bench b(6, 6, V3f(0.2f));
        b.images = &half;
        b.run(overlayStep(), values({{"file", std::string("x.png")},
                                     {"lay", std::string(how)},
                                     {"fit", std::string("stretch")}}));
        return b.at(3, 3).x;
    };
    CHECK(laid("over") == Approx(0.35));
    CHECK(laid("add") == Approx(0.2 + 0.25));
    CHECK(laid("multiply") == Approx(0.2 + (0.1 - 0.2) * 0.5));
    CHECK(laid("screen") == Approx(0.2 + (0.2 + 0.4 - 0.2) * 0.5));
    Bench b(12, 6, V3f(0.2f));  // a square one in the middle, whole
    b.images = &half;
    b.run(overlayStep(), values({{"file", std::string("x.png")}}));
    CHECK(b.at(1, 3).x == 0.2f);
    CHECK(b.at(6, 3).x == Approx(0.35));
    Bench none(4, 4);
    none.run(overlayStep());
    CHECK(none.notes.size() == 1);
}

TEST_CASE("a crop keeps what it keeps, and passes go with it", "[finish-steps]") {
    Bench b(40, 20);
    for (int y = 0; y < 20; ++y)
        for (int x = 0; x < 40; ++x) b.at(x, y) = V3f(float(x), float(y), 1);
    b.passes.set(Pass::Depth, [](int x, int y) { return float(1 + x + 100 * y); });
    Bench other = b;
    b.run(cropStep(), values({{"left", 25.0}, {"bottom", 50.0}}));
    CHECK(b.width == 30);
    CHECK(b.height == 10);
    CHECK(b.at(0, 0) == V3f(10, 0, 1));
    const ParamMap haze = values({{"visibility", 500.0}});
    b.run(distanceFogStep(), haze);
    other.run(distanceFogStep(), haze), other.run(cropStep(), values({{"left", 25.0}, {"bottom", 50.0}}));
    CHECK(b.light == other.light);
    Bench small(40, 20, V3f(0.7f));
    small.run(cropStep(), values({{"size", 37.0}}));
    CHECK(small.width == 15);
    for (const V3f& c : small.light) CHECK(c.x == Approx(0.7f));
}

TEST_CASE("what moves is smeared along its way, and says where nothing does", "[finish-steps]") {
    Bench still(30, 20, V3f(0.4f));
    still.passes.setVectors(Pass::Motion, V3f(0.0f));
    still.run(motionBlurStep());
    CHECK(still.notes.size() == 1);
    CHECK(still.at(3, 3).x == 0.4f);
    Bench b(90, 30, V3f(0.0f));
    const auto inBox = [](int x, int y) { return x >= 40 && x < 52 && y >= 10 && y < 20; };
    b.passes.set(Pass::Depth, [&](int x, int y) { return inBox(x, y) ? 2.0f : 9.0f; });
    const auto moving = b.passes.planeOf([&](int x, int y) { return inBox(x, y) ? 20.0f : 0.0f; });
    b.passes.all[Pass::Motion] = {moving, std::vector<float>(moving.size(), 0.0f)};
    for (int y = 0; y < 30; ++y)
        for (int x = 0; x < 90; ++x)
            if (inBox(x, y)) b.at(x, y) = V3f(1.0f);
    b.run(motionBlurStep(), values({{"length", 1.0}, {"most", 50.0}}));
    CHECK(b.at(35, 15).x > 0.1f);  // behind it, along its way
    CHECK(b.at(35, 15).x < 0.9f);
    CHECK(b.at(60, 15).x < 0.02f);  // not before it
    CHECK(b.at(45, 25).x < 0.02f);  // nor beside it
}

TEST_CASE("every step takes any picture, any size, on any number of threads", "[finish-steps]") {
    OneImage image(Color(0.5f, 0.2f, 0.1f), 0.7f);
    for (const StepType& step : finishSteps()) {
        INFO(step.id);
        CHECK(step.takes == GeometryKind::Picture);
        ParamMap params;
        if (step.id == "overlay") params["file"].value = std::string("x.png");
        params["things"].value = Refs{"rock"};
        params["distance"].value = Range{1, 6};
        std::vector<V3f> bits;
        for (const size_t threads : {size_t(1), size_t(4)}) {
            const tbb::global_control limit(tbb::global_control::max_allowed_parallelism, threads);
            Bench b = noisy(61, 43);
            b.images = &image;
            b.run(step, params);
            for (const V3f& c : b.light) REQUIRE(isFinite(c));
            if (bits.empty()) bits = b.light;
            CHECK(b.light == bits);
        }
        for (const auto& [w, h] : {std::pair(1, 1), std::pair(1, 9), std::pair(7, 2)}) {
            Bench b = noisy(w, h);
            b.images = &image;
            for (size_t i = 0; i < b.light.size(); i += 2) b.light[i] = V3f(std::nanf(""), 1e30f, -INFINITY);
            for (auto& [pass, planes] : b.passes.all)
                for (auto& plane : planes) plane[0] = std::nanf("");
            b.run(step, params);
            for (const V3f& c : b.light) CHECK(isFinite(c));
        }
    }
}

TEST_CASE("a step that lacks a pass says which, and leaves the picture", "[finish-steps]") {
    for (const StepType& step : finishSteps()) {
        INFO(step.id);
        Bench b = noisy(12, 8);
        b.passes.all.clear(), b.passes.mattes.clear(), b.passes.groups.clear();
        const std::vector<V3f> before = b.light;
        ParamMap params = values({{"things", Refs{"rock"}}});
        if (!step.params.empty() && step.id == "crop") params.clear();
        try {
            b.run(step, params);
            CHECK(step.id == "crop");
        } catch (const Error& e) {
            CHECK(e.remedy().find("render again") != std::string::npos);
            CHECK(b.light == before);
        }
    }
}

TEST_CASE("a step is cancelled, and leaves the picture", "[finish-steps]") {
    for (const StepType& step : {glowStep(), depthOfFieldStep(), sharpenStep(), motionBlurStep()}) {
        Bench b = noisy(64, 64);
        const std::vector<V3f> before = b.light;
        Progress stop;
        stop.cancel();
        CHECK_THROWS_AS(b.run(step, {}, stop), Cancelled);
        CHECK(b.light == before);
    }
}

TEST_CASE("scopes count every pixel", "[finish-steps][scopes]") {
    const std::vector<uint32_t> screen = {0xFF000000u, 0xFFFF8001u, 0xFFFFFFFFu, 0xFF0000FFu};
    const Histogram counts = histogramOf(screen);
    CHECK(counts[0][0] == 2);
    CHECK(counts[0][255] == 2);
    CHECK(counts[1][128] == 1);
    CHECK(counts[2][255] == 2);
    // Two columns of two rows: black and white are at the ends of theirs.
    const auto wave = waveformOf(screen, 2, 2);
    REQUIRE(wave.size() == 512);
    CHECK(wave[255 * 2 + 0] == 1);
    CHECK(wave[0 * 2 + 0] == 1);
    CHECK(wave[(255 - 255 * 19 / 256) * 2 + 1] == 1);
    CHECK(std::accumulate(wave.begin(), wave.end(), 0u) == 4);
    const auto off =
        differenceOf(screen, std::vector<uint32_t>{0xFF000000u, 0xFFFE8001u, 0xFF7FFFFFu, 0u}, 4);
    CHECK(off == std::vector<uint32_t>{0xFF000000u, 0xFF040000u, 0xFFFF0000u, 0xFF0000FFu});
    CHECK(histogramOf({})[0][0] == 0);
}
