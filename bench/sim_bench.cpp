// Figures of simulations: particles, swarms, strands, bakes.
#include <benchmark/benchmark.h>
#include <fmt/format.h>
#include <malloc.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <nanoflann.hpp>

#include "bare_vdb.h"
#include "base/parallel.h"
#include "bench_support.h"
#include "geo/points/nearest.h"
#include "geo/surface/moving_surface.h"
#include "io/formats/state_writer.h"

#include "document/edits/edits.h"
#include "eval/evaluator.h"
#include "ops/groom/grow.h"
#include "ops/place/scatter.h"
#include "sim/particles/curl_noise.h"
#include "sim/particles/particle_solver.h"
#include "tests/sim/sim_run.h"

namespace ovrix::bench {

namespace {

/// A simulation in a world of one object.
struct Run : tests::Sim {
    Run(SurfacePtr surface, std::string type) {
        world.objects["it"] = [surface](double) { return SceneQuery::Placed{surface, M44f()}; };
        step = std::move(type);
    }
    void start(Geometry from) {
        source = [from](double) { return from; };
    }
};

Geometry cloud(size_t count, float size, float speed) {
    PointSet set;
    std::vector<V3f> p(count), v(count);
    std::vector<uint64_t> id(count);
    for (size_t i = 0; i < count; ++i) {
        const Random4 r = random4(1, i, Stream::Place), q = random4(2, i, Stream::Place);
        p[i] = V3f(r[0] - 0.5f, 0.35f * r[1], r[2] - 0.5f) * size;
        v[i] = V3f(q[0] - 0.5f, q[1] - 0.5f, q[2] - 0.5f) * speed;
        id[i] = i;
    }
    set.attributes.set("P", p);
    set.attributes.set("v", v);
    set.attributes.set("id", id);
    return std::make_shared<const PointSet>(std::move(set));
}

SurfacePtr ground() {  // 100,352 triangles
    static const SurfacePtr surface =
        std::make_shared<const Surface>(makeTerrain({4, 224, 0.3f, 1.5f, 0.3f, 1}));
    return surface;
}

constexpr size_t kMillion = 1000000;

/// One substep of a million with gravity, drag, three octaves of turbulence and a mesh, by the noise and the
/// closest points of as many places.
void particleStep(benchmark::State& state) {
    Run run(ground(), "simulate");
    run.start(cloud(kMillion, 3.5f, 1));
    run.part("gravity"), run.part("drag"), run.part("turbulence");
    run.part("collide").params["with"].value = std::string("it");
    const SolverInput first = run.at(1), second = run.at(2);
    const SolverState begun = run.solver().begin(first, Progress::none());
    AttributeSet a = std::get<std::shared_ptr<const PointSet>>(begun.geometry)->attributes;
    ParticleParts parts = partsOf(first, second);
    const StepSettings settings;
    StepCounts counts;
    const auto ours = [&] {
        stepParticles(a, parts, settings, 0, 0.5, 1 / 24.0f, 0, {}, counts, Progress::none());
    };
    ours();
    const auto p = std::get<std::shared_ptr<const PointSet>>(begun.geometry)->attributes.find<V3f>("P");
    std::vector<V3f> out(kMillion);
    const auto bare = [&] {
        parallelRanges(kMillion, kBlock, Progress::none(), [&](size_t begin, size_t end) {
            CurlNoiseOptions o;
            o.scale = 0.5f;
            curlNoise(p.data() + begin, end - begin, o, out.data() + begin);
            for (size_t i = begin; i < end; ++i) out[i] += ground()->closest(p[i]).position;
        });
    };
    for (auto _ : state) {
        state.counters["by_noise_and_closest"] = medianRatio(5, ours, bare);
        state.counters["limit"] = 2.5;
        state.counters["ms"] = 1e3 * secondsOf(ours);
    }
}

/// Nothing acts: the bytes that must be read and written, by a loop that copies as many.
void particleDrift(benchmark::State& state) {
    Run run(ground(), "simulate");
    run.start(cloud(4 * kMillion, 3.5f, 1));
    const SolverInput first = run.at(1);
    const SolverState begun = run.solver().begin(first, Progress::none());
    AttributeSet a = std::get<std::shared_ptr<const PointSet>>(begun.geometry)->attributes;
    ParticleParts parts = partsOf(first, first);
    StepCounts counts;
    const auto ours = [&] {
        stepParticles(a, parts, {}, 0, 0.5, 1 / 24.0f, 0, {}, counts, Progress::none());
    };
    ours();
    // Read: place, speed, age, life, state; written: place, age.
    const size_t floats = 4 * kMillion * (3 + 3 + 1 + 1 + 1 + 3 + 1) / 2;
    std::vector<float> from(floats, 1.0f), to(floats);
    const auto bare = [&] {
        parallelRanges(floats, 1 << 16, Progress::none(), [&](size_t begin, size_t end) {
            std::copy(from.begin() + std::ptrdiff_t(begin), from.begin() + std::ptrdiff_t(end),
                      to.begin() + std::ptrdiff_t(begin));
        });
        benchmark::DoNotOptimize(to.data());
    };
    for (auto _ : state) {
        state.counters["part_of_bandwidth"] = 1.0 / medianRatio(7, ours, bare);
        state.counters["limit"] = 0.5;
    }
}

double swarmSeconds(size_t count, int frames) {
    Run run(ground(), "simulate");
    run.params["substeps"].value = int64_t(1);
    run.start(cloud(count, 2.0f * std::cbrt(float(count) / 20000.0f), 1));
    run.part("flock"), run.part("steer");
    SolverInput before = run.at(1);
    SolverState s = run.solver().begin(before, Progress::none());
    return secondsOf([&] {
               for (int f = 2; f < 2 + frames; ++f) {
                   SolverInput now = run.at(f);
                   s = run.solver().advance(s, before, now, Progress::none());
                   before = now;
               }
           }) /
           frames;
}

void swarm(benchmark::State& state) {
    for (auto _ : state) {
        const double seconds = swarmSeconds(20000, 12);
        state.counters["steps_a_second"] = 1 / seconds;
        state.counters["limit"] = 12;
        state.counters["growth_of_10x"] = swarmSeconds(100000, 4) / swarmSeconds(10000, 8);
        state.counters["n_log_n"] = 10 * std::log(100000.0) / std::log(10000.0);
    }
}

struct Places {
    const std::vector<V3f>& p;
    size_t kdtree_get_point_count() const { return p.size(); }
    float kdtree_get_pt(size_t i, size_t d) const { return p[i][int(d)]; }
    template <class Box>
    bool kdtree_get_bbox(Box&) const {
        return false;
    }
};

/// The tree and the sixteen nearest of each, by the library's own calls.
void swarmNeighbours(benchmark::State& state) {
    const Geometry all = cloud(20000, 2, 1);
    const auto points = std::get<std::shared_ptr<const PointSet>>(all)->attributes.find<V3f>("P");
    const std::vector<V3f> p(points.begin(), points.end());
    using Tree =
        nanoflann::KDTreeSingleIndexAdaptor<nanoflann::L2_Simple_Adaptor<float, Places>, Places, 3, uint32_t>;
    const auto ours = [&] {
        const NearestPoints tree(p);
        parallelRanges(p.size(), kBlock, Progress::none(), [&](size_t begin, size_t end) {
            uint32_t near[17];
            float d2[17];
            for (size_t i = begin; i < end; ++i)
                benchmark::DoNotOptimize(tree.closestFew(p[i], 17, near, d2));
        });
    };
    const auto bare = [&] {
        const Places places{p};
        Tree tree(3, places, nanoflann::KDTreeSingleIndexAdaptorParams(10));
        tree.buildIndex();
        parallelRanges(p.size(), kBlock, Progress::none(), [&](size_t begin, size_t end) {
            uint32_t near[17];
            float d2[17];
            for (size_t i = begin; i < end; ++i)
                benchmark::DoNotOptimize(tree.knnSearch(&p[i].x, 17, near, d2));
        });
    };
    for (auto _ : state) {
        state.counters["by_library"] = medianRatio(9, ours, bare);
        state.counters["limit"] = 1.5;
    }
}

/// Strands of 16 points on a ball, onto which they fall.
Run strandsOnBall(float radius, size_t count) {
    const SurfacePtr ball = std::make_shared<const Surface>(makeSphere(radius, 96));
    ScatterOptions s;
    s.count = count;
    GrowOptions g;
    g.length = {0.18f, 0.2f, {}};
    g.segments = 15;
    Run run(ball, "simulate_strands");
    run.start(grow(*scatterOnSurface(*ball, s, Progress::none()), ball.get(), g, Progress::none()));
    run.part("strand_gravity");
    run.part("strand_collide").params["with"].value = std::string("it");
    return run;
}

/// Frames a second of guides on a ball that meet it.
double strandFrames(size_t count, bool apart) {
    Run run = strandsOnBall(0.5f, count);
    run.params["stiff"].value = 0.02;
    if (apart) run.part("strand_spacing").params["thickness"].value = 0.004;
    SolverInput before = run.at(1);
    SolverState state = run.solver().begin(before, Progress::none());
    const auto advance = [&](int from, int to) {
        for (int f = from; f < to; ++f) {
            SolverInput now = run.at(f);
            state = run.solver().advance(state, before, now, Progress::none());
            before = now;
        }
    };
    advance(2, 14);  // until they lie on the ball
    return 12 / secondsOf([&] { advance(14, 26); });
}

void guideFrames(benchmark::State& state) {
    for (auto _ : state) {
        state.counters["frames_a_second"] = strandFrames(5000, false);
        state.counters["limit"] = 20;
    }
}

void guideFramesApart(benchmark::State& state) {
    for (auto _ : state) {
        state.counters["frames_a_second"] = strandFrames(2000, true);
        state.counters["limit"] = 8;
    }
}

/// Frames of a million particles to files, as a bake writes them, one alone, and one back, by the OpenVDB
/// library writing and reading the same numbers; and a frame that was baked as OpenVDB.
void bakeFrame(benchmark::State& state) {
    Run run(ground(), "simulate");
    run.start(cloud(kMillion, 3.5f, 1));
    const SolverState begun = run.solver().begin(run.at(1), Progress::none());
    const AttributeSet& a = std::get<std::shared_ptr<const PointSet>>(begun.geometry)->attributes;
    const auto folder = std::filesystem::temp_directory_path() / fmt::format("ovrix-bench-{}", ::getpid());
    std::filesystem::create_directories(folder);
    const auto ours = [&] { writeStateFile(folder / "a.columns", {{{"points", a}}, {}}); };
    ours();
    writeStateFile(folder / "a.vdb", {{{"points", a}}, {}});
    const BareVdb library(folder / "a.vdb");
    const auto bare = [&] { library.write(folder / "b.vdb"); };
    const auto read = [&] { benchmark::DoNotOptimize(readStateFile(folder / "a.columns")); };
    const auto readVdb = [&] { benchmark::DoNotOptimize(readStateFile(folder / "a.vdb")); };
    const auto bareRead = [&] { const BareVdb whole(folder / "a.vdb"); };
    constexpr int kFrames = 6;
    const auto all = [&] {
        StateWriter writer;
        for (int f = 0; f < kFrames; ++f)
            writer.add(readyStateFile(folder / fmt::format("{}.columns", f), {{{"points", a}}, {}}));
        writer.finish();
    };
    const auto bareAll = [&] {
        for (int f = 0; f < kFrames; ++f) library.write(folder / fmt::format("{}.vdb", f));
    };
    for (auto _ : state) {
        state.counters["part_of_throughput"] = 1.0 / medianRatio(5, all, bareAll);
        state.counters["of_one_frame"] = 1.0 / medianRatio(9, ours, bare);
        state.counters["limit"] = 0.6;
        state.counters["read_by_library"] = medianRatio(9, read, bareRead);
        state.counters["read_limit"] = 2;
        state.counters["vdb_read_by_library"] = medianRatio(5, readVdb, bareRead);
        state.counters["write_ms"] = 1e3 * secondsOf(ours);
        state.counters["read_ms"] = 1e3 * secondsOf(read);
    }
    std::filesystem::remove_all(folder);
}

/// Particles that keep apart, flock and look for each other, a burst of 20,000 at one place by one spread
/// over a ball.
void birthsAtOnePlace(benchmark::State& state) {
    const auto seconds = [](size_t sources) {
        Run run(ground(), "simulate");
        run.start(cloud(sources, 3.5f, 0));
        Step& emit = run.part("emit");
        emit.params["rate"].value = 0.0;
        emit.params["burst"].value = int64_t(20000);
        run.part("gravity");
        run.part("flock");
        run.part("spacing").params["radius"].value = 0.004;
        run.part("rule").params["when"].value = std::string("near another");
        const SolverInput first = run.at(1), second = run.at(2), third = run.at(3);
        const SolverState begun = run.solver().begin(first, Progress::none());
        return secondsOf([&] {
            const SolverState born = run.solver().advance(begun, first, second, Progress::none());
            benchmark::DoNotOptimize(run.solver().advance(born, second, third, Progress::none()));
        });
    };
    for (auto _ : state) {
        std::vector<double> ratios;
        for (int i = 0; i < 5; ++i) ratios.push_back(seconds(1) / seconds(20000));
        std::sort(ratios.begin(), ratios.end());
        state.counters["by_spread_out"] = ratios[2];
        state.counters["limit"] = 1.5;
    }
}

/// Trails of 1.2 million particles at frame 48, with two gigabytes for frames, by one pass of the simulation.
void trailsBeyondMemory(benchmark::State& state) {
    const auto seconds = [](bool trails) {
        Document d = Document::fresh();
        std::string id;
        Node plane = makeNode(d, "plane", "Ground");
        const std::string on = plane.id;
        d = withNode(d, plane);
        d = withLayer(d, on, "", &id);
        Node layer = d.get(id);
        layer.steps.clear();
        d.put(layer);
        d = withStep(d, id, 0, makeStep("scatter", d.get(id)));
        d = withText(d, id + "/scatter/count", "1200000");
        d = withStep(d, id, 1, makeStep("simulate", d.get(id)));
        layer = d.get(id);
        std::erase_if(layer.steps, [](const Step& s) { return s.type == "emit"; });
        d.put(layer);
        if (trails) d = withStep(d, id, d.get(id).steps.size(), makeStep("trails", d.get(id)));
        d = withText(d, "scene/memory", "12");
        Evaluator evaluator;
        return secondsOf([&] {
            const LayerResult r = evaluator.layer(d, id, {48, Purpose::Render, true}, Progress::none());
            for (const StepReport& s : r.steps)
                if (!s.error.empty()) throw std::runtime_error(s.error);
        });
    };
    for (auto _ : state) {
        const double pass = seconds(false), both = seconds(true);
        state.counters["by_one_pass"] = both / pass;
        state.counters["limit"] = 1.3;
        state.counters["seconds"] = both;
    }
}

size_t peakBytes() {
    std::ifstream in("/proc/self/status");
    for (std::string line; std::getline(in, line);)
        if (line.rfind("VmHWM:", 0) == 0) return size_t(std::stoull(line.substr(6))) * 1024;
    return 0;
}

/// What a frame of a million simulated strands of 16 points takes at most, beside its old and its new state
/// and what the recipe gives, for each point.
void simulatedStrandMemory(benchmark::State& state) {
    for (auto _ : state) {
        Run run = strandsOnBall(2.0f, kMillion);
        SolverInput before = run.at(1), now = run.at(2);
        const SolverState begun = run.solver().begin(before, Progress::none());
        ::malloc_trim(0);
        std::ofstream("/proc/self/clear_refs") << "5";  // the peak counts from here
        const size_t start = peakBytes();
        const SolverState next = run.solver().advance(begun, before, now, Progress::none());
        const double points = 16.0 * double(kMillion), own = 24.0;  // places and speeds of the new state
        state.counters["bytes_a_point"] = double(peakBytes() - start) / points - own;
        state.counters["limit"] = 200;
    }
}

BENCHMARK(particleStep)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(particleDrift)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(swarm)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(swarmNeighbours)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(guideFrames)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(guideFramesApart)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(bakeFrame)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(birthsAtOnePlace)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(trailsBeyondMemory)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(simulatedStrandMemory)->Iterations(1)->Unit(benchmark::kMillisecond);

}  // namespace

}  // namespace ovrix::bench
