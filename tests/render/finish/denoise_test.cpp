// Pictures without noise: the curve, the pieces, and what stays of a picture.
#include "render/finish/denoise.h"
#include "base/error.h"
#include "base/random.h"
#include "deliver/pictures/render_file.h"
#include "denoiser_support.h"
#include "document/edits/edits.h"
#include "io/denoiser/denoiser.h"
#include "render/render_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// Gives back the light as it came.
struct Through : DenoiserNetwork {
    mutable std::vector<std::pair<int, int>> sizes;
    void run(std::span<const float> in, int width, int height, std::span<float> out,
             Progress&) const override {
        sizes.emplace_back(width, height);
        std::copy_n(in.begin(), out.size(), out.begin());
    }
};

/// @param passes  only even ones tell nothing of the noise
Film filmOf(int width, int height, const auto& light, const std::vector<uint32_t>& passes = {0, 2}) {
    Film film(width, height);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const size_t pixel = film.indexOf(x, y);
            for (const uint32_t pass : passes) {
                film.addLight(pixel, pass, light(x, y) * 0.75f, 1);
                film.addLight(pixel, pass, light(x, y) * 0.25f, 2);
                film.finish(pixel, pass, 1.0f);
            }
        }
    return film;
}

/// Half light, half shade, on a floor with balls.
void addNoisyScene(RenderScene& scene) {
    addTo(scene, makePlane(8, 1), plain(0.6f, 1, 0, 0));
    for (int i = 0; i < 9; ++i) {
        M44f m;
        m.translate(V3f(float(i % 3) - 1.0f, 0.35f, float(i / 3) - 1.0f));
        addTo(scene, makeSphere(0.35f, 24), plain(0.2f + 0.08f * float(i), 0.8f, 0, 0.5f), m);
    }
    scene.lights.push_back(DomeLight(nullptr, V3f(0.6f), 0));
    scene.commit(Progress::none());
}

double squaredError(const std::vector<V3f>& a, const std::vector<V3f>& b) {
    double sum = 0;
    for (size_t i = 0; i < a.size(); ++i) sum += double((a[i] - b[i]).length2());
    return sum / double(a.size());
}

std::vector<V3f> lightOf(const Film& film) {
    std::vector<V3f> light;
    for (int y = 0; y < film.height(); ++y)
        for (int x = 0; x < film.width(); ++x) light.push_back(film.beauty(x, y));
    return light;
}

}  // namespace

TEST_CASE("the denoiser's curve squeezes light and gives it back", "[denoise]") {
    CHECK(squeezed(0.0f) == 0.0f);
    CHECK(squeezed(65504.0f) == 1.0f);
    CHECK(squeezed(-3.0f) == 0.0f);
    CHECK(squeezed(1e30f) == 1.0f);
    float before = 0.0f;
    for (float light = 1e-6f; light < 65000.0f; light *= 1.07f) {
        const float v = squeezed(light);
        REQUIRE(v > before);
        REQUIRE(unsqueezed(v) == Approx(light).epsilon(1e-3));
        before = v;
    }
}

TEST_CASE("pieces of a picture cover it once, with what reaches into them", "[denoise]") {
    constexpr int kReach = DenoiserNetwork::kReach, kStep = DenoiserNetwork::kStep,
                  kMargin = DenoiserNetwork::kMargin;
    std::mt19937_64 random(testSeed());
    for (int round = 0; round < 300; ++round) {
        const int width = 1 + int(random() % 2500), height = 1 + int(random() % 1500);
        const size_t most = 100'000 + random() % 2'000'000;
        std::vector<uint8_t> covered(size_t(width) * size_t(height), 0);
        for (const auto& [core, whole] : denoisePieces(width, height, most)) {
            // What the network sees stands on its steps as the whole picture does.
            REQUIRE((whole.x % kStep == 0 && whole.y % kStep == 0));
            REQUIRE((whole.x == -kMargin || core.x - whole.x >= kReach));
            REQUIRE((whole.y == -kMargin || core.y - whole.y >= kReach));
            const auto reaches = [](int end, int core_, int side) {
                return end == side + kMargin || end - core_ >= kReach;
            };
            REQUIRE(reaches(whole.x + whole.width, core.x + core.width, width));
            REQUIRE(reaches(whole.y + whole.height, core.y + core.height, height));
            if (core.width > 3 * kReach && core.height > 3 * kReach)
                REQUIRE(size_t(whole.width) * size_t(whole.height) <= most);
            for (int y = core.y; y < core.y + core.height; ++y)
                for (int x = core.x; x < core.x + core.width; ++x)
                    ++covered[size_t(y) * size_t(width) + size_t(x)];
        }
        REQUIRE(std::count(covered.begin(), covered.end(), 1) == std::ptrdiff_t(covered.size()));
    }
    CHECK(denoisePieces(0, 10, 1000).empty());
}

