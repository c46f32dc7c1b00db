// Which element of a layer a ray meets, and which stands at a place.
#pragma once
#include <optional>

#include "eval/evaluator.h"

namespace ovrix::eval {

/// An element that a ray meets.
struct ElementHit {
    uint64_t id = 0;
    uint32_t index = 0;  ///< in the copies
    float distance = 0;
};
/// The nearest copy whose box the ray meets; boxes are those of the prototypes, turned and sized with the
/// copies.
/// @p boxes go with the copies' prototypes.
std::optional<ElementHit> elementAt(const Copies& copies, std::span<const Box3f> boxes, const V3f& origin,
                                    const V3f& direction);

/// The id of the layer's copy in whose box a place lies, the most in its middle where they overlap, else of
/// the nearest; of strands and points the nearest. None where it makes no elements. Throws Error or
/// Cancelled.
std::optional<uint64_t> elementNear(Evaluator& evaluator, const SceneContext& scene, const std::string& layer,
                                    const EvalOptions& options, const V3f& place, Progress& progress);

}  // namespace ovrix::eval
