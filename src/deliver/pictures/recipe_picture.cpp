#include "deliver/pictures/recipe_picture.h"

#include "base/error.h"
#include "deliver/pictures/render_file.h"
#include "deliver/render_scene_builder.h"
#include "document/edits/edits.h"
#include "document/model/step_registry.h"
#include "document/model/values.h"
#include "io/denoiser/denoiser.h"

namespace ovrix::deliver {

namespace fs = std::filesystem;

namespace {

/// The middle one of the prototypes' largest extents, with their own sizes.
float usualSize(const RecipeFile& recipe, Evaluator& evaluator, Progress& progress) {
    std::vector<float> sizes;
    for (const NodePtr& node : recipe.parts.nodes(Category::Object)) {
        const V3f size = evaluator.object(recipe.parts, node->id, 1, progress).mesh->bounds().size();
        const V3f scale = V3f(recipe.parts.value(node->id, kObject.object.transform.placement.scale));
        sizes.push_back(std::max({size.x * scale.x, size.y * scale.y, size.z * scale.z}));
    }
    std::sort(sizes.begin(), sizes.end());
    return sizes.empty() || !(sizes[sizes.size() / 2] > 0) ? 0.1f : sizes[sizes.size() / 2];
}

/// How long the strands are that the recipe grows; 0 when it grows none.
double strandLength(const RecipeFile& recipe) {
    double length = 0;
    for (const Step& step : recipe.first().steps)
        if (const StepType* type = findStepType(step.type); type && type->longest)
            length = type->longest(step.params);
    return length;
}

/// The recipe on a ball that shows strands of that length well.
Document strandSample(const RecipeFile& recipe, double length) {
    Document d = Document::fresh();
    Node skin = makeNode(d, "surface", "Skin");
    setValue(skin, "base_color", Color(0.1f, 0.085f, 0.075f));
    Node ball = makeNode(d, "sphere", "Ground");
    const double radius = std::max(1e-4, std::max(2.2 * length, 0.4 * std::sqrt(length * 0.01)));
    setValue(ball, "radius", radius);
    ball.params[kObject.object.material.id()].value = skin.id;
    const std::string on = ball.id;
    d = withNode(withNode(d, skin), ball);
    d = withRecipe(d, recipe, on);
    const std::string camera = d.renderSetting(kRender.camera);
    const double reach = radius + length;
    d = withValue(d, {camera, "", kCamera.position.id()}, V3d(reach * 1.9, reach * 1.25, reach * 3.3));
    d = withValue(d, {camera, "", kCamera.target.id()}, V3d(0, reach * 0.1, 0));
    d = withValue(d, {camera, "", "exposure"}, 0.8);
    return withValue(d, {camera, "", kCamera.focal.id()}, 56.0);
}

Document withPictureSize(const Document& document) {
    return withValue(withValue(document, {"render", "", kRender.width.id()}, int64_t(240)),
                     {"render", "", kRender.height.id()}, int64_t(160));
}

}  // namespace

Document recipeSample(const RecipeFile& recipe, Evaluator& evaluator, Progress& progress) {
    if (const double length = strandLength(recipe); length > 0)
        return withPictureSize(strandSample(recipe, length));
    const double side = 9.0 * double(usualSize(recipe, evaluator, progress));
    Document d = Document::fresh();
    Node soil = makeNode(d, "surface", "Soil");
    setValue(soil, "base_color", Color(0.16f, 0.14f, 0.12f));
    setValue(soil, "specular_roughness", 0.8);
    Node ground = makeNode(d, "terrain", "Ground");
    setValue(ground, "size", side);
    setValue(ground, "height", side * 0.06);
    setValue(ground, "feature", side * 0.5);
    setValue(ground, "divisions", int64_t(96));
    ground.params[kObject.object.material.id()].value = soil.id;
    const std::string on = ground.id;
    d = withNode(withNode(d, soil), ground);
    std::string id;
    d = withRecipe(d, recipe, on, &id);
    Node layer = d.get(id);
    for (Step& step : layer.steps)  // a count is of a surface of some other size
        if (const auto count = step.params.find("count"); count != step.params.end())
            if (auto* n = std::get_if<int64_t>(&count->second.value)) *n = std::min<int64_t>(*n, 220);
    d.put(layer);
    const std::string camera = d.renderSetting(kRender.camera);
    d = withValue(d, {camera, "", kCamera.position.id()}, V3d(side * 0.62, side * 0.5, side * 0.78));
    d = withValue(d, {camera, "", kCamera.target.id()}, V3d(0, side * 0.04, side * 0.03));
    return withPictureSize(withValue(d, {camera, "", kCamera.focal.id()}, 40.0));
}

void writeSamplePicture(const Document& sample, Evaluator& evaluator, const std::string& name,
                        uint32_t passes, const fs::path& path, Progress& progress) {
    RenderSceneBuilder builder(evaluator);
    const RenderJob job = builder.build(sample, {}, progress);
    if (!job.problems.empty()) throw Error(job.problems.front(), name);
    Film film(job.width, job.height);
    const Renderer renderer(*job.scene, job.cameraFor(job.width, job.height), job.options, job.lights);
    for (uint32_t pass = 0; pass < passes; ++pass)
        renderer.renderPass(film, pass, {0, 0, job.width, job.height}, progress);
    std::vector<V3f> clean;
    if (hasDenoiser()) clean = denoise(film, sample.memoryLimit(), progress);
    fs::create_directories(path.parent_path());
    saveRender(path, {film, clean.empty() ? nullptr : &clean}, job, defaultWriteOptions(path));
}

void writeRecipePicture(const RecipeFile& recipe, const fs::path& path, Progress& progress) {
    Evaluator evaluator(kSampleMemory);
    writeSamplePicture(recipeSample(recipe, evaluator, progress), evaluator, recipe.name, 24, path, progress);
}

}  // namespace ovrix::deliver
