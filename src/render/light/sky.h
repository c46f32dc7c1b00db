// Daylight: what air does to sunlight on its way.
#pragma once
#include "base/image.h"

namespace ovrix::render {

struct SkyOptions {
    float elevation = 0.6f;  ///< of the sun over the horizon, radians
    float azimuth = 0.0f;    ///< from +Z towards +X, radians
    float haze = 1.0f;       ///< 0 none, 1 a clear day
    Color ground{0.12f, 0.11f, 0.1f};
};

/// Unit vector towards the sun.
V3f sunDirection(float elevation, float azimuth);

/// Part of the sun's light that comes through the air from a height above the horizon, per colour.
Color sunThroughAir(float elevation, float haze);

/// Radiance of the sky in all directions as a latitude-longitude image, row 0 at the zenith, the middle
/// column towards +Z, for a sun of 1 above the air. Single scattering by air and haze, and absorption by
/// ozone, integrated along each ray: Nishita et al., "Display of the Earth Taking into Account Atmospheric
/// Scattering", SIGGRAPH 93, doi:10.1145/166117.166140. Light scattered more than once is added as an even
/// part of what was lost. Below the horizon lies the ground.
std::shared_ptr<const Image> makeSky(const SkyOptions& options);

}  // namespace ovrix::render
