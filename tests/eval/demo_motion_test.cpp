// The moving scenes that come along, as the build made them: baked, without surprises, and moving in the
// picture.
#include "deliver/render_scene_builder.h"
#include "document/file/scene_file.h"
#include "eval/bake.h"
#include "eval/checks/checks.h"
#include "eval/simulated.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

struct MovingScene {
    std::filesystem::path path;
    Document document;
    Evaluator evaluator;
    explicit MovingScene(const std::string& name)
        : path(std::filesystem::path(OVRIX_DEMO_DIR) / (name + ".ovrix")), document(loadScene(path)) {}
    SceneContext scene() const { return SceneContext::ofFile(document, path); }
    std::vector<NodePtr> simulated() const {
        std::vector<NodePtr> out;
        for (const NodePtr& layer : document.nodes(Category::Layer))
            if (solverIndex(recipeOf(document, *layer)->steps)) out.push_back(layer);
        return out;
    }
    Film render(double frame) {
        RenderSceneBuilder builder(evaluator);
        JobOptions options;
        options.frame = frame;
        const RenderJob job = builder.build(scene(), options, Progress::none());
        for (const std::string& problem : job.problems) FAIL_CHECK(problem);
        Film film(64, 36);
        Renderer(*job.scene, job.cameraFor(64, 36), job.options)
            .renderPass(film, 0, {0, 0, 64, 36}, Progress::none());
        return film;
    }
};

}  // namespace

TEST_CASE("moving scenes open from their bakes, are as the bake says, and move in the picture", "[demo]") {
    const std::string name = GENERATE(as<std::string>(), "plankton", "splash", "darts", "silversides",
                                      "sandhoppers", "surge", "shake");
    INFO(name);
    MovingScene scene(name);
    const auto layers = scene.simulated();
    REQUIRE_FALSE(layers.empty());
    LayerResults results;
    for (const NodePtr& layer : layers) {
        INFO(layer->name);
        const auto status = simulationStatus(scene.evaluator, scene.scene(), *layer, 1.0, false);
        REQUIRE(status);
        CHECK(status->fresh);
        CHECK(status->used());
        CHECK(status->bake.frames.size() == 72);
        CHECK(status->kept.empty());
        const LayerResult first =
            scene.evaluator.layer(scene.scene(), layer->id, {24, Purpose::Render, true}, Progress::none());
        const LayerResult later =
            scene.evaluator.layer(scene.scene(), layer->id, {60, Purpose::Render, true}, Progress::none());
        CHECK(first.ok);
        CHECK(later.ok);
        CHECK(elementCount(later.geometry) > 0);
        const auto a = placesOf(first.geometry), b = placesOf(later.geometry);
        CHECK_FALSE(std::equal(a.begin(), a.end(), b.begin(), b.end()));
        for (const V3f& p : b) CHECK(isFinite(p));
        results[layer->id] = later;
    }
    for (const Check& c : findChecks(scene.scene(), results, scene.evaluator, 60, Progress::none()))
        if (c.severity != Severity::Note) FAIL_CHECK(c.text);
    const Film early = scene.render(24), late = scene.render(60);
    double light = 0, other = 0;
    for (size_t i = 0; i < early.count(); ++i) {
        const V3f p = early.pixel(i).direct + early.pixel(i).indirect,
                  q = late.pixel(i).direct + late.pixel(i).indirect;
        CHECK(isFinite(p));
        light += double(p.y), other += double((p - q).length());
    }
    CHECK(light / double(early.count()) > 0.01);  // shown at an exposure of its own, but never black
    CHECK(other > 0);
}
