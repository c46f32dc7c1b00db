// The colour of what glows by its heat.
#pragma once
#include "base/vec.h"

namespace ovrix::render {

/// Of white light, as rendering counts both: Ward, "The RADIANCE Lighting Simulation and Rendering System",
/// SIGGRAPH 94, doi:10.1145/192161.192286.
constexpr float kLumensPerWatt = 179.0f;

/// Linear Rec.709 of a luminance of 1, by Planck's law; what lies outside of its colours is brought to their
/// edge.
/// @param kelvin  from 1000 to 40000, and taken as that where it lies outside
Color blackBody(float kelvin);

}  // namespace ovrix::render
