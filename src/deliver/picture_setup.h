// What a job says beside its scene: the camera, how long to work, and what lies behind and between things.
#pragma once
#include "deliver/render_scene_builder.h"

namespace ovrix::deliver {

/// The cameras, the size and how long to work on it. Throws Error where there is no camera.
void setPicture(const Document& document, const JobOptions& options, RenderJob& job);
/// What the film keeps. @param fibres  whether some are seen
FilmLayout layoutOf(const Document& document, double frame, const RenderJob& job, bool fibres,
                    std::vector<std::string> groups);
/// Nodes of fields that renders keep as passes, in the film's order.
std::vector<NodePtr> fieldPasses(const Document& document);
/// Bytes that the film of a render takes, as far as the document tells without making anything.
double likelyFilmBytes(const Document& document, double frame);
/// Whether the scene does anything to its pictures.
bool hasFinish(const Document& document);
/// Whether a step of it changes the light of groups.
bool balancesLights(const Document& document);
/// Bytes that finishing takes at most for each pixel, the picture among them.
constexpr double kFinishBytes = 200;
/// How the scene's pictures come to a screen. What cannot be had, a colour configuration say, is named in
/// @p problems, and the usual screen takes its place.
FinishOptions finishOptions(const SceneContext& scene, double frame, float exposure,
                            std::vector<std::string>& problems);
/// What lies behind all, as bright as the job's exposure has it: after setPicture(). What cannot be read is
/// named in the job's problems.
void setSurroundings(const SceneContext& scene, const JobOptions& options, ImageCache& images,
                     RenderJob& job);
/// A twentieth of what is there comes through so much of it as one sees.
Fog fogOf(const Document& document, double frame);

}  // namespace ovrix::deliver
