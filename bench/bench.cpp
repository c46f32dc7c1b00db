// Figures as ratios against a bare loop in the same run, since machines are noisy.
#include <benchmark/benchmark.h>
#include <embree3/rtcore.h>
#include <malloc.h>

#include <chrono>
#include <cstdio>
#include <fstream>

#include "base/parallel.h"
#include "base/random.h"
#include "bench_support.h"
#include "deliver/render_scene_builder.h"
#include "document/edits/edits.h"
#include "document/file/scene_file.h"
#include "geo/mesh/primitives.h"
#include "geo/surface/embree_device.h"
#include "io/denoiser/denoiser.h"
#include "low_tide.h"
#include "ops/place/scatter.h"

using namespace ovrix::deliver;
using namespace ovrix::bench;

namespace {

/// Positions, normals and ids from the bare generator, written by the same threads.
void bareWrite(size_t count, std::vector<V3f>& p, std::vector<V3f>& n, std::vector<uint64_t>& id) {
    p = std::vector<V3f>(count);
    n = std::vector<V3f>(count);
    id = std::vector<uint64_t>(count);
    parallelRanges(count, 16384, Progress::none(), [&](size_t begin, size_t end) {
        for (size_t i = begin; i < end; ++i) {
            const Random4 a = random4(1, i, Stream::Place), b = random4(1, i, Stream::Roll);
            p[i] = V3f(a[0], a[1], a[2]);
            n[i] = V3f(a[3], b[0], b[1]);
            id[i] = i;
        }
    });
}

std::shared_ptr<const PointSet> scatter(size_t count) {
    ScatterOptions o;
    o.count = count;
    o.uv = false;
    return scatterOnSurface(bigSurface(), o, Progress::none());
}

void scatterAgainstGenerator(benchmark::State& state) {
    bigSurface();
    std::vector<V3f> p, n;
    std::vector<uint64_t> id;
    for (auto _ : state) {
        state.counters["ratio"] = medianRatio(
            5, [] { scatter(5'000'000); }, [&] { bareWrite(5'000'000, p, n, id); });
        state.counters["limit"] = 3;
    }
}

void scatterGrowth(benchmark::State& state) {
    bigSurface();
    for (auto _ : state) {
        state.counters["ratio"] = medianRatio(
            5, [] { scatter(5'000'000); }, [] { scatter(500'000); });
        state.counters["limit"] = 11;
    }
}

const std::string& demoPath() {
    static const std::string path =
        ovrix::demo::writeLowTide(std::filesystem::temp_directory_path() / "ovrix-bench").string();
    return path;
}

struct Demo {
    SceneContext scene = SceneContext::ofFile(loadScene(demoPath()), demoPath());
    Evaluator evaluator;
};

/// Rate of the demo's primary rays, made and traced as the renderer does, over a bare loop over the same
/// rays.
void primaryRays(benchmark::State& state) {
    Demo demo;
    RenderSceneBuilder builder(demo.evaluator);
    const RenderJob job = builder.build(demo.scene, {}, Progress::none());
    constexpr int kWidth = 1280, kHeight = 720;
    const Film film(kWidth, kHeight);
    const Renderer renderer(*job.scene, job.cameraFor(kWidth, kHeight), job.options, job.lights);
    std::vector<Ray> rays(kWidth * kHeight);
    std::vector<float> depth(rays.size());
    const auto scene = static_cast<RTCScene>(job.scene->embreeScene());
    const auto tiles = [&](const auto& body) {
        parallelRanges(size_t(kHeight / 16) * (kWidth / 16), 1, Progress::none(), [&](size_t b, size_t e) {
            for (size_t t = b; t < e; ++t)
                for (int y = 0; y < 16; ++y)
                    for (int x = 0; x < 16; ++x)
                        body(int(t % (kWidth / 16)) * 16 + x, int(t / (kWidth / 16)) * 16 + y);
        });
    };
    tiles([&](int x, int y) {
        Sampler s(uint32_t(x), uint32_t(y), 0, 0);
        rays[size_t(y * kWidth + x)] = renderer.primaryRay(film, x, y, s);
    });
    const auto bare = [&] {
        tiles([&](int x, int y) {
            const Ray& ray = rays[size_t(y * kWidth + x)];
            depth[size_t(y * kWidth + x)] = bareDistance(scene, ray);
        });
    };
    const auto ours = [&] {
        tiles([&](int x, int y) {
            Sampler s(uint32_t(x), uint32_t(y), 0, 0);
            const Ray ray = renderer.primaryRay(film, x, y, s);
            depth[size_t(y * kWidth + x)] = job.scene->intersect(ray, true).distance;
        });
    };
    for (auto _ : state) {
        state.counters["rate_share"] = 1.0 / medianRatio(7, ours, bare);
        state.counters["least"] = 0.75;
    }
}

size_t residentBytes() {
    malloc_trim(0);
    std::ifstream in("/proc/self/statm");
    size_t pages = 0, resident = 0;
    in >> pages >> resident;
    return resident * 4096;
}

M44f placeOf(size_t i) {
    const Random4 r = random4(3, i, Stream::Place);
    M44f m;
    m.setScale(V3f(0.5f + r[3]));
    m[3][0] = r[0] * 100, m[3][1] = r[1] * 100, m[3][2] = r[2] * 100;
    return m;
}

void instanceMemory(benchmark::State& state) {
    constexpr size_t kCount = 1'000'000;
    const MeshPtr mesh = makeSphere(0.05f, 24);
    for (auto _ : state) {
        const size_t start = residentBytes();
        size_t bareBytes = 0, ourBytes = 0;
        {
            RTCScene prototype = rtcNewScene(embreeDevice()), top = rtcNewScene(embreeDevice());
            RTCGeometry g = meshGeometry(*mesh);
            rtcAttachGeometry(prototype, g);
            rtcReleaseGeometry(g);
            rtcCommitScene(prototype);
            for (size_t i = 0; i < kCount; ++i) {
                RTCGeometry instance = rtcNewGeometry(embreeDevice(), RTC_GEOMETRY_TYPE_INSTANCE);
                rtcSetGeometryInstancedScene(instance, prototype);
                rtcSetGeometryTransform(instance, 0, RTC_FORMAT_FLOAT4X4_COLUMN_MAJOR, placeOf(i).getValue());
                rtcCommitGeometry(instance);
                rtcAttachGeometryByID(top, instance, uint32_t(i));
                rtcReleaseGeometry(instance);
            }
            rtcCommitScene(top);
            bareBytes = residentBytes() - start;
            rtcReleaseScene(top);
            rtcReleaseScene(prototype);
        }
        const size_t again = residentBytes();
        {
            RenderScene scene;
            const uint32_t look = scene.addMaterialSlots({scene.addMaterial({})}), m = scene.addMesh(mesh);
            std::vector<RenderScene::Instance> instances(kCount);
            for (size_t i = 0; i < kCount; ++i) instances[i] = {m, look, 1, 2, i};
            scene.addInstances(
                instances, 1, [&](size_t i, size_t) { return placeOf(i); }, RenderScene::Colors(),
                Progress::none());
            instances = {};
            scene.commit(Progress::none());
            ourBytes = residentBytes() - again;
        }
        state.counters["ratio"] = double(ourBytes) / double(bareBytes);
        state.counters["limit"] = 1.25;
        state.counters["bytes_each"] = double(ourBytes) / kCount;
    }
}

/// A number changed on a layer of 100,000 copies, until what the view draws is there.
void changeOneNumber(benchmark::State& state) {
    Document d = Document::fresh();
    Node plane = makeNode(d, "terrain", "Ground"), ball = makeNode(d, "sphere", "Ball");
    d.put(plane);
    d.put(ball);
    std::string layer;
    d = withLayer(d, plane.id, ball.id, &layer);
    d = withText(d, layer + "/scatter/count", "100000");
    Evaluator evaluator;
    evaluator.layer(d, layer, {1, Purpose::Viewport, true}, Progress::none());
    int seed = 2;
    std::vector<double> times;
    for (auto _ : state) {
        for (const char* path : {"/scatter/seed", "/orient/seed", "/vary_size/seed", "/copies_of/seed"}) {
            d = withText(d, layer + path, std::to_string(seed++));
            times.push_back(1000 * secondsOf([&] {
                                const LayerResult r =
                                    evaluator.layer(d, layer, {1, Purpose::Viewport, true}, Progress::none());
                                benchmark::DoNotOptimize(
                                    packedCopies(*std::get<std::shared_ptr<const Copies>>(r.geometry), 0));
                            }));
        }
    }
    state.counters["worst_ms"] = *std::max_element(times.begin(), times.end());
    state.counters["limit_ms"] = 100;
}

/// From a request to the first picture on an open demo scene, as the pane does it: 640 x 400.
void firstPicture(benchmark::State& state) {
    Demo demo;
    RenderSceneBuilder builder(demo.evaluator);
    builder.build(demo.scene, {}, Progress::none());
    double elevation = 5;
    std::vector<double> times;
    for (auto _ : state) {
        demo.scene.document = withValue(demo.scene.document, {"sun", "", "elevation"}, elevation += 0.5);
        times.push_back(1000 * secondsOf([&] {
                            const RenderJob job = builder.build(demo.scene, {}, Progress::none());
                            Film film(640, 400);
                            Renderer(*job.scene, job.cameraFor(640, 400), job.options)
                                .renderPreview(film, 8, {0, 0, 640, 400}, Progress::none());
                            std::vector<uint32_t> screen;
                            toScreen(film, job.finish, screen);
                        }));
    }
    std::sort(times.begin(), times.end());
    state.counters["median_ms"] = times[times.size() / 2];
    state.counters["limit_ms"] = 300;
}

/// From an edit to a picture without noise, as the pane does it: a pass of half its 640 x 400 pixels' sides.
void firstClean(benchmark::State& state) {
    if (!hasDenoiser()) return state.SkipWithError("the weights are not here: ./dev denoiser");
    Demo demo;
    RenderSceneBuilder builder(demo.evaluator);
    builder.build(demo.scene, {}, Progress::none());
    const auto network = denoiser();
    double elevation = 5;
    std::vector<double> times;
    for (auto _ : state) {
        demo.scene.document = withValue(demo.scene.document, {"sun", "", "elevation"}, elevation += 0.5);
        times.push_back(secondsOf([&] {
            const RenderJob job = builder.build(demo.scene, {}, Progress::none());
            Film film(320, 200);
            Renderer(*job.scene, job.cameraFor(320, 200), job.options, job.lights)
                .renderPass(film, 0, {0, 0, 320, 200}, Progress::none());
            std::vector<uint32_t> screen;
            toScreen(denoised(film, *network, Progress::none()), job.finish, screen);
        }));
    }
    std::sort(times.begin(), times.end());
    state.counters["median_s"] = times[times.size() / 2];
    state.counters["limit"] = 1.2;
}

/// A picture of 1280 x 720 without its noise.
void denoisePicture(benchmark::State& state) {
    if (!hasDenoiser()) return state.SkipWithError("the weights are not here: ./dev denoiser");
    Film film(1280, 720);
    for (int y = 0; y < film.height(); ++y)
        for (int x = 0; x < film.width(); ++x) {
            const size_t pixel = film.indexOf(x, y);
            film.addLight(pixel, 0, V3f(random1(1, uint64_t(y) << 32 | uint64_t(x), Stream::User)), 1);
            film.see(pixel, 0, {.normal = V3f(0, 0, 1), .albedo = V3f(0.5f)});
            film.finish(pixel, 0, 1.0f);
        }
    const auto network = denoiser();
    for (auto _ : state) {
        state.counters["seconds"] = secondsOf([&] { denoised(film, *network, Progress::none()); });
        state.counters["limit"] = 2.5;
    }
}

/// How long a pass goes on after it is told to stop.
void stopAnswer(benchmark::State& state) {
    Demo demo;
    RenderSceneBuilder builder(demo.evaluator);
    const RenderJob job = builder.build(demo.scene, {}, Progress::none());
    std::vector<double> times;
    for (auto _ : state) {
        Film film(640, 400);
        Progress progress;
        Clock::time_point told;
        std::thread teller([&] {
            std::this_thread::sleep_for(std::chrono::milliseconds(60));
            told = Clock::now();
            progress.cancel();
        });
        try {
            for (uint32_t pass = 0;; ++pass)
                Renderer(*job.scene, job.cameraFor(640, 400), job.options)
                    .renderPass(film, pass, {0, 0, 640, 400}, progress);
        } catch (const Cancelled&) {
        }
        times.push_back(std::chrono::duration<double, std::milli>(Clock::now() - told).count());
        teller.join();
    }
    state.counters["worst_ms"] = *std::max_element(times.begin(), times.end());
    state.counters["limit_ms"] = 100;
}

}  // namespace

BENCHMARK(instanceMemory)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(scatterAgainstGenerator)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(scatterGrowth)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(primaryRays)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(changeOneNumber)->Iterations(5)->Unit(benchmark::kMillisecond);
BENCHMARK(firstClean)->Iterations(9)->Unit(benchmark::kMillisecond);
BENCHMARK(firstPicture)->Iterations(9)->Unit(benchmark::kMillisecond);
BENCHMARK(denoisePicture)->Iterations(3)->Unit(benchmark::kMillisecond);
BENCHMARK(stopAnswer)->Iterations(9)->Unit(benchmark::kMillisecond);

BENCHMARK_MAIN();
