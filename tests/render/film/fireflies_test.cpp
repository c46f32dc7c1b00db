#include "render/film/fireflies.h"

#include <tbb/global_control.h>

#include <random>

#include "deliver/pictures/render_file.h"
#include "render/render_support.h"

using namespace ovrix::tests;

namespace {

constexpr int kWide = 48, kTall = 32;

FilmLayout binned() { return {.passes = {}, .groups = {"lamp", "sky"}, .exposure = 0, .bins = true}; }

/// Light of a surface: about @p light, a little else in each pass.
void addPasses(Film& film, uint32_t passes, const std::function<uint32_t(size_t)>& objectAt, float light) {
    for (uint32_t pass = 0; pass < passes; ++pass)
        for (size_t i = 0; i < film.count(); ++i) {
            std::mt19937 random(uint32_t(i) * 7919 + pass);
            const float own = light * (0.5f + float(random() % 1000) / 1000.0f);
            film.addLight(i, pass, V3f(own), 2);
            film.addGroup(i % 2, i, V3f(own));
            film.see(i, pass, {.normal = V3f(0, 1, 0), .depth = 1, .object = objectAt(i), .layer = 0});
            film.finish(i, pass, 1.0f);
        }
}

Film even(uint32_t passes = 16) {
    Film film(kWide, kTall, binned());
    addPasses(
        film, passes, [](size_t) { return 1u; }, 1.0f);
    return film;
}

double allOf(const std::vector<V3f>& light) {
    double sum = 0.0;
    for (const V3f& c : light) sum += double(luminance(c));
    return sum;
}

}  // namespace

TEST_CASE("what all passes agree on is let be", "[fireflies]") {
    Film film = even();
    const size_t lamp = film.indexOf(20, 10);
    for (uint32_t pass = 0; pass < 16; ++pass) film.addLight(lamp, pass, V3f(500.0f), 2);
    CHECK(fireflyFactors(film).empty());
    CHECK(lightsOf(film) == film.lights());
}

TEST_CASE("a dot of one pass goes, and what is about it has its light", "[fireflies]") {
    Film film = even();
    const size_t dot = film.indexOf(20, 10);
    film.addLight(dot, 5, V3f(800.0f), 2);
    film.addGroup(0, dot, V3f(800.0f));
    const std::vector<V3f> before = film.lights(), after = lightsOf(film);
    CHECK(before[dot].x > 50.0f);
    // No more than its own passes and those about it have, and a tenth of that at each of the widths.
    CHECK(after[dot].x < 1.5f);
    CHECK(after[dot].x > 0.5f);
    // Sums of the picture are of floats.
    CHECK(allOf(after) == Approx(allOf(before)).epsilon(1e-5));
    const auto growth = [&](int x, int y) {
        const size_t i = film.indexOf(x, y);
        return after[i].x / before[i].x - 1.0f;
    };
    CHECK(growth(22, 10) > growth(40, 28));  // near by more
    for (size_t i = 0; i < film.count(); ++i)
        if (i != dot) CHECK(after[i].x <= before[i].x * 1.41f);
    // By channel and group all is multiplied by the same.
    const std::vector<V3f> lamp = lightsOf(film, 0), sky = lightsOf(film, 1);
    for (size_t i = 0; i < film.count(); ++i) CHECK(lamp[i].x + sky[i].x == Approx(after[i].x).epsilon(1e-5));
}

TEST_CASE("light stays on the thing that it fell on", "[fireflies]") {
    Film film(kWide, kTall, binned());
    addPasses(
        film, 16, [](size_t i) { return i % kWide < kWide / 2 ? 1u : 2u; }, 1.0f);
    film.addLight(film.indexOf(20, 10), 3, V3f(400.0f), 2);
    const std::vector<V3f> before = film.lights(), after = lightsOf(film);
    for (int y = 0; y < kTall; ++y)
        for (int x = kWide / 2; x < kWide; ++x)
            CHECK(after[film.indexOf(x, y)] == before[film.indexOf(x, y)]);
    CHECK(allOf(after) == Approx(allOf(before)).epsilon(1e-5));
}

