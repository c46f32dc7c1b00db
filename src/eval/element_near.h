// Which element of a layer stands at a place.
#pragma once
#include <optional>

#include "eval/evaluator.h"

namespace ovrix::eval {

/// The id of the layer's copy in whose box a place lies, the most in its middle where they overlap, else of
/// the nearest; of strands and points the nearest. None where it makes no elements. Throws Error or
/// Cancelled.
std::optional<uint64_t> elementNear(Evaluator& evaluator, const SceneContext& scene, const std::string& layer,
                                    const EvalOptions& options, const V3f& place, Progress& progress);

}  // namespace ovrix::eval
