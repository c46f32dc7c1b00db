// Lights and cameras that are pointed at something.
#pragma once
#include "base/vec.h"
#include "document/model/document.h"
#include "render/scene/camera.h"

namespace ovrix::document {

/// Where a new light stands, and how large it is: above and to the side of something, and shining at its
/// middle. Lights without a place stay as they are, and so do all where the box is empty.
/// @param bounds  of what it shall light, in the world
void aimLight(Node& light, const Box3f& bounds);

/// With a new camera that sees what the options say, which the render looks through; else as the one before.
Document withCameraAt(const Document& document, const CameraOptions& options);

/// With the scene's camera sharp in the plane of a place in the world, by a key where it has some. Throws
/// Error where there is no camera, or the place lies behind it.
Document withFocusAt(const Document& document, const V3f& place, double frame);

}  // namespace ovrix::document
