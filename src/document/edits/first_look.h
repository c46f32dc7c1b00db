// What a scene shows when the first thing comes into it.
#pragma once
#include "base/progress.h"
#include "base/vec.h"
#include "document/model/document.h"

namespace ovrix::document {

/// What a new object will be like at frame 1, in its own space; empty for what is no mesh, or needs a file.
/// Throws Cancelled.
Box3f boundsAtFirst(const Document& document, const Node& node, Progress& progress);

/// Puts the only object of a scene on a neutral ground, in light from the side, and has the render's camera
/// see the whole of it from a little above. What was changed before stays: a sun or a camera that is no
/// longer as new scenes have it. What is flat itself gets no ground. The document as it is where other
/// objects are there, or the box is empty.
/// @param bounds  of the object, in the world
Document withFirstLook(const Document& document, const std::string& object, const Box3f& bounds);

}  // namespace ovrix::document
