// What looks cost: contours, and fields of materials, on the demo's pool.
#include <benchmark/benchmark.h>
#include <tbb/global_control.h>

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

/// Rays as they are traced, one after another.
class Recorder : public RayListener {
  public:
    struct Traced {
        Ray ray;
        float most;
        bool shadow;
        RTCSceneTy* scene;
    };
    std::vector<Traced> all;
    void traced(const Ray& ray, float most, bool shadow, RTCSceneTy* scene) override {
        all.push_back({ray, most, shadow, scene});
    }
};

/// The same rays by the ray tracer's own calls and nothing else.
/// @param scene  whose thin strands let through what they do not cover, as for the paths; null for bare calls
float traceAll(const std::vector<Recorder::Traced>& all, const RenderScene* scene = nullptr) {
    float sum = 0.0f;
    for (const auto& t : all) {
        if (scene && t.shadow) {
            bool clear = false;
            sum += scene->passing(t.ray.origin, t.ray.direction, t.most, t.ray.time, &clear);
            continue;
        }
        RTCRayHit r;
        r.ray = {t.ray.origin.x,
                 t.ray.origin.y,
                 t.ray.origin.z,
                 0.0f,
                 t.ray.direction.x,
                 t.ray.direction.y,
                 t.ray.direction.z,
                 t.ray.time,
                 t.most,
                 ~0u,
                 0,
                 0};
        r.hit.geomID = r.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
        RTCIntersectContext context;
        rtcInitIntersectContext(&context);
        if (t.shadow)
            rtcOccluded1(t.scene, &context, &r.ray);
        else
            rtcIntersect1(t.scene, &context, &r);
        sum += r.ray.tfar > 0.0f ? 1.0f : 0.0f;
    }
    return sum;
}

/// Whole paths of up to eight bounces, against their rays alone, on one thread.
void wholePaths(benchmark::State& state, const char* scene, const char* camera) {
    const tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
    const Document d = loadScene(pool().parent_path() / scene);
    Evaluator evaluator{size_t(2) << 30};
    RenderSceneBuilder builder(evaluator);
    JobOptions options;
    options.width = kWidth, options.height = kHeight, options.camera = camera;
    RenderJob job = builder.build({d, pool().parent_path()}, options, Progress::none());
    job.options.bounces = 8;
    auto& traced = const_cast<RenderScene&>(*job.scene);  // which this builder alone has
    const auto pass = [&](uint32_t number) {
        Film film(kWidth, kHeight);
        const Renderer renderer(*job.scene, job.cameraFor(kWidth, kHeight), job.options, job.lights);
        renderer.renderPass(film, number, {0, 0, kWidth, kHeight}, Progress::none());
    };
    Recorder recorder;
    traced.listener = &recorder;
    pass(0);
    traced.listener = nullptr;
    for (auto _ : state) {
        state.counters["ratio"] = medianRatio(
            5, [&] { pass(0); }, [&] { benchmark::DoNotOptimize(traceAll(recorder.all)); });
        state.counters["through_strands"] = medianRatio(
            5, [&] { pass(0); }, [&] { benchmark::DoNotOptimize(traceAll(recorder.all, &traced)); });
        state.counters["limit"] = 1.8;
        state.counters["rays"] = double(recorder.all.size());
    }
}

}  // namespace

BENCHMARK_CAPTURE(wholePaths, pool, "low_tide.ovrix", "camera")->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(wholePaths, pup, "low_tide.ovrix", "pup_85_mm")
    ->Iterations(1)
    ->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(wholePaths, night, "low_tide_night.ovrix", "camera")
    ->Iterations(1)
    ->Unit(benchmark::kMillisecond);
BENCHMARK(contours)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(fieldsOfMaterials)->Iterations(1)->Unit(benchmark::kMillisecond);
