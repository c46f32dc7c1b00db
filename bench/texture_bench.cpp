// What textures cost that do not fit in their memory.
#include <benchmark/benchmark.h>

#include <filesystem>

#include "bench_support.h"
#include "deliver/render_scene_builder.h"
#include "document/edits/edits.h"
#include "io/image/image_io.h"

using namespace ovrix::bench;
using namespace ovrix::deliver;
namespace fs = std::filesystem;

namespace {

constexpr int kWidth = 640, kHeight = 360, kWalls = 16;
constexpr int kSide = 4100;  // half floats of 4 channels: 134 MB each, 2.2 GB in all

/// Pictures of the same contents under many names, in a folder that goes in the end; tiles lie there too.
struct Folder {
    fs::path path = fs::temp_directory_path() / "ovrix-texture-bench";
    Folder() {
        fs::remove_all(path);
        fs::create_directories(path);
        setenv("XDG_CACHE_HOME", (path / "caches").c_str(), 1);
        ovrix::io::Picture picture{kSide, kSide, {}};
        for (int k = 0; k < 3; ++k) {
            std::vector<float> values(size_t(kSide) * kSide);
            for (size_t i = 0; i < values.size(); ++i)
                values[i] = 0.5f + 0.5f * std::sin(0.01f * float(i % kSide) * float(k + 1));
            picture.channels.push_back({std::string(1, "RGB"[k]), std::move(values)});
        }
        writeImage(path / "0.tif", picture, defaultWriteOptions("0.tif"));
        for (int i = 1; i < kWalls; ++i)
            fs::create_hard_link(path / "0.tif", path / (std::to_string(i) + ".tif"));
    }
    ~Folder() { fs::remove_all(path); }
};

/// Walls side by side that wear @p textures pictures in turn.
struct Gallery {
    Evaluator evaluator;
    RenderSceneBuilder builder{evaluator};
    RenderJob job;
    Gallery(const fs::path& folder, int textures) {
        Document d = Document::fresh();
        d = withText(d, "scene/memory", "2.15");  // of which a quarter is for tiles: 0.5 GiB
        for (int i = 0; i < kWalls; ++i) {
            Node material = makeNode(d, "surface"), wall = makeNode(d, "plane");
            FieldSource image = makeSource("image");
            image.params["file"].value = std::to_string(i % textures) + ".tif";
            Param& base = material.params["base_color"];
            base.value = Color(1.0f), base.low = Color(0.0f);
            base.field = std::make_shared<const Field>(Field{{image}});
            wall.params["material"].value = material.id;
            wall.params["size"].value = 1.0;
            wall.params["position"].value = V3d(i % 4 - 1.5, 0, i / 4 - 1.5);
            d.put(material);
            d.put(wall);
        }
        d = withText(d, "camera/position", "0,3.4,0.01");
        d = withText(d, "camera/target", "0,0,0");
        JobOptions options;
        options.width = kWidth, options.height = kHeight;
        job = builder.build({d, folder}, options, Progress::none());
    }
    void render() const {
        Film film(kWidth, kHeight);
        const Renderer renderer(*job.scene, job.cameraFor(kWidth, kHeight), job.options, job.lights);
        for (uint32_t pass = 0; pass < 4; ++pass)
            renderer.renderPass(film, pass, {0, 0, kWidth, kHeight}, Progress::none());
    }
};

void textures(benchmark::State& state) {
    const Folder folder;
    const Gallery large(folder.path, kWalls), fits(folder.path, 3);
    for (auto _ : state) {
        const double ratio = medianRatio(
            5, [&] { large.render(); }, [&] { fits.render(); });
        state.counters["ratio"] = ratio;
        state.counters["limit"] = 1.5;
        state.counters["problems"] = double(large.job.problems.size());
    }
}

}  // namespace

BENCHMARK(textures)->Iterations(1)->Unit(benchmark::kMillisecond);
