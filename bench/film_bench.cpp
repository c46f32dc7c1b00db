// What a film takes, what showing it costs, and what stopping where it is clean gains, on the demo's pool.
#include <benchmark/benchmark.h>

#include <algorithm>
#include <filesystem>

#include "bench_support.h"
#include "deliver/pictures/render_file.h"
#include "deliver/render_scene_builder.h"
#include "document/file/scene_file.h"
#include "low_tide.h"
#include "render/film/fireflies.h"
#include "render/finish/denoise.h"
#include "render/finish/steady.h"

using namespace ovrix::bench;
using namespace ovrix::deliver;

namespace {

/// A picture of the pool, ready to be made.
struct Pool {
    int width, height;
    std::filesystem::path file;
    Evaluator evaluator{size_t(2) << 30};
    RenderSceneBuilder builder{evaluator};
    RenderJob job;

    Pool(int w, int h, const char* camera = "") : width(w), height(h) {
        file = ovrix::demo::writeLowTide(std::filesystem::temp_directory_path() / "ovrix-look-bench");
        JobOptions options;
        options.width = width, options.height = height, options.camera = camera;
        job = builder.build({loadScene(file), file.parent_path()}, options, Progress::none());
    }
    Film rendered(const NoiseGoal& goal, uint32_t passes, uint32_t seed) const {
        RenderOptions options = job.options;
        options.seed = seed, options.log2Passes = 10;
        const Renderer renderer(*job.scene, job.cameraFor(width, height), options, job.lights);
        Film film(width, height, job.layout);
        const Rect whole{0, 0, width, height};
        SampleBlocks blocks(film, goal);
        for (uint32_t pass = 0; pass < passes && blocks.left(whole); ++pass)
            renderer.renderPass(film, pass, whole, Progress::none(), &blocks);
        return film;
    }
    /// Of blocks of pixels the mean square of what is seen of the difference: in the order of the picture.
    std::vector<double> errorsOf(const Film& film, const Film& truth) const {
        constexpr int kSide = 16;
        const float gain = std::exp2(job.finish.exposure);
        const int columns = (width + kSide - 1) / kSide, rows = (height + kSide - 1) / kSide;
        std::vector<double> sums(size_t(columns * rows)), counts(sums.size());
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x) {
                const size_t i = film.indexOf(x, y), block = size_t(y / kSide * columns + x / kSide);
                const float light = luminance(truth.light(i)) * gain;
                const double off = double(errorSeen(light, luminance(film.light(i)) * gain - light));
                sums[block] += off * off, counts[block] += 1;
            }
        for (size_t i = 0; i < sums.size(); ++i) sums[i] /= counts[i];
        return sums;
    }
};

/// What all but the noisiest twentieth of the blocks keep below.
double nearlyMost(std::vector<double> errors) {
    const size_t at = errors.size() * 19 / 20;
    std::nth_element(errors.begin(), errors.begin() + std::ptrdiff_t(at), errors.end());
    return errors[at];
}

/// Time until nearly all of the picture is so clean, where what is clean rests, over that where all of it
/// gets the same: squared errors go by one over the time. Against a picture of other samples, whose own error
/// is taken off.
void adaptiveSampling(benchmark::State& state) {
    const Pool pool(320, 180);
    constexpr uint32_t kTruth = 320, kEven = 48;
    const Film truth = pool.rendered({}, kTruth, 71);
    for (auto _ : state) {
        Film even, adaptive;
        const double evenSeconds = secondsOf([&] { even = pool.rendered({}, kEven, 1); });
        const double own = nearlyMost(pool.errorsOf(even, truth)) / (1.0 + double(kEven) / kTruth);
        const NoiseGoal goal{
            .noise = float(std::sqrt(own)), .least = 16, .exposure = std::exp2(pool.job.finish.exposure)};
        const double seconds = secondsOf([&] { adaptive = pool.rendered(goal, kTruth, 1); });
        const double error = nearlyMost(pool.errorsOf(adaptive, truth)) - own * kEven / kTruth;
        state.counters["ratio"] = error * seconds / (own * evenSeconds);
        state.counters["limit"] = 0.6;
        state.counters["even_error"] = std::sqrt(own), state.counters["error"] = std::sqrt(error);
        state.counters["time"] = seconds / evenSeconds;
    }
}

