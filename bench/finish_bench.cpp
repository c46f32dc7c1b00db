// What finishing a picture takes: eight steps with blur by distance, at the pane's size and whole; and
// balancing the light of a group.
#include <benchmark/benchmark.h>

#include <filesystem>

#include "bench_support.h"
#include "deliver/pictures/finish_picture.h"
#include "document/edits/edits.h"
#include "document/file/scene_file.h"
#include "low_tide.h"

using namespace ovrix::bench;
using namespace ovrix::deliver;

namespace {

/// A pass of the pool, and its scene with steps on it.
struct Finishable {
    Evaluator evaluator{size_t(2) << 30};
    RenderSceneBuilder builder{evaluator};
    SceneContext scene;
    RenderJob job;
    Film film;

    Finishable(int width, int height, const std::vector<const char*>& steps) {
        const auto file =
            ovrix::demo::writeLowTide(std::filesystem::temp_directory_path() / "ovrix-look-bench");
        scene = {loadScene(file), file.parent_path()};
        Document& d = scene.document;
        d = withText(d, "sun/group", "sun");
        for (const char* step : steps) d = withStep(d, "finish", 99, makeStep(step, d.get("finish")));
        if (d.get("finish").step("light_group")) {
            d = withText(d, "finish/light_group/group", "sun");
            d = withText(d, "finish/light_group/stops", "1");
        }
        if (d.get("finish").step("depth_of_field")) d = withText(d, "finish/depth_of_field/fstop", "1.4");
        JobOptions options;
        options.width = width, options.height = height;
        job = builder.build(scene, options, Progress::none());
        film = Film(width, height, job.layout);
        const Renderer renderer(*job.scene, job.cameraFor(width, height), job.options, job.lights);
        renderer.renderPass(film, 0, {0, 0, width, height}, Progress::none());
    }
    double seconds(bool draft) {
        const FilmPasses passes(film, job.objectNames, job.layerNames, job.materialNames);
        const PictureToFinish picture = toFinish(film, nullptr, passes, job, 1);
        double best = 1e9;
        for (int k = 0; k < 3; ++k)
            best = std::min(best, secondsOf([&] {
                                const FinishedPicture done =
                                    finishPicture(scene, picture, evaluator, draft, Progress::none());
                                for (const StepReport& r : done.steps)
                                    if (!r.error.empty()) throw std::runtime_error(r.error);
                                benchmark::DoNotOptimize(done.light.data());
                            }));
        return best;
    }
};

void tell(benchmark::State& state, double seconds, double limit) {
    state.counters["ms"] = 1000 * seconds;
    state.counters["ratio"] = seconds / limit;
    state.counters["limit"] = 1;
}

const std::vector<const char*> kEight{"exposure", "white_balance", "depth_of_field", "glow",
                                      "vignette", "fringe",        "sharpen",        "grain"};

void finishAtPaneSize(benchmark::State& state) {
    Finishable pool(640, 400, kEight);
    for (auto _ : state) tell(state, pool.seconds(true), 0.15);
}

void finishWhole(benchmark::State& state) {
    Finishable pool(1280, 720, kEight);
    for (auto _ : state) tell(state, pool.seconds(false), 4.0);
}

void balanceOfLights(benchmark::State& state) {
    Finishable pool(1280, 720, {"light_group"});
    for (auto _ : state) tell(state, pool.seconds(true), 0.04);
}

}  // namespace

BENCHMARK(finishAtPaneSize)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(finishWhole)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(balanceOfLights)->Iterations(1)->Unit(benchmark::kMillisecond);
