// Placed shapes as the ray tracer takes them.
#pragma once
#include <embree3/rtcore.h>

#include <functional>

#include "base/vec.h"

namespace ovrix::render {

/// An instance of a scene, committed; the caller releases it.
/// @param steps   even times while the shutter is open
/// @param matrix  at each of them. One that has no inverse is made a little thick, and one that holds what is
/// no number a dot at the origin: the ray tracer ends the program on such.
RTCGeometry newInstance(RTCScene prototype, size_t steps, const std::function<M44f(size_t)>& matrix);

}  // namespace ovrix::render
