// Poses of simulated strands, kept beside the scene to start from: NAME.poses/LAYER-HASH.ply.
#pragma once
#include <filesystem>

#include "eval/evaluator.h"

namespace ovrix::eval {

/// Writes the strands that a layer's simulation has at a frame, as its "starts_as" takes them, and returns
/// the file. What follows in the recipe is not in it. Throws Error when the scene has no file, the layer
/// simulates no strands, or the file cannot be written; Cancelled.
std::filesystem::path writePose(Evaluator& evaluator, const SceneContext& scene, const std::string& layer,
                                double frame, Progress& progress);

}  // namespace ovrix::eval
