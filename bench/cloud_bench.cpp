// What clouds cost: drawing points in the light of two lamps, against sorting as many numbers.
#include <benchmark/benchmark.h>

#include "base/random.h"
#include "bench_support.h"
#include "radix_sort.h"
#include "render/cloud/cloud_picture.h"
#include "render/scene/render_scene.h"

using namespace ovrix::bench;
using namespace ovrix::deliver;
using namespace ovrix::render;

namespace {

constexpr int kWidth = 1280, kHeight = 720;

/// Points all over a block that fills the picture, lit by a sun and a lamp.
struct Block {
    RenderScene scene;
    Camera camera;
    Film film{kWidth, kHeight};
    explicit Block(size_t count) {
        AttributeSet points;
        points.resize(count);
        const auto p = points.add<V3f>("P");
        parallelFor(count, Progress::none(), [&](size_t i) {
            const Random4 r = random4(1, i, Stream::User);
            p[i] = V3f((r[0] - 0.5f) * 1.78f, r[1] - 0.5f, r[2] - 0.5f);
        });
        auto cloud = std::make_shared<CloudMaterial>();
        cloud->density.high = 3.0f;
        SurfaceMaterial m;
        m.base.high = Color(0.8f);
        m.cloud = cloud;
        scene.addCloud(std::move(points), {}, 0, 1, scene.addMaterial(m));
        scene.lights.push_back(SunLight{V3f(0.6f, 0.8f, 0.0f), 0.9999f, V3f(5000.0f)});
        BallLight lamp;
        lamp.center = V3f(-2, 1, 1.5f), lamp.radius = 0.05f, lamp.radiance = V3f(900.0f);
        scene.lights.push_back(lamp);
        scene.wearClouds(Progress::none());
        scene.commit(Progress::none());
        CameraOptions o;
        o.position = V3f(0, 0, 3.2f), o.target = V3f(0.0f), o.focal = 52.0f;
        camera = Camera(o, float(kWidth) / float(kHeight));
    }
    /// @return bytes that it took beside the points' own columns
    size_t draw() {
        const CloudPicture picture(scene, camera, film, {}, Progress::none());
        parallelRanges(size_t(kHeight), 1, Progress::none(), [&](size_t begin, size_t end) {
            std::vector<V3f> beams(picture.beams().size());
            for (int y = int(begin); y < int(end); ++y)
                for (int x = 0; x < kWidth; ++x) {
                    std::fill(beams.begin(), beams.end(), V3f(0.0f));
                    CloudPicture::Met met{.beams = beams};
                    CloudPicture::Walk walk = picture.walk(x, y);
                    picture.follow(walk, std::numeric_limits<float>::infinity(), met);
                    benchmark::DoNotOptimize(met.through);
                }
        });
        return picture.bytes() + scene.clouds()[0]->bytes();
    }
};

void sortThree(size_t count) {
    for (int k = 0; k < 3; ++k) {
        std::vector<uint64_t> keys(count);
        std::vector<uint32_t> values(count);
        parallelFor(count, Progress::none(),
                    [&](size_t i) { keys[i] = mixBits(i + 1), values[i] = uint32_t(i); });
        radixSort(keys, values);
        benchmark::DoNotOptimize(keys.data());
    }
}

/// 10 million points, two lights, 1280 x 720: at most 2.5 times three sorts of as many 64-bit keys and what
/// they belong to.
void pointDraw(benchmark::State& state) {
    const auto count = size_t(state.range(0));
    Block block(count);
    for (auto _ : state) {
        size_t bytes = 0;
        const double ratio = medianRatio(
            3, [&] { bytes = block.draw(); }, [&] { sortThree(count); });
        state.counters["by three sorts"] = ratio;
        state.counters["bytes a point"] = double(bytes) / double(count) + sizeof(V3f);
        state.counters["seconds"] = secondsOf([&] { block.draw(); });
    }
}
BENCHMARK(pointDraw)->Arg(1000000)->Arg(10000000)->Iterations(1)->Unit(benchmark::kSecond);

/// 50 million: at most 5.5 times 10 million, within 40 bytes a point.
void pointDrawGrowth(benchmark::State& state) {
    Block few(10000000);
    const double once = secondsOf([&] { few.draw(); });
    Block many(50000000);
    for (auto _ : state) {
        size_t bytes = 0;
        const double five = secondsOf([&] { bytes = many.draw(); });
        state.counters["by 10 million"] = five / once;
        state.counters["bytes a point"] = double(bytes) / 50e6 + sizeof(V3f);
    }
}
BENCHMARK(pointDrawGrowth)->Iterations(1)->Unit(benchmark::kSecond);

}  // namespace
