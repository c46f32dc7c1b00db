// What looks cost: contours, and fields of materials, on the demo's pool.
#include <benchmark/benchmark.h>

#include <filesystem>

#include "bench_support.h"
#include "deliver/render_scene_builder.h"
#include "document/edits/edits.h"
#include "low_tide.h"

using namespace ovrix::bench;
using namespace ovrix::deliver;

namespace {

constexpr int kWidth = 320, kHeight = 180;

/// The demo's pool in a folder of its own, made once.
const std::filesystem::path& pool() {
    static const std::filesystem::path path = [] {
        const auto folder = std::filesystem::temp_directory_path() / "ovrix-look-bench";
        return ovrix::demo::writeLowTide(folder);
    }();
    return path;
}

/// A picture of it, ready to be made.
struct Picture {
    Evaluator evaluator{size_t(2) << 30};
    RenderSceneBuilder builder{evaluator};
    RenderJob job;
    explicit Picture(const Document& document) {
        JobOptions options;
        options.width = kWidth, options.height = kHeight;
        job = builder.build({document, pool().parent_path()}, options, Progress::none());
    }
    double seconds() const {
        Film film(kWidth, kHeight);
        const Renderer renderer(*job.scene, job.cameraFor(kWidth, kHeight), job.options, job.lights);
        return secondsOf([&] {
            for (uint32_t pass = 0; pass < 4; ++pass)
                renderer.renderPass(film, pass, {0, 0, kWidth, kHeight}, Progress::none());
        });
    }
};

/// The median of five, in turn.
double ratioOf(const Picture& ours, const Picture& bare) {
    return medianRatio(
        5, [&] { ours.seconds(); }, [&] { bare.seconds(); });
}

Document withAll(Document d, const std::function<void(Node&)>& change) {
    for (const NodePtr& node : d.nodes(Category::Material)) {
        Node n = *node;
        change(n);
        d.put(std::move(n));
    }
    return d;
}

/// Every material draws lines, against none.
void contours(benchmark::State& state) {
    const Document plain = loadScene(pool());
    const Document lined = withAll(plain, [](Node& n) { n.params["contours"].value = true; });
    for (auto _ : state) {
        state.counters["ratio"] = ratioOf(Picture(lined), Picture(plain));
        state.counters["limit"] = 1.5;
    }
}

/// The part of a frame that fields of materials take: against the same without one.
void fieldsOfMaterials(benchmark::State& state) {
    const Document driven = loadScene(pool());
    const Document even = withAll(driven, [](Node& n) {
        for (auto& [id, p] : n.params) p.field = nullptr;
    });
    for (auto _ : state) {
        state.counters["part"] = 1.0 - 1.0 / ratioOf(Picture(driven), Picture(even));
        state.counters["limit"] = 0.25;
    }
}

}  // namespace

BENCHMARK(contours)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(fieldsOfMaterials)->Iterations(1)->Unit(benchmark::kMillisecond);
