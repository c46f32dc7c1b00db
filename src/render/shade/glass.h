// What lets light through: a smooth or rough boundary between two clear media, or a thin pane.
#pragma once
#include "render/shade/microfacet.h"

namespace ovrix::render {

/// The fraction that is reflected where light meets a medium, polarisation left out: Fresnel's equations.
/// @param cosine  of the angle to the normal, above 0
/// @param eta     index of refraction beyond over that before; above 0
float fresnel(float cosine, float eta);

/// Light on a boundary by microfacets: Walter et al., "Microfacet Models for Refraction through Rough
/// Surfaces", EGSR 2007, doi:10.2312/EGWR/EGSR07/195-206. What is lost between facets is given back by the
/// share that a table has for the direction to the eye. Directions in a frame whose z axis is the normal; wo
/// lies above, wi above (reflected) or below (let through). Radiance is compressed by the square of the
/// index, as it is. Thread safe.
class Glass {
  public:
    Glass() = default;
    /// @param eta   index of refraction below over that above; above 0. Of a pane: that of its matter
    /// @param thin  a pane, which bends no light: what is reflected within it is counted
    /// @param tint  of what is let through
    Glass(const Microfacet& facets, float eta, bool thin, const V3f& tint);
    /// With a film on it. @param outer  index of refraction of what lies above
    void cover(const ThinFilm& film, float outer) { film_ = film, outer_ = outer; }

    struct Value {
        V3f f{0.0f, 0.0f, 0.0f};  ///< the scattering function times the cosine of wi
        float pdf = 0.0f;         ///< of sample(), per steradian
    };
    Value value(const V3f& wo, const V3f& wi) const;
    /// @param pick  even from 0 to 1. A direction of no length where there is none.
    V3f sample(const V3f& wo, float pick, float u, float v) const;
    /// Works out what the table holds.
    static void prepare();

  private:
    V3f reflected(float cosine) const;
    float kept(const V3f& wo) const;
    Value reflect(const V3f& wo, const V3f& wi) const;
    Value refract(const V3f& wo, const V3f& wi) const;

    Microfacet facets_;
    float eta_ = 1.5f;
    bool thin_ = false;
    ThinFilm film_;
    float outer_ = 1.0f;
    V3f tint_{1.0f, 1.0f, 1.0f};
};

}  // namespace ovrix::render
