// Many lights: noise and cost of choosing one by the tree, against even choice and against a single light.
#include <benchmark/benchmark.h>

#include <chrono>

#include "base/random.h"
#include "bench_support.h"
#include "geo/mesh/primitives.h"
#include "render/light/light_tree.h"
#include "render/scene/render_scene.h"

using namespace ovrix::render;
using namespace ovrix::geo;
using namespace ovrix::base;
using namespace ovrix::bench;

namespace {

/// Ten thousand small lamps in a hall of boxes that shade each other's floor.
struct Hall {
    RenderScene scene;
    std::vector<Light> lights;
    LightTree tree;
    std::vector<V3f> places;

    Hall() {
        const uint32_t look = scene.addMaterialSlots({scene.addMaterial({})});
        const uint32_t box = scene.addMesh(makeBox(V3f(0.5f, 2.0f, 0.5f)));
        for (uint64_t i = 0; i < 400; ++i) {
            const Random4 r = random4(1, i, Stream::Place);
            M44f at;
            at[3][0] = 100 * r[0], at[3][2] = 100 * r[1];
            scene.addInstance({box, look, 1, 0, 0}, at);
        }
        scene.commit(Progress::none());
        std::vector<LightBounds> bounds;
        for (uint64_t i = 0; i < 10'000; ++i) {
            const Random4 r = random4(2, i, Stream::Place);
            lights.push_back(BallLight{.center = V3f(100 * r[0], 1.0f + 3 * r[1], 100 * r[2]),
                                       .radius = 0.02f,
                                       .radiance = V3f(10 + 200 * r[3] * r[3])});
            bounds.push_back(lights.back().bounds());
        }
        tree = LightTree(bounds, Progress::none());
        for (uint64_t i = 0; i < 64; ++i) {
            const Random4 r = random4(3, i, Stream::Place);
            places.push_back(V3f(5 + 90 * r[0], 0.001f, 5 + 90 * r[1]));
        }
    }
    float from(const Light& light, const V3f& at, float u, float v) const {
        const LightSample s = light.sample(at, u, v);
        if (!(s.pdf > 0) || s.direction.y <= 0) return 0.0f;
        return s.radiance.x * s.direction.y / s.pdf * scene.passing(at, s.direction, s.distance);
    }
    float byTree(const V3f& at, const Random4& r) const {
        const LightTree::Choice c = tree.choose({LightReceiver::Side, at, V3f(0, 1, 0)}, r[0]);
        return c.probability > 0 ? from(lights[c.light], at, r[1], r[2]) / c.probability : 0.0f;
    }
    float evenly(const V3f& at, const Random4& r) const {
        const auto i = std::min(size_t(r[0] * float(lights.size())), lights.size() - 1);
        return from(lights[i], at, r[1], r[2]) * float(lights.size());
    }
    /// Of the nearest lamp alone, which a path with one light would have.
    float single(const V3f& at, const Random4& r) const { return from(lights[0], at, r[1], r[2]); }
};

struct Measured {
    double error = 0, seconds = 0;
};

/// Mean square error against the sum over all lamps, and seconds for each sample.
template <class Estimate>
Measured measure(const Hall& hall, const std::vector<double>& truth, int samples, const Estimate& estimate) {
    Measured m;
    const auto start = std::chrono::steady_clock::now();
    for (size_t p = 0; p < hall.places.size(); ++p)
        for (int k = 0; k < samples; ++k) {
            const double x = double(estimate(hall.places[p], random4(p + 9, uint64_t(k), Stream::User)));
            m.error += (x / truth[p] - 1) * (x / truth[p] - 1);
        }
    const double count = double(hall.places.size()) * samples;
    m.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count() / count;
    m.error /= count;
    return m;
}

/// Error at equal time over that of even choice; and a sample of the tree over one of a single light.
void manyLights(benchmark::State& state) {
    const Hall hall;
    std::vector<double> truth;
    for (const V3f& at : hall.places) {
        double sum = 0;
        for (const Light& light : hall.lights)
            for (uint64_t k = 0; k < 4; ++k) {
                const Random4 r = random4(4, k, Stream::User);
                sum += double(hall.from(light, at, r[0], r[1])) / 4;
            }
        truth.push_back(sum);
    }
    for (auto _ : state) {
        const Measured tree =
            measure(hall, truth, 4000, [&](const V3f& at, const Random4& r) { return hall.byTree(at, r); });
        const Measured even =
            measure(hall, truth, 40000, [&](const V3f& at, const Random4& r) { return hall.evenly(at, r); });
        const Measured one =
            measure(hall, truth, 20000, [&](const V3f& at, const Random4& r) { return hall.single(at, r); });
        state.counters["ratio"] = std::sqrt(tree.error * tree.seconds / (even.error * even.seconds));
        state.counters["limit"] = 0.2;
        state.counters["cost_of_one"] = tree.seconds / one.seconds;
        state.counters["cost_limit"] = 2;
    }
}

}  // namespace

BENCHMARK(manyLights)->Iterations(1)->Unit(benchmark::kMillisecond);
