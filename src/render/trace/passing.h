// What of light comes through what lies on its way.
#pragma once
#include "render/scene/render_scene.h"
#include "render/trace/media.h"

namespace ovrix::render {

struct Passed {
    V3f light;
    bool clear;  ///< whether clear matter lies on the way
};

/// Clear matter and clouds let light through straight on: where it goes when it is bent is not known from
/// here. Thread safe.
/// @param within  what the ray starts in
Passed lightThrough(const RenderScene& scene, const Ray& ray, float distance, const Media& within);

/// Enters a medium, or leaves it.
void pass(Media& media, const Medium& medium, bool leaving);

}  // namespace ovrix::render
