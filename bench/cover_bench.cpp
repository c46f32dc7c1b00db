// Figures of covering a surface: spacing, overlaps, stacks of fields.
#include <benchmark/benchmark.h>

#include <nanoflann.hpp>

#include "base/parallel.h"
#include "bench_support.h"
#include "eval/evaluator.h"
#include "eval/manual_work.h"
#include "eval/overlay.h"
#include "ops/place/scatter.h"
#include "ops/place/spread.h"
#include "ops/points/keep_apart.h"
#include "plain_noise.h"

namespace ovrix::bench {

namespace {

/// About @p count points: the largest share of a surface that spacing fills is known well enough.
std::shared_ptr<const PointSet> spread(double count) {
    SpreadOptions o;
    o.uv = false;
    o.distance = {0, float(std::sqrt(0.51 * bigSurface().area() / count)), {}};
    return spreadOnSurface(bigSurface(), o, Progress::none());
}

std::shared_ptr<const PointSet> scatter(size_t count) {
    ScatterOptions o;
    o.count = count;
    o.uv = false;
    return scatterOnSurface(bigSurface(), o, Progress::none());
}

void spreadAgainstScatter(benchmark::State& state) {
    const size_t count = spread(1e6)->size();
    for (auto _ : state) {
        state.counters["ratio"] = medianRatio(
            5, [] { spread(1e6); }, [&] { scatter(count); });
        state.counters["points"] = double(count);
        state.counters["limit"] = 6;
    }
}

void spreadGrowth(benchmark::State& state) {
    bigSurface();
    for (auto _ : state) {
        state.counters["ratio"] = medianRatio(
            3, [] { spread(1e6); }, [] { spread(1e5); });
        state.counters["limit"] = 12;
    }
}

struct Cloud {
    const std::vector<V3f>& p;
    size_t kdtree_get_point_count() const { return p.size(); }
    float kdtree_get_pt(size_t i, size_t axis) const { return p[i][int(axis)]; }
    template <class Box>
    bool kdtree_get_bbox(Box&) const {
        return false;
    }
};

/// A bare tree over the points and one radius query for each, on all threads.
size_t bareRadiusQueries(const std::vector<V3f>& p, float radius) {
    const Cloud cloud{p};
    nanoflann::KDTreeSingleIndexAdaptor<nanoflann::L2_Simple_Adaptor<float, Cloud>, Cloud, 3, uint32_t> tree(
        3, cloud, nanoflann::KDTreeSingleIndexAdaptorParams(10));
    tree.buildIndex();
    std::atomic<size_t> found{0};
    parallelRanges(p.size(), 4096, Progress::none(), [&](size_t begin, size_t end) {
        std::vector<std::pair<uint32_t, float>> near;
        size_t mine = 0;
        for (size_t i = begin; i < end; ++i) mine += tree.radiusSearch(&p[i].x, radius * radius, near, {});
        found += mine;
    });
    return found;
}

void overlapsAgainstTree(benchmark::State& state) {
    const auto points = scatter(1'000'000);
    const auto p = points->attributes.find<V3f>("P");
    Footprints f{{p.begin(), p.end()}, std::vector<float>(p.size())};
    const float radius = 0.5f * float(std::sqrt(0.5 * bigSurface().area() / double(p.size())));
    for (size_t i = 0; i < f.radius.size(); ++i)
        f.radius[i] = radius * (0.6f + 0.8f * random1(3, i, Stream::Size));
    const auto ids = points->attributes.find<uint64_t>("id");
    for (auto _ : state) {
        state.counters["ratio"] = medianRatio(
            5, [&] { benchmark::DoNotOptimize(keepApart(f, ids, {}, Progress::none())); },
            [&] { benchmark::DoNotOptimize(bareRadiusQueries(f.center, 2 * radius)); });
        state.counters["limit"] = 3;
    }
}

FieldSource sourceOf(const std::string& type, double octaves = 0) {
    FieldSource s = makeSource(type);
    if (octaves > 0) s.params["octaves"].value = int64_t(octaves);
    return s;
}

double secondsOfField(const std::vector<FieldSource>& sources, const PointSet& points) {
    const auto field = std::make_shared<const CompiledField>(Field{sources}, FieldContext());
    const Varying varying{0, 1, field};
    return secondsOf([&] { benchmark::DoNotOptimize(varying.over(samplesOf(points.attributes))); });
}

void stackAgainstItsSources(benchmark::State& state) {
    const auto points = scatter(1'000'000);
    const std::vector<FieldSource> stack = {sourceOf("slope"), sourceOf("height"), sourceOf("noise"),
                                            sourceOf("facing"), sourceOf("random")};
    for (auto _ : state) {
        std::vector<double> ratios;
        for (int round = 0; round < 5; ++round) {
            double alone = 0;
            for (const FieldSource& s : stack) alone += secondsOfField({s}, *points);
            ratios.push_back(secondsOfField(stack, *points) / alone);
        }
        std::sort(ratios.begin(), ratios.end());
        state.counters["ratio"] = ratios[2];
        state.counters["limit"] = 1.3;
    }
}

/// As shading asks: one place at a time, and a thousand at a time, by the noise of one octave alone, a
/// sample.
void stackAtOnePlace(benchmark::State& state) {
    const auto points = scatter(100'000);
    const Samples all = samplesOf(points->attributes);
    const auto p = all.get(channel::position);
    const CompiledField field(Field{{sourceOf("slope"), sourceOf("height"), sourceOf("noise"),
                                     sourceOf("facing"), sourceOf("random")}},
                              FieldContext());
    std::vector<float> out(p.size());
    const auto inBatches = [&](size_t size) {
        for (size_t i = 0; i + size <= p.size(); i += size) field.evaluate(all.sub(i, size), {&out[i], size});
    };
    const auto bare = [&] {
        for (size_t i = 0; i < p.size(); ++i) out[i] = plainNoise(p[i] * 2.0f, 1);
    };
    for (auto _ : state) {
        state.counters["one"] = medianRatio(
            9, [&] { inBatches(1); }, bare);
        state.counters["thousand"] = medianRatio(
            9, [&] { inBatches(1000); }, bare);
        state.counters["limit"] = 3;
    }
}

void noiseAgainstBareLoop(benchmark::State& state) {
    const auto points = scatter(1'000'000);
    const auto p = points->attributes.find<V3f>("P");
    std::vector<float> out(p.size());
    for (auto _ : state) {
        std::vector<double> ratios;
        for (int round = 0; round < 5; ++round) {
            const double bare = secondsOf([&] {
                parallelRanges(p.size(), 4096, Progress::none(), [&](size_t begin, size_t end) {
                    for (size_t i = begin; i < end; ++i) out[i] = plainNoise(p[i] * 2.0f, 1);
                });
            });
            ratios.push_back(bare / secondsOfField({sourceOf("noise", 1)}, *points));
        }
        std::sort(ratios.begin(), ratios.end());
        state.counters["rate_share"] = ratios[2];
        state.counters["limit"] = 0.5;
    }
}

/// From a touch of the brush to the data that the view draws: elements and heat map.
void brushStroke(benchmark::State& state) {
    Document d = Document::fresh();
    Node ground = makeNode(d, "terrain", "Ground"), ball = makeNode(d, "sphere", "Ball");
    ground.params["divisions"].value = int64_t(500);  // 500,000 triangles
    d.put(ground);
    d.put(ball);
    std::string layer;
    d = withLayer(d, ground.id, ball.id, &layer);
    d = withText(d, layer + "/scatter/count", "200000");
    FieldSource paint = makeSource("paint");
    paint.params["base"].value = 1.0;
    d = withField(d, {layer, "scatter", "mask"}, std::make_shared<Field>(Field{{paint}}));
    Evaluator evaluator;
    const EvalOptions full{1, Purpose::Viewport, true, layer};
    const SurfacePtr surface = evaluator.surface(d, ground.id, full, Progress::none());
    double parts[2] = {0, 0};
    const auto frame = [&](float x) {
        const Dab dab{V3f(x, 0.1f, 0), V3f(0, 1, 0), 1};
        Brush brush;
        brush.mode = Brush::Subtract;
        brush.radius = 0.2f;
        parts[0] += secondsOf([&] {
            d = withDabs(d, {layer, "scatter", "mask", 0, "map"}, surface, brush, {&dab, 1}, 1);
        });
        parts[1] +=
            secondsOf([&] { benchmark::DoNotOptimize(evaluator.layer(d, layer, full, Progress::none())); });
        benchmark::DoNotOptimize(
            makeOverlay(d, {layer, "scatter", "mask"}, evaluator, full, Progress::none()));
    };
    frame(0);
    parts[0] = parts[1] = 0;
    std::vector<double> times;
    for (auto _ : state)
        for (int i = 0; i < 15; ++i)
            times.push_back(1000 * secondsOf([&] { frame(-1.5f + 0.2f * float(i)); }));
    std::sort(times.begin(), times.end());
    state.counters["median_ms"] = times[times.size() / 2];
    state.counters["limit_ms"] = 50;
    state.counters["brush_ms"] = 1000 * parts[0] / double(times.size());
    state.counters["elements_ms"] = 1000 * parts[1] / double(times.size());
}

/// 60 layers with 50,000 copies each: all of them in Draft, then one change of one layer.
void largeScene(benchmark::State& state) {
    Document d = Document::fresh();
    Node ground = makeNode(d, "terrain", "Ground"), ball = makeNode(d, "sphere", "Ball");
    d.put(ground);
    d.put(ball);
    std::vector<std::string> layers(60);
    for (size_t i = 0; i < layers.size(); ++i) {
        d = withLayer(d, ground.id, ball.id, &layers[i]);
        d = withText(d, layers[i] + "/scatter/count", "50000");
        d = withText(d, layers[i] + "/scatter/seed", std::to_string(i + 1));
        d = withField(d, {layers[i], "scatter", "mask"},
                      std::make_shared<Field>(Field{{makeSource("slope")}}));
    }
    for (auto _ : state) {
        Evaluator evaluator;
        const auto all = [&] {
            for (const std::string& l : layers)
                benchmark::DoNotOptimize(
                    evaluator.layer(d, l, {1, Purpose::Viewport, false}, Progress::none()));
        };
        state.counters["open_ms"] = 1000 * secondsOf(all);
        state.counters["open_limit_ms"] = 2000;
        d = withText(d, layers[30] + "/orient/seed", "77");
        state.counters["edit_ms"] = 1000 * secondsOf(all);
        state.counters["edit_limit_ms"] = 150;
    }
}

BENCHMARK(brushStroke)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(largeScene)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(spreadAgainstScatter)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(spreadGrowth)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(overlapsAgainstTree)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(stackAgainstItsSources)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(stackAtOnePlace)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(noiseAgainstBareLoop)->Iterations(1)->Unit(benchmark::kMillisecond);

}  // namespace

}  // namespace ovrix::bench
