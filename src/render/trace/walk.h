// Light on its way within cloudy matter: wax, skin, milk, the flesh of an anemone.
#pragma once
#include <functional>
#include <optional>

#include "render/scene/render_scene.h"
#include "render/trace/sampler.h"

namespace ovrix::render {

/// What light meets below a surface, for red, green and blue apart.
struct Cloudy {
    V3f density{1.0f, 1.0f, 1.0f};  ///< 1 / metres between two meetings
    V3f albedo{0.8f, 0.8f, 0.8f};   ///< of one meeting, 0 to 1
    float forward = 0.0f;           ///< -1 thrown back, 0 to everywhere alike, 1 straight on
    V3f color{0.8f, 0.8f, 0.8f};    ///< what a thick body gives back

    /// Such that a thick body gives back @p color of the light that enters it: the fit that the OpenPBR
    /// Surface specification has for it, after van de Hulst, "Multiple Light Scattering", 1980.
    /// @param radius  metres between two meetings; above 0
    static Cloudy of(const Color& color, const V3f& radius, float forward);
};

/// A path by chance from one side of matter to where it leaves. Distances are drawn for one of the colours
/// and weighed for all (Wilkie et al., "Hero Wavelength Spectral Sampling", EGSR 2014,
/// doi:10.1111/cgf.12419); directions are those of Henyey and Greenstein, "Diffuse Radiation in the
/// Galaxy", Astrophysical Journal 93, 1941. @p weight is multiplied by what is left of it.
/// @param meet  the boundary from within, up to a distance; its hit must be of a unit direction
/// @return where it comes out, and nothing where it is lost
struct WalkEnd {
    RayHit hit;
    Ray ray;            ///< the last one, which met the boundary
    bool open = false;  ///< it comes out where it entered: the matter is not closed, or the way too long
};
std::optional<WalkEnd> walk(const Cloudy& matter, const Ray& into, Sampler& sampler, V3f& weight,
                            const std::function<RayHit(const Ray&, float most)>& meet);

}  // namespace ovrix::render
