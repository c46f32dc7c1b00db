// Which of a layer's copies are shown and rendered: a stable part of them, by the layer's settings and the
// camera.
#pragma once
#include "eval/evaluator.h"
#include "render/scene/camera.h"

namespace ovrix::eval {

/// A layer's settings for one purpose at a frame.
struct Showing {
    double share = 1.0;      ///< part of the copies, by their ids
    size_t most = SIZE_MAX;  ///< no more than this many, those of the lowest random numbers
    float thinFrom = 0.0f;   ///< metres from the camera from which copies thin out with the distance; 0 never
    bool cull = false;       ///< only what the camera sees
    float margin = 0.0f;     ///< metres around the camera's view that count as seen
    CameraOptions camera;
    float aspect = 1.0f;
    bool all() const { return share >= 1.0 && most == SIZE_MAX && thinFrom <= 0.0f && !cull; }
};

Showing showingOf(const Document& document, const Node& layer, const EvalOptions& options);
void addToHash(Hasher& hasher, const Showing& showing);

/// The copies or strands that are left, in their order; other kinds whole. Thinning keeps a copy with the
/// chance (thinFrom / distance)^2, so that as many stand in each part of the picture. Each copy's own random
/// number decides: moving the camera or changing a number takes or brings copies, and never swaps them.
Geometry shownOf(const Geometry& geometry, const Showing& showing);

}  // namespace ovrix::eval
