// Lights and cameras that are pointed at something.
#pragma once
#include "base/vec.h"
#include "document/model/document.h"
#include "render/finish/steps/finish_steps.h"
#include "render/scene/camera.h"

namespace ovrix::document {

/// Where a new light stands, and how large it is: above and to the side of something, and shining at its
/// middle. Lights without a place stay as they are, and so do all where the box is empty.
/// @param bounds  of what it shall light, in the world
void aimLight(Node& light, const Box3f& bounds);

/// Throws Error on what is carried, or goes along a curve: where it stands says nothing of its own.
void requireOwnPlace(const Document& document, const std::string& id);

/// With a light that stands in one place and shines at another, upright; a sun shines from there. By keys
/// where it has some. Throws Error on what is no light, shines from everywhere, follows another, or is
/// carried.
Document withLightAimed(const Document& document, const std::string& light, const V3f& from, const V3f& at,
                        double frame);
/// The light as far away as it was, where its mirror image lies on a place as an eye sees it.
/// @param normal  of the place; a unit vector on any side
Document withHighlightAt(const Document& document, const std::string& light, const V3f& place,
                         const V3f& normal, const V3f& eye, double frame);
/// The light as far away as it was, where it throws the shadow of one place on another.
Document withShadowAt(const Document& document, const std::string& light, const V3f& of, const V3f& to,
                      double frame);

/// With a new camera that sees what the options say, which the render looks through; else as the one before.
Document withCameraAt(const Document& document, const CameraOptions& options);

/// With the scene's camera sharp in the plane of a place in the world, by a key where it has some. Throws
/// Error where there is no camera, or the place lies behind it.
Document withFocusAt(const Document& document, const V3f& place, double frame);
/// With the scene's camera sharp where an object goes, or an element of a layer. Throws Error where there is
/// no camera.
Document withFocusOn(const Document& document, const std::string& on, const std::string& element,
                     double frame);

/// The finish makes white of the light that the balance tells: by the first of its steps that does, or a new
/// one before all others.
Document withWhiteBalance(const Document& document, const WhiteBalance& balance);

/// Lights and what glows, of the group that a step of the finish changes, take its change over as their own
/// exposure and colour, and the step goes. Throws Error where nothing is of that group, the step is off,
/// masked or changes with time, or what it would change does.
Document withBalanceWritten(const Document& document, const std::string& step);

}  // namespace ovrix::document
