// Figures of strands: filling and styling, combing, tracing rays into them, the fibre material.
#include <benchmark/benchmark.h>
#include <embree3/rtcore.h>

#include "base/parallel.h"
#include "bench_support.h"
#include "geo/surface/embree_device.h"
#include "ops/groom/comb_brush.h"
#include "ops/groom/fill.h"
#include "ops/groom/grow.h"
#include "ops/place/scatter.h"
#include "ops/style/clump.h"
#include "ops/style/curl.h"
#include "ops/style/frizz.h"
#include "plain_noise.h"
#include "render/shade/bsdf.h"
#include "render/shade/fibre.h"
#include "render/trace/renderer.h"

namespace ovrix::bench {

namespace {

const Surface& body() {
    static const Surface surface(makeSphere(0.5f, 192));
    return surface;
}

StrandsPtr guides(size_t count, int segments) {
    ScatterOptions s;
    s.count = count;
    GrowOptions g;
    g.length = {0.05f, 0.06f, {}};
    g.segments = segments;
    g.lean = {0, 0.6f, {}};
    g.scatter = 0.4f;
    return grow(*scatterOnSurface(body(), s, Progress::none()), &body(), g, Progress::none());
}

/// Filled, clumped, curled and frizzed: what a coat takes.
StrandsPtr coat(const StrandSet& from, size_t count) {
    FillOptions f;
    f.count = count;
    const auto filled = fill(from, body(), body(), f, Progress::none());
    ClumpOptions c;
    c.count = 2000;
    c.effect.along = Curve{{{0, 0}, {1, 0.9f}}, true};
    const auto clumped = clump(*filled, c, Progress::none());
    CurlOptions u;
    u.effect.along = Curve{{{0, 0}, {1, 1}}, true};
    u.radius = {0, 0.002f, {}};
    const auto curled = curl(*clumped, u, Progress::none());
    FrizzOptions z;
    z.effect.along = Curve{{{0, 0}, {1, 1}}, true};
    z.amplitude = {0, 0.001f, {}};
    return frizz(*curled, z, Progress::none());
}

/// One noise for every point, and arrays of the same sizes written.
void bare(const StrandSet& like) {
    const auto p = like.points.find<V3f>("P");
    std::vector<V3f> out(p.size());
    std::vector<float> width(p.size());
    std::vector<uint32_t> start(like.start.size());
    parallelRanges(p.size(), 4096, Progress::none(), [&](size_t begin, size_t end) {
        for (size_t i = begin; i < end; ++i) {
            const float n = plainNoise(p[i] * 40.0f, 1);
            out[i] = V3f(p[i].x + n, p[i].y, p[i].z);
            width[i] = n;
        }
    });
    for (size_t s = 0; s < start.size(); ++s) start[s] = like.start[s];
    AttributeSet columns;
    for (const auto& [name, column] : like.strands.columns()) columns.set(name, Column(*column));
    benchmark::DoNotOptimize(out.data());
    benchmark::DoNotOptimize(columns);
}

void fillAndStyle(benchmark::State& state) {
    const auto from = guides(5000, 11);
    const auto made = coat(*from, 250'000);
    for (auto _ : state) {
        state.counters["ratio"] = medianRatio(
            7, [&] { coat(*from, 250'000); }, [&] { bare(*made); });
        state.counters["limit"] = 2.5;
    }
}

void fillGrowth(benchmark::State& state) {
    const auto from = guides(5000, 11);
    for (auto _ : state) {
        state.counters["ratio"] = medianRatio(
            5, [&] { coat(*from, 500'000); }, [&] { coat(*from, 50'000); });
        state.counters["limit"] = 12;
    }
}

void combStroke(benchmark::State& state) {
    const auto from = guides(10'000, 15);
    const auto skin = std::make_shared<const Surface>(makeSphere(0.5f, 192));
    CombStroke stroke(from, {}, skin, M44f(), {});
    CombBrush brush;
    brush.radius = 0.12f;
    std::vector<double> times;
    for (auto _ : state) {
        for (int i = 0; i < 60; ++i) {
            const float a = -0.9f + 0.03f * float(i);
            const CombDab dab{V3f(0, 0, 3), V3f(0.5f * std::sin(a), 0, 0.5f * std::cos(a)),
                              V3f(0.015f * std::cos(a), 0.002f, 0), 1.0f};
            times.push_back(secondsOf([&] {
                stroke.apply(brush, dab);
                benchmark::DoNotOptimize(stroke.edits());
            }));
        }
        std::sort(times.begin(), times.end());
        state.counters["median_ms"] = 1000 * times[times.size() / 2];
        state.counters["worst_ms"] = 1000 * times.back();
        state.counters["limit_ms"] = 16;
    }
}

struct Scene {
    RenderScene scene;
    explicit Scene(const StrandsPtr& strands) {
        SurfaceMaterial m;
        const uint32_t look = scene.addMaterialSlots({scene.addMaterial(m)});
        scene.addInstance({scene.addStrands(strands, {}), look, 0, 1, RenderScene::kOwnElement}, M44f());
        scene.commit(Progress::none());
    }
};

/// The same curves by the ray tracer's own calls and nothing else.
RTCScene bareCurves(const StrandSet& set) {
    RTCScene scene = rtcNewScene(embreeDevice());
    RTCGeometry g = rtcNewGeometry(embreeDevice(), RTC_GEOMETRY_TYPE_FLAT_LINEAR_CURVE);
    const auto p = set.points.find<V3f>("P");
    const auto w = set.points.find<float>("width");
    auto* v = static_cast<V4f*>(
        rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT4, 16, p.size()));
    for (size_t i = 0; i < p.size(); ++i) v[i] = V4f(p[i].x, p[i].y, p[i].z, 0.5f * w[i]);
    auto* index = static_cast<uint32_t*>(
        rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT, 4, p.size() - set.size()));
    for (size_t s = 0; s < set.size(); ++s)
        for (uint32_t i = set.start[s]; i + 1 < set.start[s + 1]; ++i) *index++ = i;
    rtcCommitGeometry(g);
    rtcAttachGeometryByID(scene, g, 0);
    rtcReleaseGeometry(g);
    rtcCommitScene(scene);
    return scene;
}

void strandRays(benchmark::State& state) {
    const auto strands = coat(*guides(5000, 11), 250'000);
    const Scene ours(strands);
    RTCScene bareScene = bareCurves(*strands);
    CameraOptions c;
    c.position = V3f(0, 0.3f, 1.6f);
    constexpr int kWidth = 640, kHeight = 480;
    const Film film(kWidth, kHeight);
    const Renderer renderer(ours.scene, Camera(c, float(kWidth) / kHeight), {});
    std::vector<float> depth(kWidth * kHeight);
    const auto over = [&](const auto& at) {
        parallelRanges(kHeight, 8, Progress::none(), [&](size_t b, size_t e) {
            for (size_t y = b; y < e; ++y)
                for (int x = 0; x < kWidth; ++x) {
                    Sampler s(uint32_t(x), uint32_t(y), 0, 0);
                    depth[y * kWidth + size_t(x)] = at(renderer.primaryRay(film, x, int(y), s));
                }
        });
    };
    const auto own = [&] { over([&](const Ray& ray) { return ours.scene.intersect(ray, true).distance; }); };
    const auto plain = [&] { over([&](const Ray& ray) { return bareDistance(bareScene, ray); }); };
    for (auto _ : state) {
        state.counters["rate_share"] = 1.0 / medianRatio(9, own, plain);
        state.counters["least"] = 0.75;
    }
    rtcReleaseScene(bareScene);
}

void strandBuild(benchmark::State& state) {
    const auto strands = coat(*guides(5000, 11), 250'000);
    for (auto _ : state) {
        state.counters["ratio"] = medianRatio(
            7, [&] { Scene scene(strands); }, [&] { rtcReleaseScene(bareCurves(*strands)); });
        state.counters["limit"] = 1.2;
    }
}

/// Bytes that the ray tracer holds, by its own count from the first call on.
int64_t embreeBytes() {
    static std::atomic<int64_t> held{0};
    static const bool watched = [] {
        rtcSetDeviceMemoryMonitorFunction(
            embreeDevice(),
            [](void*, ssize_t bytes, bool) {
                held += bytes;
                return true;
            },
            nullptr);
        return true;
    }();
    (void)watched;
    return held;
}

void strandMemory(benchmark::State& state) {
    const auto strands = coat(*guides(5000, 11), 250'000);
    for (auto _ : state) {
        const double before = double(embreeBytes());
        RTCScene scene = bareCurves(*strands);
        const double theirs = double(embreeBytes()) - before;
        rtcReleaseScene(scene);
        const double again = double(embreeBytes());
        const Scene ours(strands);
        // Beside the ray tracer's the strands themselves are kept: they are the layer's, counted all the
        // same.
        const double own = double(embreeBytes()) - again;
        const auto kept = double(bytesOf(Geometry(strands)));
        state.counters["ratio"] = own / theirs;
        state.counters["ratio_with_layer"] = (own + kept) / theirs;
        state.counters["bytes_a_strand"] = own / double(strands->size());
        state.counters["limit"] = 1.3;
    }
}

template <class Scatter>
double millionsASecond(const Scatter& scatter) {
    constexpr int kCount = 400'000;
    const double seconds = secondsOf([&] {
        V3f sum(0.0f);
        for (int i = 0; i < kCount; ++i) {
            const Random4 r = random4(1, uint64_t(i), Stream::User);
            sum += scatter(r);
        }
        benchmark::DoNotOptimize(sum);
    });
    return kCount / seconds / 1e6;
}

/// Millions of pairs, one evaluation and one sample, a second.
double surfacePairs(const SurfaceLayers& layers) {
    return millionsASecond([&](const Random4& r) {
        const Bsdf bsdf(layers);
        const float x = 2 * r[0] - 1, c = std::sqrt(1 - x * x), a = 6.2831853f * r[1];
        V3f wo(x, c * std::cos(a), std::abs(c * std::sin(a)) + 1e-3f);
        wo.normalize();
        const Bsdf::From from = bsdf.from(wo);
        const auto s = bsdf.sample(from, r[3], r[1], r[0]);
        return s.weight + bsdf.evaluate(from, V3f(-wo.x, wo.y, wo.z)).f;
    });
}

/// What a shine costs, and all layers at once, against a body alone.
void layeredAgainstMatt(benchmark::State& state) {
    const SurfaceLayers matt{.base = Color(0.5f)};
    SurfaceLayers shiny = matt, all = matt;
    shiny.specularWeight = 1;
    all = {.base = Color(0.5f),
           .diffuseRoughness = 0.5f,
           .metalness = 0.3f,
           .specularWeight = 1,
           .anisotropy = 0.4f,
           .coatWeight = 0.8f,
           .coatRoughness = 0.2f,
           .fuzzWeight = 0.5f};
    for (auto _ : state) {
        std::vector<double> one, many;
        for (int i = 0; i < 5; ++i) {
            const double base = surfacePairs(matt);
            one.push_back(base / surfacePairs(shiny));
            many.push_back(base / surfacePairs(all));
        }
        std::sort(one.begin(), one.end()), std::sort(many.begin(), many.end());
        state.counters["shine"] = one[2];
        state.counters["all_layers"] = many[2];
        state.counters["limit"] = 4;
    }
}

void fibreRate(benchmark::State& state) {
    const FibreShape shape(1.55f, 0.04f);
    Fibre::Options o;
    o.absorption = V3f(0.2f, 0.5f, 1.1f);
    for (auto _ : state) {
        const auto direction = [](const Random4& r) {
            const float x = 2 * r[0] - 1, c = std::sqrt(1 - x * x), a = 6.2831853f * r[1];
            return V3f(x, c * std::cos(a), c * std::sin(a));
        };
        state.counters["million_pairs_a_second"] = millionsASecond([&](const Random4& r) {
            const Fibre fibre(shape, o, 2 * r[2] - 1);
            const V3f wo = direction(r);
            const auto s = fibre.sample(wo, r[3], r[1], r[0]);
            return s.weight + fibre.evaluate(wo, V3f(wo.z, wo.x, wo.y)).f;
        });
        state.counters["matt_million_pairs"] = surfacePairs(SurfaceLayers{.base = Color(0.5f)});
        // A pair is one evaluation and one sample.
        state.counters["million_operations_a_second"] = 2 * state.counters["million_pairs_a_second"];
        state.counters["least"] = 2;
    }
}

}  // namespace

BENCHMARK(fillAndStyle)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(layeredAgainstMatt)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(fillGrowth)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(combStroke)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(strandRays)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(strandBuild)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(strandMemory)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(fibreRate)->Iterations(1)->Unit(benchmark::kMillisecond);

}  // namespace ovrix::bench
