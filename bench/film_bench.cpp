// What a film takes, what showing it costs, and what stopping where it is clean gains, on the demo's pool.
#include <benchmark/benchmark.h>

#include <algorithm>
#include <filesystem>

#include "bench_support.h"
#include "deliver/render_scene_builder.h"
#include "document/file/scene_file.h"
#include "low_tide.h"

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

    Pool(int w, int h) : width(w), height(h) {
        file = ovrix::demo::writeLowTide(std::filesystem::temp_directory_path() / "ovrix-look-bench");
        JobOptions options;
        options.width = width, options.height = height;
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
        state.counters["limit"] = 0.02;
        double bytes = 0;
        film.eachPlane([&](const std::string&, const auto& numbers, size_t) {
            bytes += double(numbers.capacity() * sizeof(numbers[0]));
        });
        state.counters["bytes"] = bytes / (film.layout().bytesOfPixel() * double(film.count()));
        state.counters["bytes_limit"] = 1.1;
    }
}

}  // namespace

BENCHMARK(adaptiveSampling)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(showingAFilm)->Iterations(1)->Unit(benchmark::kMillisecond);
