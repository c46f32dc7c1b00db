// The soft rim of cloth, dust and down.
#pragma once
#include "render/shade/microfacet.h"

namespace ovrix::render {

/// Fibres that stand up from a surface, by an inverted distribution of normals: Estevez and Kulla,
/// "Production Friendly Microfacet Sheen BRDF", SIGGRAPH 2017 courses; with the smooth visibility of Neubelt
/// and Pettineo, "Crafting a Next-Gen Material Pipeline for The Order: 1886", SIGGRAPH 2013 courses. Alike
/// both ways. Directions in a frame whose z axis is the normal, above it. Thread safe.
struct Fuzz {
    float roughness = 0.5f;  ///< 0.05 to 1: a thin rim to a haze over all

    /// The scattering function times the cosine of wi, of white fibres.
    /// @param h  the unit vector between both
    float evaluate(const V3f& wo, const V3f& wi, const V3f& h) const;
    /// Light given back of light that comes evenly from everywhere; below 1.
    float albedo(float cosine) const;
    /// The same at the cosines of ShineTable::kMeanAt.
    std::array<float, ShineTable::kMeanOf> albedoAtMeans() const;
    /// Works out what albedo() looks up.
    static void prepare();
};

}  // namespace ovrix::render
