// Shading of line art.
#pragma once
#include "render/trace/media.h"
#include "render/trace/sampler.h"
#include "render/trace/scene_lights.h"

namespace ovrix::render {

/// Light that arrives straight from lamps, as the part of what makes a white matt body white by the
/// exposure. Few lights are all asked, of many four. Thread safe.
float arrivingLight(const RenderScene& scene, const SceneLights& lights, const SurfacePoint& point,
                    const Media& within, float time, float white, Sampler& sampler);

/// How much of the light that would come without anything between arrives: red, green and blue; 1 where
/// there is none. Thread safe.
V3f shadowAt(const RenderScene& scene, const SceneLights& lights, const SurfacePoint& point,
             const Media& within, float time, Sampler& sampler);

/// The colour of a place that is drawn. @p point has its arriving light. Thread safe.
Color drawnColor(const SceneLights& lights, const SurfaceMaterial& material, const SurfacePoint& point);

/// The colour of its line there.
Color lineColor(const SceneLights& lights, const SurfaceMaterial& material, const SurfacePoint& point);

/// Whether either of them goes by the arriving light. @param line  of a place on a contour
bool asksForLight(const SurfaceMaterial& material, bool line);

}  // namespace ovrix::render
