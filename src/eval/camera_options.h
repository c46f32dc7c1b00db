// Cameras of the document as the renderer takes them.
#pragma once
#include "document/model/document.h"
#include "render/scene/camera.h"

namespace ovrix::eval {

/// Of a camera node at a frame.
CameraOptions cameraOptions(const Document& document, const std::string& id, double frame);

}  // namespace ovrix::eval
