#include "render/film/noise.h"

#include <tbb/global_control.h>
#include <random>

#include "render/finish/pass_view.h"
#include "render/render_support.h"

using namespace ovrix::tests;

namespace {

/// Light about a mean, with so much noise in each sample.
Film noisy(int side, const std::vector<uint32_t>& passes, float mean, float noise, uint32_t seed) {
    Film film(side, side);
    std::mt19937 random(seed);
    std::normal_distribution<float> even(0.0f, noise);
    for (size_t i = 0; i < film.count(); ++i)
        for (const uint32_t pass : passes) {
            film.addLight(i, pass, V3f(mean + even(random)), 1);
            film.finish(i, pass, 1.0f);
        }
    return film;
}

/// A lamp beside a ball: half of the picture is noise, half is clean.
struct Corner {
    RenderScene scene;
    CameraOptions camera;
    static constexpr int kSide = 48;
    Corner() {
        addTo(scene, makePlane(4, 1), plain(0.6f, 1, 0, 0));
        addTo(scene, makeSphere(0.5f, 32), plain(0.8f, 1, 0, 0), M44f().translate(V3f(-0.6f, 0.5f, 0)));
        scene.lights.push_back(
            BallLight{.center = V3f(-1.5f, 1.2f, 0.8f), .radius = 0.5f, .radiance = V3f(6.0f)});
        scene.commit(Progress::none());
        camera.position = V3f(0, 2, 4);
    }
    RenderOptions options(uint32_t seed) const {
        RenderOptions o;
        o.bounces = 3, o.seed = seed, o.log2Passes = 8;
        return o;
    }
    Film render(const NoiseGoal& goal, uint32_t passes, uint32_t seed, const std::vector<Rect>& regions,
                uint32_t stopAt = UINT32_MAX) const {
        Film film(kSide, kSide);
        const Renderer renderer(scene, Camera(camera, 1.0f), options(seed));
        for (const Rect& r : regions) {
            SampleBlocks blocks(film, goal);
            for (uint32_t pass = 0; pass < passes && blocks.left(r); ++pass) {
                if (pass == stopAt)
                    blocks = SampleBlocks(film, goal, pass);  // as one that goes on with a file
                renderer.renderPass(film, pass, r, Progress::none(), &blocks);
            }
        }
        return film;
    }
};

const std::vector<Rect> kWhole{{0, 0, Corner::kSide, Corner::kSide}};

}  // namespace

TEST_CASE("the square of what the halves tell is the variance of the mean", "[film][noise]") {
    constexpr float kNoise = 0.3f;
    for (const std::vector<uint32_t>& passes :
         {std::vector<uint32_t>{0, 1}, {0, 1, 2, 3, 4, 5, 6, 7}, {0, 2, 4, 5}, {1, 0, 3}}) {
        const Film film = noisy(64, passes, 2.0f, kNoise, 11);
        double sum = 0;
        for (size_t i = 0; i < film.count(); ++i) sum += std::pow(double(errorOf(film, i).y), 2);
        // Of 4,096 squares of normal numbers the mean lies within 5 x sqrt(2 / 4096) of theirs.
        const double expected = double(kNoise * kNoise) / double(passes.size());
        CHECK(sum / 4096 == Approx(expected).epsilon(0.11));
    }
    for (const std::vector<uint32_t>& passes : {std::vector<uint32_t>{}, {0}, {0, 2}, {1}, {3, 5}})
        CHECK(errorOf(noisy(1, passes, 2.0f, kNoise, 1), 0) == V3f(0.0f));
}

TEST_CASE("means over squares are those of what lies in the picture", "[film][noise]") {
    std::mt19937 random(5);
    for (const auto& [width, height, reach] : {std::tuple{1, 1, 3}, std::tuple{7, 1, 2}, std::tuple{9, 6, 0},
                                               std::tuple{13, 11, 4}, std::tuple{3, 5, 40}}) {
        std::vector<float> values(size_t(width * height));
        for (float& v : values) v = float(random() % 1000);
        const auto means = boxMean(values, width, height, reach);
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x) {
                double sum = 0;
                int count = 0;
                for (int j = std::max(0, y - reach); j <= std::min(height - 1, y + reach); ++j)
                    for (int i = std::max(0, x - reach); i <= std::min(width - 1, x + reach); ++i)
                        sum += double(values[size_t(j * width + i)]), ++count;
                REQUIRE(double(means[size_t(y * width + x)]) ==
                        Approx(sum / count).epsilon(1e-5).margin(1e-4));
            }
    }
    CHECK(boxMean({}, 0, 0, 3).empty());
}

TEST_CASE("noise is looked at after powers of two and half way between", "[film][noise]") {
    std::vector<uint32_t> looked;
    for (uint32_t passes = 0; passes <= 100; ++passes)
        if (SampleBlocks::looksAfter(passes, 10)) looked.push_back(passes);
    CHECK(looked == std::vector<uint32_t>{10, 12, 16, 24, 32, 48, 64, 96});
    CHECK_FALSE(SampleBlocks::looksAfter(1, 0));
    CHECK(errorSeen(0.25f, 0.01f) == Approx(0.01 / (2 * std::sqrt(0.2525))));
    CHECK(errorSeen(4.0f, 0.4f) == Approx(0.05f));
}

