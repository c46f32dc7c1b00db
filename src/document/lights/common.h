// What lights with a surface have in common.
#pragma once
#include "field/field.h"

namespace ovrix::document {

/// What a light with a surface gives.
struct EmissionParams {
    explicit EmissionParams(ParamTable& table);
    Handle<double> exposure, power;
    Handle<Color> color;
};

/// W/m2 per steradian.
V3f radianceOf(const ResolvedParams& values, const EmissionParams& params);
/// Says that it gives no light, and by which of its parameters; empty where it does.
std::string darkness(const ResolvedParams& values, const Handle<Color>& color);
std::string darkness(const ResolvedParams& values, const Handle<double>& strength,
                     const Handle<Color>& color);
std::string darkness(const ResolvedParams& values, const EmissionParams& params);
/// A circle about the origin through the ends of two axes of unit length, for outlines.
std::vector<V3f> circle(float radius, const V3f& x, const V3f& y);

}  // namespace ovrix::document
