// Which of a layer's elements are shown and rendered: a stable part of them, by the layer's settings and the
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

/// The copies, strands or points that are left, in their order; other kinds whole. Thinning keeps a copy with
/// the chance (thinFrom / distance)^2, so that as many stand in each part of the picture. Each copy's own
/// random number decides: moving the camera or changing a number takes or brings copies, and never swaps
/// them.
Geometry shownOf(const Geometry& geometry, const Showing& showing);

/// A layer's points as the view draws them.
struct PointsInView {
    struct Dot {
        V3f place;
        V3f color;    ///< linear; below 0 where it is the layer's
        float value;  ///< 0 to 1 of what they are coloured by; below 0 for none
        float size;   ///< metres across; 0 for alike
        float shade;  ///< of its colour, by how it faces the light above
    };
    std::vector<Dot> dots;  ///< of lines two each; in an order of which each part lies all over
    bool lines = false;
    // What they are coloured by.
    std::string channel;  ///< empty for none
    float least = 0.0f, most = 0.0f;
};

/// By the layer's settings for points: those of a slice or box, coloured by a number or the length of a
/// vector. Thread safe.
PointsInView pointsInView(const Document& document, const std::string& layer, double frame,
                          const AttributeSet& points);
/// What of those settings it goes by.
uint64_t pointsInViewKey(const Document& document, const std::string& layer, double frame);

}  // namespace ovrix::eval
