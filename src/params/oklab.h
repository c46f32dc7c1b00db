// A space in which equal steps look equal: Ottosson, "A perceptual color space for image processing", 2020.
#pragma once
#include <cmath>

#include "base/vec.h"

namespace ovrix::params {

/// From linear Rec.709 to lightness, green to red, and blue to yellow.
inline V3f toOklab(const V3f& c) {
    const V3f eye(std::cbrt(0.4122214708f * c.x + 0.5363325363f * c.y + 0.0514459929f * c.z),
                  std::cbrt(0.2119034982f * c.x + 0.6806995451f * c.y + 0.1073969566f * c.z),
                  std::cbrt(0.0883024619f * c.x + 0.2817188376f * c.y + 0.6299787005f * c.z));
    return {0.2104542553f * eye.x + 0.7936177850f * eye.y - 0.0040720468f * eye.z,
            1.9779984951f * eye.x - 2.4285922050f * eye.y + 0.4505937099f * eye.z,
            0.0259040371f * eye.x + 0.7827717662f * eye.y - 0.8086757660f * eye.z};
}

/// Back; what lies outside of the colours that light can have is below 0.
inline V3f fromOklab(const V3f& c) {
    const auto cube = [](float x) { return x * x * x; };
    const V3f eye(cube(c.x + 0.3963377774f * c.y + 0.2158037573f * c.z),
                  cube(c.x - 0.1055613458f * c.y - 0.0638541728f * c.z),
                  cube(c.x - 0.0894841775f * c.y - 1.2914855480f * c.z));
    return {4.0767416621f * eye.x - 3.3077115913f * eye.y + 0.2309699292f * eye.z,
            -1.2684380046f * eye.x + 2.6097574011f * eye.y - 0.3413193965f * eye.z,
            -0.0041960863f * eye.x - 0.7034186147f * eye.y + 1.7076147010f * eye.z};
}

}  // namespace ovrix::params
