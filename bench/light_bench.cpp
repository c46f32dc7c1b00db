// Many lights: noise and cost of choosing one by the tree, against even choice and against a single light.
#include <benchmark/benchmark.h>

#include <chrono>

#include "base/random.h"
#include "bench_support.h"
#include "geo/mesh/primitives.h"
#include "render/light/light_tree.h"
#include "render/trace/renderer.h"

using namespace ovrix::render;
using namespace ovrix::geo;
using namespace ovrix::base;
using namespace ovrix::bench;

namespace {

/// Ten thousand small lamps in a hall of balls that shade its floor.
struct Hall {
    RenderScene scene;
    std::vector<Light> lights;
    LightTree tree;
    std::vector<V3f> places;

    Hall() {
        const uint32_t look = scene.addMaterialSlots({scene.addMaterial({})});
        const uint32_t ball = scene.addMesh(makeSphere(0.6f, 24));
        for (uint64_t i = 0; i < 400; ++i) {
            const Random4 r = random4(1, i, Stream::Place);
            M44f at;
            at[3][0] = 100 * r[0], at[3][2] = 100 * r[1];
            scene.addInstance({ball, look, 1, 0, 0}, at);
        }
        scene.addInstance({scene.addMesh(makePlane(200, 1)), look, 1, 0, 0}, M44f());
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
        for (uint64_t i = 0; places.size() < 64; ++i) {
            const Random4 r = random4(3, i, Stream::Place);
            const V3f at(5 + 90 * r[0], 0.001f, 5 + 90 * r[1]);
            // Not within a ball.
            if (scene.passing(at, V3f(0, 1, 0), 50.0f) > 0.0f) places.push_back(at);
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

/// Makes a picture of the hall under those lamps, by paths of four bounces.
struct Pictured {
    Hall& hall;
    std::vector<Light> lights;
    std::shared_ptr<const SceneLights> aims;
    static constexpr int kWidth = 256, kHeight = 144;

    Pictured(Hall& h, std::vector<Light> l) : hall(h), lights(std::move(l)) {
        hall.scene.lights = lights;
        aims = std::make_shared<const SceneLights>(hall.scene);
    }
    void make() const {
        hall.scene.lights = lights;
        CameraOptions c;
        c.position = V3f(2, 3, 2), c.target = V3f(60, 0, 60);
        RenderOptions o;
        o.bounces = 4;
        Film film(kWidth, kHeight);
        const Renderer renderer(hall.scene, Camera(c, float(kWidth) / kHeight), o, aims);
        for (uint32_t pass = 0; pass < 4; ++pass)
            renderer.renderPass(film, pass, {0, 0, kWidth, kHeight}, Progress::none());
    }
};

/// Error at equal time over that of even choice; and a picture under all lamps over one under a single lamp.
void manyLights(benchmark::State& state) {
    Hall hall;
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
        state.counters["ratio"] = std::sqrt(tree.error * tree.seconds / (even.error * even.seconds));
        state.counters["limit"] = 0.2;
        const Pictured many(hall, hall.lights), one(hall, {hall.lights[0]});
        one.make();  // and what is made at the first ray
        state.counters["paths_to_one_lamp"] = medianRatio(
            7, [&] { many.make(); }, [&] { one.make(); });
        state.counters["paths_limit"] = 2;
    }
}

}  // namespace

BENCHMARK(manyLights)->Iterations(1)->Unit(benchmark::kMillisecond);
