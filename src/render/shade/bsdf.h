// How a surface scatters light: a matt body under a rough shine, or metal.
#pragma once
#include "base/vec.h"

namespace ovrix::render {

/// Works tables out that shading looks up, which else happens at the first ray. Thread safe.
void prepareShading();

/// A surface at one point, in a frame whose z axis is the shading normal. Directions point away from the
/// surface and are unit vectors; wo lies above it (z > 0), and wi too, or below it where light shines through
/// a thin surface such as a leaf; else the value is 0.
///
/// Shine: GGX microfacets with height-correlated masking, sampled by visible normals (Heitz, "Sampling the
/// GGX Distribution of Visible Normals", JCGT 7(4), 2018), Schlick's Fresnel, and the energy that is lost
/// between microfacets given back (Turquin, "Practical Multiple Scattering Compensation for Microfacet
/// Models", 2019). Body: Lambert, with what the shine leaves over, part of it on
/// the other side. All const and thread safe.
class Bsdf {
  public:
    /// @param roughness 0 to 1, perceptual: the width of the lobe is its square
    /// @param specular  0 to 1; 0.5 reflects 4% at normal incidence
    /// @param translucency  part of the body's light that leaves on the other side, 0 to 1
    Bsdf(const Color& base, float roughness, float metalness, float specular, float translucency = 0.0f);

    struct Value {
        V3f f{0.0f, 0.0f, 0.0f};  ///< scattering function times the cosine of the incoming direction
        float pdf = 0.0f;         ///< of sample() giving wi, per steradian
    };
    Value evaluate(const V3f& wo, const V3f& wi) const;

    struct Sample {
        V3f wi{0.0f, 0.0f, 1.0f};
        V3f weight{0.0f, 0.0f, 0.0f};  ///< f over pdf; 0 when there is no light to be had
        float pdf = 0.0f;
    };
    Sample sample(const V3f& wo, float pick, float u, float v) const;

    /// Light scattered of light that comes evenly from everywhere, seen from wo.
    V3f albedo(const V3f& wo) const;

  private:
    V3f shine(const V3f& wo, const V3f& wi) const;
    float shinePdf(const V3f& wo, const V3f& wi) const;
    V3f shineAlbedo(float cosine) const;
    V3f bodyColor(float cosineOut) const;
    V3f bodyPart(float cosineIn) const;
    float shineShare(const V3f& wo) const;

    V3f base_, f0_, underMean_;  ///< underMean_: what the shine lets through, mean over all directions
    float f90_ = 1, alpha_, body_, through_;
};

}  // namespace ovrix::render