/// Showing a film of the pane's size, and keeping a copy, against a pass over it.
void showingAFilm(benchmark::State& state) {
    const Pool pool(640, 400);
    const Film film = pool.rendered({}, 1, 1);
    for (auto _ : state) {
        std::vector<uint32_t> screen;
        const double pass = secondsOf([&] { pool.rendered({}, 1, 2); });
        state.counters["show"] = secondsOf([&] { toScreen(film, pool.job.finish, screen); }) / pass;
        state.counters["keep"] = secondsOf([&] {
                                     const Film copy = film;
                                     benchmark::DoNotOptimize(copy.count());
                                 }) /
                                 pass;
        state.counters["even"] = secondsOf([&] { benchmark::DoNotOptimize(fireflyFactors(film)); }) / pass;
        state.counters["limit"] = 0.02;
        double bytes = 0;
        film.eachPlane([&](const std::string&, const auto& numbers, size_t) {
            bytes += double(numbers.capacity() * sizeof(numbers[0]));
        });
        state.counters["bytes"] = bytes / (film.layout().bytesOfPixel() * double(film.count()));
        state.counters["bytes_limit"] = 1.1;
    }
}

/// How much one picture differs from the next as they are seen, on average.
double change(const std::vector<V3f>& one, const std::vector<V3f>& other, float gain) {
    double sum = 0;
    for (size_t i = 0; i < one.size(); ++i) {
        const float a = luminance(one[i]) * gain, b = luminance(other[i]) * gain;
        sum += double(std::abs(errorSeen((a + b) / 2, a - b)));
    }
    return sum / double(one.size());
}

/// Of what stands still before a camera that does, by other seeds: denoised against as it is.
void flicker(benchmark::State& state) {
    const Pool pool(320, 180);
    const float gain = std::exp2(pool.job.finish.exposure);
    for (auto _ : state) {
        std::vector<std::vector<V3f>> noisy, steady;
        std::vector<SteadyFrame> clean;
        for (const uint32_t seed : {1u, 2u, 3u, 4u, 5u, 6u}) {
            const Film film = pool.rendered({}, 4, seed);
            noisy.push_back(film.lights());
            clean.push_back(steadyFrameOf(film, denoise(film, size_t(2) << 30, Progress::none()), 1.0f));
            const size_t n = clean.size();
            if (n <= size_t(kSteadyFrames)) continue;
            const SteadyFrame* before[] = {&clean[n - 2], &clean[n - 3], &clean[n - 4]};
            steady.push_back(steadied(clean[n - 1], before, true));
        }
        double was = 0, alone = 0, is = 0;
        for (size_t k = 1; k < clean.size(); ++k) {
            was += change(noisy[k - 1], noisy[k], gain) / 5;
            alone += change(clean[k - 1].light, clean[k].light, gain) / 5;
        }
        for (size_t k = 1; k < steady.size(); ++k) is += change(steady[k - 1], steady[k], gain) / 2;
        state.counters["ratio"] = is / was;
        state.counters["limit"] = 0.2;
        state.counters["noisy"] = was, state.counters["denoised"] = alone, state.counters["steady"] = is;
    }
}

/// The mean squared error of a picture over the square of what it should be, as the trade measures.
double relativeError(const std::vector<V3f>& light, const Film& truth) {
    double sum = 0;
    for (size_t i = 0; i < light.size(); ++i) {
        const V3f t = truth.light(i);
        for (int k = 0; k < 3; ++k)
            sum += std::pow(double(light[i][k] - t[k]), 2.0) / (std::pow(double(t[k]), 2.0) + 0.01);
    }
    return sum / double(3 * light.size());
}

/// Eight passes without their noise against 128 with it, with guides as they are and cleaned first.
void cleanViews(benchmark::State& state, const char* camera) {
    const Pool pool(240, 135, camera);
    const Film truth = pool.rendered({}, 192, 71), many = pool.rendered({}, 128, 3);
    const Film film = pool.rendered({}, 8, 5);
    for (auto _ : state) {
        const double as = relativeError(denoise(film, size_t(2) << 30, Progress::none()), truth);
        const double well = relativeError(denoiseWell(film, size_t(2) << 30, Progress::none()), truth);
        state.counters["of_128"] = relativeError(many.lights(), truth);
        state.counters["noisy"] = relativeError(film.lights(), truth);
        state.counters["even"] = relativeError(lightsOf(film), truth);
        state.counters["denoised"] = as, state.counters["guides_cleaned"] = well;
    }
}

/// Seconds and memory of a large picture.
void denoising(benchmark::State& state) {
    const Pool pool(1280, 720);
    const Film film = pool.rendered({}, 1, 1);
    for (auto _ : state)
        state.counters["seconds"] = secondsOf([&] { denoise(film, size_t(2) << 30, Progress::none()); });
    state.counters["limit"] = 2.5;
    state.counters["bytes"] = denoiserBytes(1280, 720), state.counters["bytes_limit"] = 700e6;
}

}  // namespace

BENCHMARK(flicker)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(cleanViews, pool, "")->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(cleanViews, pup, "pup_85_mm")->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(denoising)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(adaptiveSampling)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(showingAFilm)->Iterations(1)->Unit(benchmark::kMillisecond);
