// What a scene shows when the first thing comes into it.
#pragma once
#include "base/vec.h"
#include "document/model/document.h"

namespace ovrix::document {

/// Puts the only object of a scene on a neutral ground, in light from the side, and has the render's camera
/// see the whole of it from a little above. What was changed before stays: a sun or a camera that is no
/// longer as new scenes have it. What is flat itself gets no ground. The document as it is where other
/// objects are there, or the box is empty.
/// @param bounds  of the object, in the world
Document withFirstLook(const Document& document, const std::string& object, const Box3f& bounds);

/// Where a new light stands, and how large it is: above and to the side of something, and shining at its
/// middle. Lights without a place stay as they are, and so do all where the box is empty.
/// @param bounds  of what it shall light, in the world
void aimLight(Node& light, const Box3f& bounds);

}  // namespace ovrix::document
