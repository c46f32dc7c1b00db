// Wavelengths: what an eye makes of them, and one for each path that colours part on.
#pragma once
#include "base/vec.h"

namespace ovrix::render {

/// The CIE 1931 observer's X, Y and Z at a wavelength in nanometres. By fits: Wyman, Sloan and Shirley,
/// "Simple Analytic Approximations to the CIE XYZ Color Matching Functions", JCGT 2(2), 2013.
V3d observedXyz(double nanometres);
/// Linear Rec.709 with its white; may be below 0.
V3d rgbOfXyz(const V3d& xyz);

/// A wavelength, drawn so that colours come out even: the part of red, green and blue that light of that
/// wavelength stands for over the chance to draw it. They sum to 3, so that only hues differ from path to
/// path.
struct Wavelength {
    float nanometres = 0.0f;  ///< 0 for all at once
    V3f part{1.0f, 1.0f, 1.0f};
    explicit operator bool() const { return nanometres > 0.0f; }
    /// @param u, v  even from 0 to 1
    static Wavelength draw(float u, float v);
};

/// The index of refraction at a wavelength after Cauchy, of matter that has @p ior for yellow light (587.6
/// nm).
/// @param abbe  Abbe's number: by how much less blue is bent than red; above 0, and less parts them more
float iorAt(float ior, float abbe, float nanometres);

}  // namespace ovrix::render
