#include "eval/pose.h"

#include <fmt/format.h>

#include "base/error.h"
#include "base/files.h"
#include "base/hash.h"
#include "eval/simulated.h"
#include "io/formats/elements_io.h"
#include "sim/strands/strand_pose.h"

namespace ovrix::eval {

namespace fs = std::filesystem;

fs::path writePose(Evaluator& evaluator, const SceneContext& scene, const std::string& layer, double frame,
                   Progress& progress) {
    if (scene.file.empty()) throw Error("the scene has no file yet", {}, "Save it: poses lie beside it");
    const NodePtr whole = recipeOf(scene.document, scene.document.get(layer));
    const Node& recipe = *whole;
    const auto place = solverIndex(recipe.steps);
    if (!place) throw Error("simulates no strands", recipe.name, "Turn its Simulate strands on");
    Evaluator::Query query(evaluator, scene, {frame, Purpose::Render, true}, progress);
    Simulated simulated(evaluator, recipe, *place, query, 1.0);
    const Geometry shown = simulated.at(frame);
    const auto* strands = std::get_if<StrandsPtr>(&shown);
    if (!strands || (*strands)->size() == 0)
        throw Error("has no strands there", recipe.name, "Go to a frame that shows them");
    const fs::path folder = scene.file.parent_path() / (scene.file.stem().string() + ".poses");
    makeOwnFolder(folder);
    // Named by what made it: a pose that some step of undo starts from is never written over by another.
    const uint64_t own = Hasher().add(simulated.life()).add(frame).value();
    fs::path file = folder / fmt::format("{}-{:08x}.ply", nameOfId(recipe.id), uint32_t(own));
    writeStrands(file, *withPose(**strands));
    return file;
}

}  // namespace ovrix::eval