TEST_CASE("each place goes on until it is as clean as was asked", "[film][noise][render]") {
    const Corner s;
    const NoiseGoal goal{.noise = 0.01f, .least = 8};
    constexpr uint32_t kMost = 128;
    const Film film = s.render(goal, kMost, 1, kWhole);
    const Film truth = s.render({}, 1024, 77, kWhole);
    uint32_t least = kMost, most = 0;
    double total = 0;
    std::map<uint32_t, std::pair<double, int>> errors;  // of those with so many samples
    for (size_t i = 0; i < film.count(); ++i) {
        const uint32_t n = film.samples(i);
        least = std::min(least, n), most = std::max(most, n), total += n;
        const float off = luminance(film.light(i) - truth.light(i));
        const double seen = double(errorSeen(luminance(truth.light(i)), off));
        errors[n].first += seen * seen, ++errors[n].second;
    }
    CHECK(least < 24);
    CHECK(most > 2 * least);
    CHECK(total / double(film.count()) < 0.8 * double(most));
    for (const auto& [samples, sum] : errors) {
        if (samples == kMost) continue;  // as many as there may be
        INFO(samples << " samples, " << sum.second << " pixels");
        // What is asked is of whole blocks, whose noise is told within about a tenth.
        CHECK(std::sqrt(sum.first / sum.second) < 1.2 * double(goal.noise));
    }
    const Film all = s.render({.noise = 0.0f}, 16, 1, kWhole);
    for (size_t i = 0; i < all.count(); ++i) REQUIRE(all.samples(i) == 16);
}

TEST_CASE("which places go on does not depend on threads, regions or stops",
          "[film][noise][render][threads]") {
    const Corner s;
    const NoiseGoal goal{.noise = 0.02f, .least = 4};
    const Film whole = s.render(goal, 64, 1, kWhole);
    CHECK(sameFilms(whole, s.render(goal, 64, 1, {{0, 0, 16, 48}, {16, 0, 32, 32}, {16, 32, 32, 16}})));
    for (const uint32_t stop : {5u, 16u, 17u, 33u})
        CHECK(sameFilms(whole, s.render(goal, 64, 1, kWhole, stop)));
    const tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
    CHECK(sameFilms(whole, s.render(goal, 64, 1, kWhole)));
}

TEST_CASE("stopping where it is clean makes no light and takes none", "[film][noise][render]") {
    const Corner s;
    const NoiseGoal goal{.noise = 0.03f, .least = 4};
    constexpr int kSeeds = 64;
    const Film truth = s.render({}, 1024, 999, kWhole);
    double expected = 0;
    for (size_t i = 0; i < truth.count(); ++i) expected += double(luminance(truth.light(i)));
    double sum = 0, squares = 0;
    for (uint32_t seed = 0; seed < kSeeds; ++seed) {
        const Film film = s.render(goal, 32, seed, kWhole);
        double light = 0;
        for (size_t i = 0; i < film.count(); ++i) light += double(luminance(film.light(i)));
        sum += light, squares += light * light;
    }
    const double mean = sum / kSeeds, deviation = std::sqrt(std::max(0.0, squares / kSeeds - mean * mean));
    // The truth has noise of its own, of 1,024 passes over a picture: less than a thousandth.
    CHECK(std::abs(mean - expected) < 3.0 * deviation / std::sqrt(double(kSeeds)) + 1e-3 * expected);
}

TEST_CASE("passes are shown as what they are", "[film][finish]") {
    Film film(3, 1,
              {.passes = passesChosen(std::vector<std::string>{"uv", "noise"}), .groups = {"", "lamp"}});
    film.see(
        0, 0,
        {.normal = V3f(0, 1, 0), .albedo = V3f(1.0f), .depth = 2.0f, .uv = V2f(0.5f, 1.25f), .object = 1});
    film.see(1, 0, {.normal = V3f(0, 0, 1), .depth = 200.0f, .object = 2});
    for (uint32_t pass = 0; pass < 4; ++pass)
        for (size_t i = 0; i < (pass == 0 ? 3u : 1u); ++i) {
            film.addLight(i, pass, V3f(pass % 2 ? 0.0f : 1.0f), 1);
            film.addGroup(1, i, V3f(0.25f));
            film.finish(i, pass, 1.0f);
        }
    HeatTable heat{};
    for (size_t i = 0; i < heat.size(); ++i) heat[i] = uint32_t(i);
    std::vector<uint32_t> out;
    const auto shown = [&](const std::string& id) {
        for (const FilmViewEntry& e : filmViews(film.layout(), [](size_t g) { return std::to_string(g); }))
            if (e.id == id) {
                toScreen(film, e.view, {}, heat, out);
                return out;
            }
        FAIL("there is no " + id);
        return out;
    };
    CHECK(shown("normal")[1] == 0xFF8080FF);
    CHECK(shown("normal")[2] == 0xFF000000);
    CHECK(shown("albedo")[1] == 0xFF000000);
    CHECK((shown("depth")[0] == 0xFFFFFFFF && shown("depth")[2] == 0xFF000000));
    CHECK((shown("depth")[1] & 255) == 26);  // the furthest is nearly black
    CHECK(shown("uv")[0] == 0xFF804000);
    CHECK(shown("object")[0] != shown("object")[1]);
    CHECK(shown("object")[2] == 0xFF000000);
    CHECK((shown("samples")[0] == 0xFF0000FF && shown("samples")[1] == (0xFF000000 | 64)));
    CHECK((shown("noise")[0] & 255) > 0);
    CHECK(shown("light lamp")[1] != 0xFF000000);
    std::set<std::string> ids;
    for (const FilmViewEntry& e : filmViews(film.layout(), [](size_t) { return std::string("x"); })) {
        CHECK_FALSE(e.title.empty());
        CHECK(ids.insert(e.id).second);
        toScreen(film, e.view, {}, heat, out);
        CHECK(out.size() == 3);
        toScreen(Film(), e.view, {}, heat, out);
        CHECK(out.empty());
    }
}