TEST_CASE("a network that changes nothing leaves the picture as it is", "[denoise]") {
    const Through network;
    const auto light = [](int x, int y) { return V3f(0.001f * float(x + 1), 0.5f, 100.0f / float(y + 1)); };
    for (const auto& [width, height] : {std::pair{1, 1}, std::pair{37, 21}, std::pair{1500, 1000}}) {
        const Film film = filmOf(width, height, light);
        network.sizes.clear();
        const std::vector<V3f> out = denoised(film, network, Progress::none());
        for (const auto& [w, h] : network.sizes) REQUIRE((w % 16 == 0 && h % 16 == 0));
        CHECK(network.sizes.size() == (width == 1500 ? 2u : 1u));
        for (int y = 0; y < height; y += 7)
            for (int x = 0; x < width; x += 7)
                for (int c = 0; c < 3; ++c)
                    REQUIRE(out[size_t(y * width + x)][c] == Approx(light(x, y)[c]).epsilon(2e-3));
    }
}

TEST_CASE("pixels that hold no number or no sample are black to the denoiser", "[denoise]") {
    const Through network;
    Film film = filmOf(20, 20, [](int, int) { return V3f(0.25f); });
    for (const int x : {3, 5, 6}) film.clear(film.indexOf(x, 4));
    const auto add = [&](int x, float light) {
        film.addLight(film.indexOf(x, 4), 0, V3f(light), 0);
        film.finish(film.indexOf(x, 4), 0, 1.0f);
    };
    add(3, std::numeric_limits<float>::quiet_NaN());
    add(5, std::numeric_limits<float>::infinity());
    const V3f none(std::numeric_limits<float>::quiet_NaN());
    film.see(film.indexOf(7, 4), 2, {.position = none, .normal = none, .albedo = none});
    const auto out = denoised(film, network, Progress::none());
    for (const V3f& c : out) REQUIRE(isFinite(c));
    CHECK(out[4 * 20 + 3] == V3f(0.0f));
    CHECK(out[4 * 20 + 6] == V3f(0.0f));
    CHECK(out[4 * 20 + 7].x == Approx(0.25f).epsilon(1e-3));
    for (const V3f& c : denoised(Film(16, 16), network, Progress::none())) CHECK(c == V3f(0.0f));
    CHECK(denoised(Film(), network, Progress::none()).empty());
}

/// Gives back the mean of all light, as a network does that sees nothing else.
struct Blur : DenoiserNetwork {
    void run(std::span<const float> in, int width, int height, std::span<float> out,
             Progress&) const override {
        const size_t plane = size_t(width) * size_t(height);
        for (size_t c = 0; c < 3; ++c) {
            double sum = 0;
            for (size_t i = 0; i < plane; ++i) sum += double(in[c * plane + i]);
            std::fill_n(out.begin() + ptrdiff_t(c * plane), plane, float(sum / double(plane)));
        }
    }
};

TEST_CASE("a picture without noise stays itself, whatever the network makes of it", "[denoise]") {
    const auto light = [](int x, int y) { return V3f(x < 20 ? 0.2f : 0.6f, 0.1f + 0.01f * float(y), 0.3f); };
    const Film film = filmOf(40, 40, light, {0, 1, 2, 3});
    const auto out = denoised(film, Blur(), Progress::none());
    for (size_t i = 0; i < out.size(); ++i)
        for (int c = 0; c < 3; ++c) REQUIRE(out[i][c] == Approx(film.light(i)[c]).epsilon(1e-5));
}

