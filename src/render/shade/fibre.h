// How a hair, a fibre or a thread scatters light.
#pragma once
#include <array>
#include <memory>
#include <vector>

#include "base/lanes.h"
#include "base/vec.h"

namespace ovrix::render {

/// What of a fibre does not change from point to point. Immutable, thread safe.
class FibreShape {
  public:
    /// @param ior    refraction, above 1
    /// @param shift  radians: tilt of the scales, towards the root
    FibreShape(float ior, float shift);

    float ior() const { return ior_; }
    float shift() const { return shift_; }
    /// Of the angle by which the scales turn each lobe.
    Float4 sinTilt() const { return sinTilt_; }
    Float4 cosTilt() const { return cosTilt_; }
    /// Factor for an outgoing direction that keeps energy; without a shift for incoming ones too: see Fibre.
    float balance(float sinTheta, float cosTheta, float h, float roughness) const;

  private:
    static constexpr int kAngles = 48, kOffsets = 12, kRoughnesses = 12;
    void fill(int roughness, const std::array<float, 4>& variances);
    float ior_, shift_;
    Float4 sinTilt_, cosTilt_;
    std::vector<float> balance_;
};

/// The pigments of hair as absorption for each radius of a strand, linear red, green, blue.
/// @param melanin 0 none to 1 black  @param redness share of the red pigment, 0 to 1
/// Spectra of both from d'Eon et al. 2011 (below).
V3f absorptionOfMelanin(float melanin, float redness);
/// The absorption by which many strands in even light get a colour, by the fit of Chiang et al. 2016 (below).
V3f absorptionOfColor(const Color& color, float roughnessAround);
/// The other way round.
Color colorOfAbsorption(const V3f& absorption, float roughnessAround);

/// A fibre at one point of its width, in a frame whose x axis runs along it. Directions point away from it
/// and are unit vectors; any direction is allowed.
///
/// Lobes for light that is reflected, passes through, is reflected once inside, and all the rest.
/// Longitudinal lobes of d'Eon, Francois, Hill, Letteri, Aubry, "An Energy-Conserving Hair Reflectance
/// Model", EGSR 2011, doi:10.1111/j.1467-8659.2011.01976.x; azimuthal lobes, offsets across the width and
/// roughness as an artist sets it of Chiang, Bitterli, Tappan, Burley, "A Practical and Controllable Hair and
/// Fur Model for Production Path Tracing", EGSR 2016, doi:10.1111/cgf.12830. Attenuation goes by the angle
/// between both directions (Marschner et al., SIGGRAPH 2003, doi:10.1145/882262.882345), so that without a
/// shift of the scales both may be exchanged (with h to -h); a factor for either direction, found by
/// alternating normalisation (Sinkhorn and Knopp, Pacific J. Math. 21(2), 1967), gives back the energy that
/// this alone would lose at grazing angles. With a shift it is for the outgoing direction alone. Const and
/// thread safe.
class Fibre {
  public:
    struct Options {
        V3f absorption{0, 0, 0};
        float roughness = 0.3f;        ///< along, 0 to 1
        float roughnessAround = 0.3f;  ///< 0 to 1
        float specular = 1.0f;         ///< factor on the first and third lobe, 0 to 1
        V3f innerTint{1, 1, 1};        ///< of the third lobe, the second highlight; 0 to 1
        bool draft = false;  ///< a matt body and one shine by the angle to the tangent: Kajiya and Kay,
                             ///< "Rendering Fur with Three Dimensional Textures", SIGGRAPH 89,
                             ///< doi:10.1145/74334.74361
        Color base{0.5f};    ///< of the draft's body
    };
    /// @param h  place across the width, -1 to 1, along the frame's y axis, seen from the outgoing direction
    /// @param shape  must outlive this
    Fibre(const FibreShape& shape, const Options& options, float h);

    static constexpr int kLobes = 4;  ///< reflected, through, inner, rest
    struct Value {
        V3f f{0, 0, 0};    ///< light scattered per solid angle: its integral over the sphere is the albedo
        float pdf = 0.0f;  ///< of sample() giving wi, per steradian
        std::array<V3f, kLobes> lobe;  ///< parts of f
    };
    Value evaluate(const V3f& wo, const V3f& wi) const;

    struct Sample {
        V3f wi{0, 0, 1};
        V3f weight{0, 0, 0};  ///< f over pdf
        float pdf = 0.0f;
        std::array<V3f, kLobes> lobes;  ///< parts of the weight, where the pdf is not 0
    };
    Sample sample(const V3f& wo, float pick, float u, float v) const;

    /// The same of a fibre that is seen as a whole, so that its own offset is any: the mean over four that
    /// lie evenly across the width, its own among them. What is drawn is drawn by its own, and weighed by the
    /// mean. It is the light of all of them with a part of the noise.
    Value evaluateWhole(const V3f& wo, const V3f& wi) const;
    Sample sampleWhole(const V3f& wo, float pick, float u, float v) const;

    /// One whose lobes are at least as wide, along and around: the same light, less bundled.
    /// @param roughness  0 to 1
    Fibre softened(float roughness) const;

  private:
    Fibre at(float h) const;
    void setWidths(float roughness, float scale);
    struct Attenuation;
    void refract(float cosThetaD, float sin2ThetaD, float& sinGammaT, float& path) const;
    Attenuation attenuation(float cosThetaD, float sin2ThetaD) const;
    std::array<float, kLobes> mix(float cosThetaO, float sinThetaO) const;
    Value evaluate(const V3f& wo, const V3f& wi, const std::array<float, kLobes>& share) const;
    V3f directionOf(size_t lobe, const V3f& wo, float pick, float u, float v) const;
    Value draft(const V3f& wo, const V3f& wi) const;

    const FibreShape& shape_;
    V3f absorption_, base_, innerTint_;
    float h_, cosGammaO_, gammaO_, specular_, roughness_, scale_;
    float logisticLow_, logisticRange_;  // of the distribution that is cut to a full turn
    bool draft_;
    Float4 inverse_, longitudinal_;  // of the longitudinal lobes: 1 / variance, scale
};

}  // namespace ovrix::render
