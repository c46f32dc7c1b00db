// What lights with a surface have in common.
#pragma once
#include "field/field.h"

namespace ovrix::document {

/// From "power", "exposure" and "color": W/m2 per steradian.
V3f radianceOf(const ResolvedParams& params);
/// Says that it gives no light, and by which of "power", "strength" and "color"; empty where it does.
std::string darkness(const ResolvedParams& params);
/// A circle about the origin through the ends of two axes of unit length, for outlines.
std::vector<V3f> circle(float radius, const V3f& x, const V3f& y);

}  // namespace ovrix::document
