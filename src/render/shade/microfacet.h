// Rough shine by microfacets, and how much light it gives back in all.
#pragma once
#include <algorithm>
#include <array>

#include "render/shade/thin_film.h"

namespace ovrix::render {

/// As std::clamp(), and @p low for what is no number: fields give anything.
inline float within(float x, float low, float high) { return x > low ? std::min(x, high) : low; }

inline float fifthPower(float x) {
    const float x2 = x * x;
    return x2 * x2 * x;
}

/// A distribution of facets by GGX, wider along one axis than along the other: Walter et al., "Microfacet
/// Models for Refraction through Rough Surfaces", EGSR 2007, doi:10.2312/EGWR/EGSR07/195-206; masking that
/// goes by both directions' heights, and facets drawn as they are seen: Heitz, "Sampling the GGX Distribution
/// of Visible Normals", JCGT 7(4), 2018. Directions in a frame whose z axis is the normal. Thread safe.
struct Microfacet {
    float alphaX = 1.0f, alphaY = 1.0f;

    /// @param roughness   0 to 1, perceptual: the width is its square
    /// @param anisotropy  0 to 1: alike both ways, or a streak along y as the facets' slopes narrow there;
    /// widths as the OpenPBR specification has them
    static Microfacet of(float roughness, float anisotropy = 0.0f);
    /// One width that counts for both in tables.
    float width() const { return std::sqrt(alphaX * alphaY); }
    /// The width that tells what is seen of the facets from w: along it where it is low, and rather too
    /// narrow, so that no light is made.
    /// @param width  as above
    float widthSeen(const V3f& w, float width) const {
        const float flat = w.x * w.x + w.y * w.y;
        if (flat <= 0.0f) return width;
        const float along2 = (alphaX * alphaX * w.x * w.x + alphaY * alphaY * w.y * w.y) / flat;
        return std::min(width, lerp(width, std::sqrt(along2), flat));
    }
    float lambda(const V3f& w) const {
        const float slope = (alphaX * alphaX * w.x * w.x + alphaY * alphaY * w.y * w.y) / (w.z * w.z);
        return 0.5f * (std::sqrt(1.0f + slope) - 1.0f);
    }
    float density(const V3f& h) const {
        const float x = h.x / alphaX, y = h.y / alphaY, d = x * x + y * y + h.z * h.z;
        return 1.0f / (kPi * alphaX * alphaY * d * d);
    }
    /// Fraction of facets that both see.
    float seenByBoth(const V3f& wo, const V3f& wi) const { return 1.0f / (1.0f + lambda(wo) + lambda(wi)); }
    /// A facet's normal, as often as it is seen from wo.
    V3f sample(const V3f& wo, float u, float v) const;
    /// Of sample(): per steradian of the facet's normal.
    float pdf(const V3f& wo, const V3f& h) const {
        return density(h) * std::max(0.0f, wo.dot(h)) / ((1.0f + lambda(wo)) * wo.z);
    }
};

/// Light that a bare shine gives back, of light that comes evenly from everywhere, over the cosine of the
/// direction to the eye and the width: f0 * x + f90 * y. Worked out once. Thread safe.
class ShineTable {
  public:
    static const ShineTable& get() {
        static const ShineTable& table = made();
        return table;
    }
    V2f at(float cosine, float width) const { return atRow(cosine, rowOf(width)); }
    /// Where the table has a width.
    static float rowOf(float width) { return std::sqrt(width) * (kSize - 1); }
    V2f atRow(float cosine, float row) const;
    /// Cosines at which a mean over all directions is asked for, and their weights in it: Gauss's of three
    /// places, by the cosine.
    static constexpr int kMeanOf = 3;
    static constexpr float kMeanAt[kMeanOf] = {0.1127016654f, 0.5f, 0.8872983346f};
    static constexpr float kMeanWeight[kMeanOf] = {5.0f / 9.0f * kMeanAt[0], 8.0f / 9.0f * kMeanAt[1],
                                                   5.0f / 9.0f * kMeanAt[2]};
    /// At those.
    std::array<V2f, kMeanOf> atMeans(float row) const;
    /// Its mean over all directions, weighted by their cosines.
    V2f mean(float row) const;

