// Cameras of the document as the renderer takes them.
#pragma once
#include "render/scene/camera.h"
#include "scene/document.h"

namespace ovrix {

/// Of a camera node at a frame.
CameraOptions cameraOptions(const Document& document, const std::string& id, double frame);

}  // namespace ovrix
