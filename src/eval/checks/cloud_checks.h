// What would surprise of a layer of points that is seen as a cloud.
#pragma once
#include "eval/checks/checks.h"

namespace ovrix::eval {

/// How deep a cloud is to the eye that is well seen and not a wall.
constexpr double kFittingDepth = 3.0;

/// A cloud material with another density; what drives it stays, and keeps its proportion.
Document withCloudDensity(const Document& document, const std::string& material, double density,
                          double frame);

/// Of points that are rendered: how many there are, what lights them, how much of the picture they cover and
/// how thick they are; and where nothing of that will be seen, why.
/// @param result  whose geometry is points
std::vector<Check> cloudChecks(const SceneContext& scene, const Node& layer, const LayerResult& result,
                               double frame);

}  // namespace ovrix::eval
