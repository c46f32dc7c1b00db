#include "render/light/spectrum.h"

#include <algorithm>
#include <cmath>

namespace ovrix::render {

namespace {

/// A bell that is wider on one side than on the other, of a wavelength in nanometres.
double bell(double wavelength, double middle, double below, double above) {
    const double t = (wavelength - middle) * (wavelength < middle ? below : above);
    return std::exp(-0.5 * t * t);
}

/// Hats over wavelengths for red, green and blue: what each begins with, is highest at, and ends with.
constexpr float kHats[3][3] = {{555.0f, 625.0f, 700.0f}, {470.0f, 540.0f, 615.0f}, {400.0f, 455.0f, 530.0f}};

/// As a density over nanometres.
float hat(int color, float nm) {
    const auto [from, top, to] = kHats[color];
    const float height = 2.0f / (to - from);
    if (nm <= from || nm >= to) return 0.0f;
    return height * (nm < top ? (nm - from) / (top - from) : (to - nm) / (to - top));
}

float drawHat(int color, float u) {
    const auto [from, top, to] = kHats[color];
    const float split = (top - from) / (to - from);
    return u < split ? from + std::sqrt(u * (to - from) * (top - from))
                     : to - std::sqrt((1.0f - u) * (to - from) * (to - top));
}

}  // namespace

V3d observedXyz(double nm) {
    return {0.362 * bell(nm, 442.0, 0.0624, 0.0374) + 1.056 * bell(nm, 599.8, 0.0264, 0.0323) -
                0.065 * bell(nm, 501.1, 0.0490, 0.0382),
            0.821 * bell(nm, 568.8, 0.0213, 0.0247) + 0.286 * bell(nm, 530.9, 0.0613, 0.0322),
            1.217 * bell(nm, 437.0, 0.0845, 0.0278) + 0.681 * bell(nm, 459.0, 0.0385, 0.0725)};
}

V3d rgbOfXyz(const V3d& xyz) {
    return {3.2404542 * xyz.x - 1.5371385 * xyz.y - 0.4985314 * xyz.z,
            -0.9692660 * xyz.x + 1.8760108 * xyz.y + 0.0415560 * xyz.z,
            0.0556434 * xyz.x - 0.2040259 * xyz.y + 1.0572252 * xyz.z};
}

Wavelength Wavelength::draw(float u, float v) {
    Wavelength w;
    w.nanometres = drawHat(std::min(int(u * 3.0f), 2), v);
    float sum = 0.0f;
    for (int k = 0; k < 3; ++k) sum += w.part[k] = hat(k, w.nanometres);
    if (sum > 0.0f)
        w.part *= 3.0f / sum;
    else
        w.part = V3f(1.0f);  // at the very end of a hat
    return w;
}

float iorAt(float ior, float abbe, float nm) {
    constexpr float kBlue = 486.13f, kYellow = 587.56f, kRed = 656.27f;
    const auto inverse2 = [](float x) { return 1.0f / (x * x); };
    const float b = (ior - 1.0f) / (abbe * (inverse2(kBlue) - inverse2(kRed)));
    return std::clamp(ior + b * (inverse2(nm) - inverse2(kYellow)), 1.0f, 4.0f);
}

}  // namespace ovrix::render
