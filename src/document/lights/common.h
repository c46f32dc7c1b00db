// What lights with a surface have in common.
#pragma once
#include "document/model/node_types.h"
#include "render/light/lights.h"

namespace ovrix::document {

/// What a light with a surface gives.
struct EmissionParams {
    explicit EmissionParams(ParamTable& table);
    Handle<double> exposure, power;
    Handle<std::string> unit;
    Handle<Color> color;
    Handle<double> temperature;
};

/// The name of a group of lights, whose light a render keeps apart.
ParamSpec lightGroupSpec(const std::string& id);

/// Who sees a light, and what it lights.
struct LightUseParams {
    explicit LightUseParams(ParamTable& table);
    Handle<bool> seen, shadows;
    Handle<std::string> lit;
    Handle<Refs> linked;
    Handle<std::string> group;
};

/// Whether a light is not kept off an object or layer by its own choice.
bool mayLight(const Document& document, const Node& light, const std::string& id, double frame);

/// The light as it is used.
Light used(const LightInput& in, const LightUseParams& params, Light light);

/// W/m2 per steradian.
/// @param area  square metres that shine
V3f radianceOf(const ResolvedParams& values, const EmissionParams& params, float area);
/// Says that it gives no light, and by which of its parameters; empty where it does.
std::string darkness(const ResolvedParams& values, const Handle<Color>& color);
std::string darkness(const ResolvedParams& values, const Handle<double>& strength,
                     const Handle<Color>& color);
std::string darkness(const ResolvedParams& values, const EmissionParams& params);
/// A circle about the origin through the ends of two axes of unit length, for outlines.
std::vector<V3f> circle(float radius, const V3f& x, const V3f& y);

}  // namespace ovrix::document