TEST_CASE("what the network makes of noise alone is taken, and between both what is nearer", "[denoise]") {
    // Noise about one grey: the network's mean is right. About two greys it is wrong by 0.2 there.
    const auto errorOver = [](float step, float noise) {
        Film film(64, 64);
        std::mt19937 random(3);
        std::normal_distribution<float> even(0.0f, noise);
        const auto truth = [&](int x) { return x % 16 < 8 ? 0.5f - step : 0.5f + step; };
        for (int y = 0; y < 64; ++y)
            for (int x = 0; x < 64; ++x)
                for (uint32_t pass = 0; pass < 8; ++pass) {
                    film.addLight(film.indexOf(x, y), pass, V3f(truth(x) + even(random)), 1);
                    film.finish(film.indexOf(x, y), pass, 1.0f);
                }
        const auto out = denoised(film, Blur(), Progress::none());
        std::pair<double, double> error{0, 0};  // of what is given, of the film
        for (int y = 0; y < 64; ++y)
            for (int x = 0; x < 64; ++x) {
                const size_t i = film.indexOf(x, y);
                error.first += std::pow(double(out[i].y - truth(x)), 2) / 4096;
                error.second += std::pow(double(film.light(i).y - truth(x)), 2) / 4096;
            }
        return error;
    };
    const auto [flat, flatNoise] = errorOver(0.0f, 0.2f);
    CHECK(flat < 0.1 * flatNoise);
    const auto [fine, fineNoise] = errorOver(0.2f, 0.05f);  // the network's error is 0.04, the film's 0.0003
    CHECK(fine < 1.02 * fineNoise);
    const auto [both, bothNoise] = errorOver(0.1f, 0.28f);  // 0.01 and 0.0098: half of each leaves half
    CHECK(both < 0.65 * bothNoise);
}

TEST_CASE("pieces join without a seam", "[denoise]") {
    const TemporaryFolder folder;
    writeFile(folder / "n.tza", tensorFile(smallNetwork(5)));
    const auto network = denoiserOf(folder / "n.tza");
    static constexpr int width = 1504, height = 912;  // two pieces
    const Film film = filmOf(width, height, [](int x, int y) {
        return V3f(random1(1, uint64_t(y * 2000 + x), Stream::User), 0.3f, float(x % 50) * 0.02f);
    });
    REQUIRE(denoisePieces(width, height, 1'250'000).size() == 2);
    /// All of it at once, by what is called for the pieces.
    static constexpr int kMargin = DenoiserNetwork::kMargin;
    static constexpr size_t kWide = width + 2 * kMargin, kTall = height + 2 * kMargin;
    const auto placeOf = [](size_t plane, const Rect& r, int x, int y) {
        return (plane * kTall + size_t(r.y + y + kMargin)) * kWide + size_t(r.x + x + kMargin);
    };
    struct Recorder : DenoiserNetwork {
        const DenoiserNetwork& inner;
        mutable std::vector<float> all;
        explicit Recorder(const DenoiserNetwork& n) : inner(n), all(9 * kWide * kTall) {}
        mutable int piece = 0;
        void run(std::span<const float> in, int w, int h, std::span<float> out, Progress& p) const override {
            const auto pieces = denoisePieces(1504, 912, 1'250'000);
            const Rect& r = pieces[size_t(piece++)].whole;
            for (size_t plane = 0; plane < 9; ++plane)
                for (int y = 0; y < r.height; ++y)
                    for (int x = 0; x < r.width; ++x)
                        all[decltype(placeOf)()(plane, r, x, y)] =
                            in[(plane * size_t(h) + size_t(y)) * size_t(w) + size_t(x)];
            inner.run(in, w, h, out, p);
        }
    } const recorder(*network);
    const auto pieces = denoised(film, recorder, Progress::none());
    std::vector<float> whole(3 * kWide * kTall);
    network->run(recorder.all, int(kWide), int(kTall), whole, Progress::none());
    struct Kept : DenoiserNetwork {
        const std::vector<float>& all;
        mutable int piece = 0;
        explicit Kept(const std::vector<float>& a) : all(a) {}
        void run(std::span<const float>, int w, int h, std::span<float> out, Progress&) const override {
            const Rect r = denoisePieces(1504, 912, 1'250'000)[size_t(piece++)].whole;
            for (size_t plane = 0; plane < 3; ++plane)
                for (int y = 0; y < r.height; ++y)
                    for (int x = 0; x < r.width; ++x)
                        out[(plane * size_t(h) + size_t(y)) * size_t(w) + size_t(x)] =
                            all[decltype(placeOf)()(plane, r, x, y)];
        }
    } const kept(whole);
    const auto once = denoised(film, kept, Progress::none());
    double most = 0;
    for (size_t i = 0; i < once.size(); ++i)
        for (int c = 0; c < 3; ++c)
            most = std::max(most, std::abs(double(once[i][c] - pieces[i][c])) / (1e-3 + double(once[i][c])));
    CHECK(most < 1e-4);  // rounding alone: a reach that is too short gives a hundredth and more
}

