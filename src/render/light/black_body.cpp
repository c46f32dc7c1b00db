#include "render/light/black_body.h"

#include <algorithm>
#include <cmath>

#include "render/light/spectrum.h"

namespace ovrix::render {

Color blackBody(float kelvin) {
    const double t = kelvin > 1000.0f ? std::min(double(kelvin), 40000.0) : 1000.0;
    constexpr double kSecond = 1.438777e7;  // Planck's second constant, in nanometres times kelvin
    V3d xyz(0.0);
    for (int step = 0; step <= 94; ++step) {  // from 360 to 830 nanometres
        const double nm = 360.0 + 5.0 * step;
        xyz += observedXyz(nm) / (std::pow(nm / 560.0, 5.0) * std::expm1(kSecond / (nm * t)));
    }
    xyz /= xyz.y;
    V3d rgb = rgbOfXyz(xyz);
    for (int k = 0; k < 3; ++k) rgb[k] = std::max(0.0, rgb[k]);
    const double bright = 0.2126 * rgb.x + 0.7152 * rgb.y + 0.0722 * rgb.z;
    return Color(V3f(rgb / bright));
}

}  // namespace ovrix::render
