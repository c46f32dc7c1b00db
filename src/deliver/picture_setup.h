// What a job says beside its scene: the camera, how long to work, and what lies behind and between things.
#pragma once
#include "deliver/render_scene_builder.h"

namespace ovrix::deliver {

/// The cameras, the size and how long to work on it. Throws Error where there is no camera.
void setPicture(const Document& document, const JobOptions& options, RenderJob& job);
/// What the film keeps. @param fibres  whether some are seen
FilmLayout layoutOf(const Document& document, double frame, const RenderJob& job, bool fibres,
                    std::vector<std::string> groups);
/// What lies behind all, as bright as the job's exposure has it: after setPicture(). What cannot be read is
/// named in the job's problems.
void setSurroundings(const SceneContext& scene, const JobOptions& options, ImageCache& images,
                     RenderJob& job);
/// A twentieth of what is there comes through so much of it as one sees.
Fog fogOf(const Document& document, double frame);

}  // namespace ovrix::deliver