TEST_CASE("denoising asks the memory limit first", "[denoise]") {
    const Document d = withText(Document::fresh(), "scene/memory", "0.5");
    try {
        denoise(Film(2000, 1500), d.memoryLimit(), Progress::none());
        FAIL("was not asked");
    } catch (const Error& e) {
        CHECK(e.problem().find("denoising a picture of 2000 x 1500 takes") == 0);
        CHECK(e.remedy().find("memory limit") != std::string::npos);
    }
}

TEST_CASE("the published network takes most of the noise out", "[denoise]") {
    if (!hasDenoiser()) {
        WARN("the denoiser's weights are not here: ./dev denoiser fetches them");
        return;
    }
    RenderScene scene;
    addNoisyScene(scene);
    CameraOptions c;
    c.position = V3f(0, 2, 4);
    c.target = V3f(0, 0.2f, 0);
    const Film few = render(scene, c, 96, 4, 3);
    const auto truth = lightOf(render(scene, c, 96, 512, 3));
    const auto clean = denoised(few, *denoiser(), Progress::none());
    CHECK(squaredError(clean, truth) < 0.15 * squaredError(lightOf(few), truth));
    // The borders are no worse than the midst.
    const Film grey =
        filmOf(96, 64, [](int x, int y) { return V3f(random1(2, uint64_t(y * 2000 + x), Stream::User)); });
    const auto even = denoised(grey, *denoiser(), Progress::none());
    double border = 0, midst = 0;
    int borders = 0;
    for (int y = 0; y < 64; ++y)
        for (int x = 0; x < 96; ++x) {
            const double off = std::abs(double(even[size_t(y * 96 + x)].y) - 0.5);
            const bool outer = x == 0 || y == 0 || x == 95 || y == 63;
            (outer ? border : midst) += off, borders += outer;
        }
    CHECK(border / borders < 1.5 * midst / (96 * 64 - borders));
    // Light is neither added nor lost.
    V3f sum(0.0f), wanted(0.0f);
    for (size_t i = 0; i < clean.size(); ++i) sum += clean[i], wanted += truth[i];
    for (int k = 0; k < 3; ++k) CHECK(sum[k] == Approx(wanted[k]).epsilon(0.02));
}

TEST_CASE("albedo and normals are cleaned before the light is cleaned by them", "[denoise]") {
    /// Gives all that it is asked for one value, and remembers what it was given.
    struct Says : DenoiserNetwork {
        float value;
        mutable std::vector<float> given;
        explicit Says(float v) : value(v) {}
        int planes() const override { return 3; }
        void run(std::span<const float> in, int, int, std::span<float> out, Progress&) const override {
            given.assign(in.begin(), in.end());
            std::fill(out.begin(), out.end(), value);
        }
    };
    struct Guides : DenoiserNetwork {
        mutable float albedo = 0, normal = 0;
        void run(std::span<const float> in, int width, int height, std::span<float> out,
                 Progress&) const override {
            const size_t plane = size_t(width) * size_t(height);
            albedo = in[4 * plane + 7], normal = in[8 * plane + 7];
            std::copy_n(in.begin(), out.size(), out.begin());
        }
    };
    Film film(20, 12);
    for (size_t i = 0; i < film.count(); ++i) {
        film.addLight(i, 0, V3f(0.5f), 1);
        film.see(i, 0, {.normal = V3f(0, 1, 0), .albedo = V3f(0.3f), .depth = 1, .object = 1});
        film.finish(i, 0, 1.0f);
    }
    const Says albedo(0.7f), normal(4.0f);
    const Guides light;
    const GuideNetworks guides{albedo, normal};
    const auto clean = denoised(film, light, Progress::none(), kAllLights, &guides);
    CHECK(light.albedo == 0.7f);
    CHECK(light.normal == 1.0f);  // no guide is beyond what there is
    CHECK(albedo.given[0] == Approx(0.3f));
    CHECK(normal.given[0] == Approx(0.5f));
    for (const V3f& c : clean) CHECK(c.x == Approx(0.5f).epsilon(1e-3));
    denoised(film, light, Progress::none());
    CHECK(light.albedo == Approx(0.3f));
}
