// How a surface scatters light: fuzz over a coat over a shine over a body, or metal.
#pragma once
#include "render/shade/fuzz.h"
#include "render/shade/glass.h"
#include "render/shade/microfacet.h"

namespace ovrix::render {

/// Works tables out that shading looks up, which else happens at the first ray. Thread safe.
void prepareShading();

/// What a layered surface is made of, by the open OpenPBR Surface specification (Academy Software Foundation,
/// version 1.1); numbers are from 0 to 1 where nothing else is said. A body of a colour alone by itself.
struct SurfaceLayers {
    Color base{0.5f};
    float diffuseRoughness = 0.0f;  ///< 0 as chalk on paper, 1 as dust
    float metalness = 0.0f;
    float specularWeight = 0.0f;  ///< of the shine of what is no metal; 2 at most
    Color specularColor{1.0f};    ///< of the shine; of metal, at its rim
    float roughness = 0.3f, anisotropy = 0.0f;
    float ior = 1.5f;           ///< index of refraction, 1 to 4
    float translucency = 0.0f;  ///< part of the body's light that leaves on the other side
    float coatWeight = 0.0f, coatRoughness = 0.0f, coatIor = 1.6f, coatDarkening = 1.0f;
    Color coatColor{1.0f};
    float transmissionWeight = 0.0f;  ///< how much of what is no metal is clear
    Color transmissionTint{1.0f};     ///< of light that it lets through at its boundary
    bool thinWalled = false;          ///< a pane, with the same on both sides
    bool inside = false;              ///< whether wo lies within it
    float outerIor = 1.0f;            ///< of what is around it
    float fuzzWeight = 0.0f, fuzzRoughness = 0.5f;
    Color fuzzColor{1.0f};
    ThinFilm film = {};             ///< under the coat
    float subsurfaceWeight = 0.0f;  ///< how much of the body's light goes on beneath
};

/// What lies between two: each number, and those things that are one or the other by which there is more of.
SurfaceLayers mixed(const SurfaceLayers& a, const SurfaceLayers& b, float t);

/// A surface at one point, in a frame whose z axis is the shading normal and whose x axis is across its
/// streaks. Directions point away from the surface and are unit vectors; wo lies above it (z > 0), and wi
/// too, or below it where light shines through a thin surface or goes on into clear matter; else the value is
/// 0.
///
/// Shine: see there; of metal with the specification's tint at the rim. Body: Lambert's, or rough and
/// energy-preserving (Portsmouth, Kutz and Hill, "EON: A Practical Energy-Preserving Rough Diffuse BRDF",
/// JCGT 14(1), 2025). What an upper layer leaves over reaches the one below, and nothing is lost: the body in
/// a way that is alike both ways, a shine below a coat or fuzz by what they leave of the way to the eye
/// alone, which is all that paths from the eye ask for. All const and thread safe.
class Bsdf {
  public:
    explicit Bsdf(const SurfaceLayers& layers);

    /// What is known of one direction, and is looked up once.
    struct Side {
        V2f shine{0, 0}, coat{0, 0};
        float fuzz = 0;
    };
    enum Lobe { kFuzz, kCoat, kShine, kGlass, kBody, kBeneath, kLobes };
    /// All that depends on the direction to the eye alone: worked out once for all that is asked from there.
    struct From {
        V3f wo;
        Side side;
        float shineLambda = 0, coatLambda = 0;  ///< of the facets of both shines
        V3f left;                               ///< for the body
        V3f body;                               ///< what it gives of what is left of light that comes
        float coat = 0;                         ///< what the coat gives back
        float belowFuzz = 1, belowCoat = 1;     ///< what comes through
        std::array<float, kLobes> chance{};
    };
    From from(const V3f& wo) const;

    struct Value {
        V3f f{0.0f, 0.0f, 0.0f};      ///< scattering function times the cosine of the incoming direction
        V3f broad{0.0f, 0.0f, 0.0f};  ///< what of it is no shine's nor of clear matter
        float pdf = 0.0f;             ///< of sample() giving wi, per steradian
    };
    /// What of a value is given by matt bodies, fuzz, shines and the outside of what is clear, the coat, and
    /// by what comes through what is clear.
    using Components = std::array<V3f, 5>;
    /// @param components  receives them; null where nobody asks
    Value evaluate(const From& from, const V3f& wi, Components* components = nullptr) const;
    Value evaluate(const V3f& wo, const V3f& wi) const { return evaluate(from(wo), wi); }

    struct Sample {
        V3f wi{0.0f, 0.0f, 1.0f};
        V3f weight{0.0f, 0.0f, 0.0f};  ///< f over pdf; 0 when there is no light to be had
        float pdf = 0.0f;
        bool refracted = false;  ///< it goes on into, or out of, clear matter
        bool broad = false;      ///< drawn by what is no shine
        bool beneath = false;    ///< it goes on within the body, which evaluate() knows nothing of
    };
    /// @param components  as of evaluate(), of the way that it takes
    Sample sample(const From& from, float pick, float u, float v, Components* components = nullptr) const;
    Sample sample(const V3f& wo, float pick, float u, float v) const { return sample(from(wo), pick, u, v); }

    /// Whether light that comes from below counts.
    bool twoSided() const { return through_ > 0.0f || glassWeight_ > 0.0f; }

    /// Light scattered of light that comes evenly from everywhere, seen from wo; an estimate where there are
    /// several layers.
    V3f albedo(const V3f& wo) const;

  private:
    Side sideOf(const V3f& w) const;
    float fuzzAlbedo(const Side& side) const { return fuzzWeight_ * side.fuzz; }
    float coatAlbedo(const Side& side) const;
    V3f shineAlbedo(const Side& side) const;
    V3f left(const Side& side) const;
    V3f body(const From& from, const V3f& wi, const V3f& leftIn) const;
    V3f bodyAlbedo(const V3f& left) const { return base_ * coatTint_ * left * body_; }
    void addFilm(const SurfaceLayers& layers, const V3f& dielectric);
    Shine metalShine(const Microfacet& facets, const SurfaceLayers& layers) const;
    void addCoat(const SurfaceLayers& layers, const V3f& dielectric);
    V3f meanLeft() const;
    V3f sampleLobe(Lobe lobe, const V3f& wo, float pick, float u, float v) const;

    V3f base_, underMean_;  ///< underMean_: what reaches the body, mean over all directions
    float body_ = 1, beneath_ = 0, through_ = 0, diffuseRoughness_ = 0;
    Shine shine_, over_;  ///< over_: what of it covers the body
    bool shines_ = false, covered_ = false;
    // Coat and fuzz; weights of 0 cost a comparison.
    float coatWeight_ = 0;
    V3f coatTint_{1.0f, 1.0f, 1.0f};  ///< of light that passes it on its way in and out
    Shine coat_;
    float glassWeight_ = 0;
    Glass glass_;
    float fuzzWeight_ = 0;
    V3f fuzzColor_{1.0f, 1.0f, 1.0f};
    Fuzz fuzz_;
};

}  // namespace ovrix::render