TEST_CASE("what the eye meets straight is no firefly", "[fireflies]") {
    Film film = even();
    const size_t spark = film.indexOf(20, 10);
    film.addLight(spark, 5, V3f(900.0f), 0);
    CHECK(lightsOf(film) == film.lights());
    // A firefly there takes nothing of it.
    film.addLight(spark, 6, V3f(800.0f), 2);
    CHECK(lightsOf(film)[spark].x == Approx(900.0f / 16 + 1.0f).margin(0.6));
}

TEST_CASE("evening goes by the samples alone, whoever brings them and when", "[fireflies]") {
    const auto some = [](std::vector<uint32_t> passes) {
        Film film(kWide, kTall, binned());
        for (const uint32_t pass : passes)
            for (size_t i = 0; i < film.count(); ++i) {
                std::mt19937 random(uint32_t(i) * 31 + pass);
                film.addLight(i, pass, V3f(random() % 100 == 0 ? 300.0f : 1.0f), 2);
                film.see(i, pass, {.depth = 1, .object = uint32_t(1 + i % 3)});
                film.finish(i, pass, 1.0f);
            }
        return film;
    };
    const Film whole = some({0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11});
    Film late = some({9, 8, 6, 7, 11, 10});
    late.merge(some({5, 0, 4, 2, 1, 3}));
    REQUIRE_FALSE(fireflyFactors(whole).empty());
    CHECK(fireflyFactors(whole) == fireflyFactors(late));
    const tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
    CHECK(fireflyFactors(whole) == fireflyFactors(late));
}

TEST_CASE("films of nothing, of one pixel and of no bins are as they are", "[fireflies]") {
    CHECK(fireflyFactors(Film()).empty());
    CHECK(fireflyFactors(Film(3, 2, binned())).empty());
    Film one(1, 1, binned());
    one.addLight(0, 0, V3f(1e30f), 2);
    one.addLight(0, 1, V3f(std::numeric_limits<float>::quiet_NaN()), 2);
    one.finish(0, 0, 1.0f), one.finish(0, 1, 1.0f);
    CHECK(lightsOf(one) == one.lights());  // no other place for it
    Film plain(4, 4);
    plain.addLight(5, 0, V3f(100.0f), 2);
    for (size_t i = 0; i < plain.count(); ++i) plain.finish(i, 0, 1.0f);
    CHECK(lightsOf(plain) == plain.lights());
}

TEST_CASE("where all is noise the picture keeps its light", "[fireflies]") {
    // One sample in 200 has all of it.
    Film film(kWide, kTall, binned());
    std::mt19937 random(7);
    for (uint32_t pass = 0; pass < 8; ++pass)
        for (size_t i = 0; i < film.count(); ++i) {
            film.addLight(i, pass, V3f(random() % 200 == 0 ? 100.0f : 0.5f), 2);
            film.see(i, pass, {.depth = 1, .object = 1});
            film.finish(i, pass, 1.0f);
        }
    const std::vector<V3f> before = film.lights(), after = lightsOf(film);
    const auto dots = [](const std::vector<V3f>& light) {
        return std::count_if(light.begin(), light.end(), [](const V3f& c) { return c.x > 6.0f; });
    };
    CHECK(dots(before) > 40);
    CHECK(dots(after) < dots(before) / 3);  // where several fell together they are believed
    CHECK(allOf(after) <= allOf(before) * 1.0001);
    CHECK(allOf(after) >= allOf(before) * 0.7);  // what finds no place is left out until more passes say more
}

TEST_CASE("files have the light of the samples beside what was evened", "[fireflies]") {
    Film film = even();
    const size_t dot = film.indexOf(20, 10);
    for (const Channel& c : toPicture({film}, {}, nullptr).channels) CHECK(c.name != "gathered.R");
    film.addLight(dot, 5, V3f(800.0f), 2);
    const Picture picture = toPicture({film}, {}, nullptr);
    const auto channel = [&](const std::string& name) {
        const auto at = std::find_if(picture.channels.begin(), picture.channels.end(),
                                     [&](const Channel& c) { return c.name == name; });
        REQUIRE(at != picture.channels.end());
        return at->values[dot];
    };
    CHECK(channel("gathered.R") == film.light(dot).x);
    CHECK(channel("R") == lightsOf(film)[dot].x);
    // Parts of the light add up to it as before.
    CHECK(channel("direct.R") + channel("indirect.R") == Approx(channel("R")).epsilon(1e-5));
}
