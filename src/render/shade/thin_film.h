// Colours of films about as thin as light's waves: oil on water, soap, tarnish, the inside of a shell.
#pragma once
#include "base/vec.h"

namespace ovrix::render {

/// A film on a boundary. Thread safe.
struct ThinFilm {
    float weight = 0.0f;       ///< 0 to 1: how much of the boundary it covers
    float micrometres = 0.5f;  ///< how thick it is
    float ior = 1.4f;          ///< over that of what lies above; above 0

    /// The fraction of light that is reflected in linear red, green and blue, 0 to 1: all orders of what goes
    /// back and forth within the film, for wavelengths as an eye sees them. The sum over orders is Airy's, as
    /// a series in the cosine of the phase, whose terms are integrated over wavelengths beforehand: after
    /// Belcour and Barla, "A Practical Extension to Microfacet Theory for the Modeling of Varying
    /// Iridescence", ACM TOG 36(4), 2017, doi:10.1145/3072959.3073620.
    /// @param cosine   of the angle to the normal, 0 to 1
    /// @param outer    index of refraction of what lies above
    /// @param baseIor  of what lies below, over that above
    V3f overDielectric(float cosine, float outer, float baseIor) const;
    /// The same over metal that reflects @p f0 head on.
    V3f overMetal(float cosine, float outer, const V3f& f0) const;

    /// Works out what the table holds.
    static void prepare();
};

}  // namespace ovrix::render
