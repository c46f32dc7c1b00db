// Cameras of the document as the renderer takes them, and what the view draws of what has no mesh.
#pragma once
#include <optional>

#include "document/model/document.h"
#include "geo/points/elements.h"
#include "render/scene/camera.h"

namespace ovrix::eval {

/// Of a camera node at a frame; none where the id is no camera's.
std::optional<CameraOptions> cameraOf(const Document& document, const std::string& id, double frame);
/// The camera that the scene is rendered through.
std::optional<CameraOptions> sceneCamera(const Document& document, double frame);
/// The layer of which a camera keeps one element sharp; empty for none.
std::string focusedLayer(const Document& document, const std::string& camera, double frame);
/// Sharp in a plane through that element of the layer, which made @p geometry. Throws Error where it is not
/// among them, or lies behind.
void focusOnElement(const Document& document, const std::string& camera, double frame,
                    const Geometry& geometry, CameraOptions& options);
/// Width by height of the picture.
float pictureAspect(const Document& document, double frame);
/// What stands in the view for a node without a mesh, in the world; empty for none. @p reach  see
/// OutlineInput
std::vector<std::vector<V3f>> outlineOf(const Document& document, const Node& node, double frame,
                                        float reach);

}  // namespace ovrix::eval