  private:
    ShineTable();
    static const ShineTable& made();
    static constexpr int kSize = 48, kSide = 32;
    V2f cell(int r, int c) const { return cells_[size_t(r) * kSize + size_t(c)]; }
    void integrate(int r, int c);
    std::array<V2f, size_t(kSize) * kSize> cells_;
    std::array<V2f, size_t(kSize)> means_;
    std::array<std::array<V2f, kMeanOf>, size_t(kSize)> atMeans_;
};

/// What a film on a shine changes: a part of it is as the film reflects over what is below.
struct FilmedShine {
    ThinFilm film;
    float outer = 1.0f;                       ///< index of what lies above
    V3f dielectric{0, 0, 0}, metal{0, 0, 0};  ///< how much of each is below; that of the film's colours
    float ior = 1.5f;                         ///< of the dielectric, over that above
    V3f f0{0, 0, 0};                          ///< of the metal
    V3f at(float cosine) const {
        V3f out(0.0f);
        if (dielectric != V3f(0.0f)) out += dielectric * film.overDielectric(cosine, outer, ior);
        if (metal != V3f(0.0f)) out += metal * film.overMetal(cosine, outer, f0);
        return out;
    }
};

/// A shine: facets that reflect by Schlick's Fresnel, f0 head on and f90 at the rim, and what is lost between
/// facets given back alike both ways (Kulla and Conty, "Revisiting Physically Based Shading at Imageworks",
/// SIGGRAPH 2017 courses). Directions as for Microfacet, both above the surface. Thread safe.
class Shine {
  public:
    Shine() = default;
    /// @param rim  how much darker towards the rim: see Fresnel in the code
    Shine(const Microfacet& facets, const V3f& f0, float f90, const V3f& rim = V3f(0.0f));
    Shine times(float weight) const { return Shine(*this, weight); }
    /// With a part of another, on the same facets.
    Shine plus(const Shine& other, float part) const;
    /// With a film on it. Light in all is then that at the mean angle of the facets that are seen.
    void cover(const FilmedShine& film) { film_ = film; }
    /// What the table has for a direction: looked up once for all that is asked of it, here and of a shine on
    /// the same facets.
    V2f seen(const V3f& w) const {
        return ShineTable::get().atRow(w.z, even() ? row_ : ShineTable::rowOf(facets_.widthSeen(w, width_)));
    }
    /// The same at the cosines of ShineTable::kMeanAt; between both widths, where the mean of them is seen.
    std::array<V2f, ShineTable::kMeanOf> seenAtMeans() const { return ShineTable::get().atMeans(row_); }
    /// What value() asks of the direction to the eye.
    struct Out {
        V2f seen{0, 0};
        float lambda = 0;
    };
    float lambda(const V3f& w) const { return facets_.lambda(w); }
    struct Value {
        V3f f{0.0f, 0.0f, 0.0f};  ///< the scattering function times the cosine of wi
        float pdf = 0.0f;         ///< of sample(), per steradian
    };
    /// @param h  the unit vector between both
    Value value(const V3f& wo, const Out& out, const V3f& wi, const V2f& seenIn, const V3f& h) const;
    /// Light given back of light from everywhere; without the darker rim.
    V3f albedo(const V2f& seen) const {
        const V3f bare = f0_ * seen.x + V3f(f90_ * seen.y) + many_ * std::max(0.0f, 1.0f - seen.x - seen.y);
        return film_.film.weight > 0.0f ? filmed(bare, seen) : bare;
    }
    V3f meanAlbedo() const { return albedo(mean_); }
    V3f sample(const V3f& wo, float u, float v) const;

  private:
    Shine(const Shine& s, float weight);
    V3f filmed(const V3f& bare, const V2f& seen) const;
    float meanSeen() const { return std::min(1.0f, mean_.x + mean_.y); }
    bool even() const { return facets_.alphaX == facets_.alphaY; }
    Microfacet facets_;
    FilmedShine film_;
    V3f f0_{0.0f, 0.0f, 0.0f}, rim_{0.0f, 0.0f, 0.0f};
    V3f many_{0.0f, 0.0f, 0.0f};  ///< of light that meets several facets, what is given back
    float f90_ = 1.0f, width_ = 1.0f, row_ = 0.0f;
    V2f mean_{1.0f, 0.0f};  ///< of seen(), over all directions by their cosines
};

}  // namespace ovrix::render
