#include "render/shade/bsdf.h"

namespace ovrix::render {

namespace {

V3f positive(const V3f& v) { return V3f(std::max(0.0f, v.x), std::max(0.0f, v.y), std::max(0.0f, v.z)); }
V3f in01(const Color& c) {
    return V3f(within(c.x, 0.0f, 1.0f), within(c.y, 0.0f, 1.0f), within(c.z, 0.0f, 1.0f));
}
float in01(float x) { return within(x, 0.0f, 1.0f); }

/// What is reflected head on where two media meet.
float headOn(float ior) {
    const float r = (ior - 1.0f) / (ior + 1.0f);
    return r * r;
}

/// The rough body of Portsmouth, Kutz and Hill: light given back of light from everywhere, at full albedo.
namespace rough_body {
constexpr float kA = 0.5f - 2.0f / (3.0f * kPi), kMean = 2.0f / 3.0f - 28.0f / (15.0f * kPi);
float albedo(float cosine, float roughness) {
    const float x = 1.0f - cosine;  // the paper's fit
    const float g = x * (0.0571085289f + x * (0.491881867f + x * (-0.332181442f + x * 0.0714429953f)));
    return (1.0f + roughness * g) / (1.0f + kA * roughness);
}
/// The scattering function; both directions on one side.
V3f value(const V3f& color, float roughness, const V3f& wo, const V3f& wi) {
    const float a = 1.0f / (1.0f + kA * roughness), s = wi.dot(wo) - wi.z * wo.z;
    const float once = a * (1.0f + roughness * (s > 0.0f ? s / std::max(wi.z, wo.z) : s));
    const float mean = a * (1.0f + kMean * roughness);
    const float lost = std::max(1e-7f, 1.0f - albedo(wo.z, roughness)) *
                       std::max(1e-7f, 1.0f - albedo(wi.z, roughness)) / std::max(1e-7f, 1.0f - mean);
    V3f out;
    for (int k = 0; k < 3; ++k) {
        const float many = color[k] * color[k] * mean / (1.0f - color[k] * std::max(0.0f, 1.0f - mean));
        out[k] = (color[k] * once + many * lost) / kPi;
    }
    return out;
}
}  // namespace rough_body

}  // namespace

void prepareShading() {
    ShineTable::get();
    Fuzz::prepare();
    Glass::prepare();
    ThinFilm::prepare();
}

SurfaceLayers mixed(const SurfaceLayers& a, const SurfaceLayers& b, float t) {
    SurfaceLayers l = t < 0.5f ? a : b;
    for (float SurfaceLayers::*x :
         {&SurfaceLayers::diffuseRoughness, &SurfaceLayers::metalness, &SurfaceLayers::specularWeight,
          &SurfaceLayers::roughness, &SurfaceLayers::anisotropy, &SurfaceLayers::ior,
          &SurfaceLayers::translucency, &SurfaceLayers::coatWeight, &SurfaceLayers::coatRoughness,
          &SurfaceLayers::coatIor, &SurfaceLayers::coatDarkening, &SurfaceLayers::transmissionWeight,
          &SurfaceLayers::fuzzWeight, &SurfaceLayers::fuzzRoughness, &SurfaceLayers::subsurfaceWeight})
        l.*x = lerp(a.*x, b.*x, t);
    for (Color SurfaceLayers::*x :
         {&SurfaceLayers::base, &SurfaceLayers::specularColor, &SurfaceLayers::coatColor,
          &SurfaceLayers::transmissionTint, &SurfaceLayers::fuzzColor})
        l.*x = Color(V3f(a.*x) * (1.0f - t) + V3f(b.*x) * t);
    l.film.weight = lerp(a.film.weight, b.film.weight, t);
    l.film.micrometres = lerp(a.film.micrometres, b.film.micrometres, t);
    l.film.ior = lerp(a.film.ior, b.film.ior, t);
    return l;
}

Bsdf::Bsdf(const SurfaceLayers& l) : base_(in01(l.base)) {
    const float metal = in01(l.metalness), ior = within(l.ior, 1.0f, 4.0f);
    coatWeight_ = l.inside ? 0.0f : in01(l.coatWeight);  // which lie on the outer side
    fuzzWeight_ = l.inside ? 0.0f : in01(l.fuzzWeight);
    glassWeight_ = (1.0f - metal) * in01(l.transmissionWeight);
    body_ = (1.0f - metal) * (1.0f - in01(l.transmissionWeight));
    through_ = in01(l.translucency);
    beneath_ = l.inside ? 0.0f : body_ * in01(l.subsurfaceWeight);
    diffuseRoughness_ = in01(l.diffuseRoughness);
    // Below a coat the shine meets the coat, and not the air; and light comes to it spread by the coat.
    const float coatIor = within(l.coatIor, 1.0f, 4.0f), below = ior / coatIor;
    const float met = lerp(ior, below < 1.0f ? 1.0f / below : below, coatWeight_);
    const V3f dielectric =
        in01(l.specularColor) * std::min(1.0f, headOn(met) * within(l.specularWeight, 0.0f, 2.0f));
    const float rough2 = in01(l.roughness) * in01(l.roughness),
                coat2 = in01(l.coatRoughness) * in01(l.coatRoughness);
    const float roughBelow = std::sqrt(std::sqrt(std::min(1.0f, rough2 * rough2 + 2.0f * coat2 * coat2)));
    const float rough = lerp(in01(l.roughness), roughBelow, coatWeight_);
    // What hardly reflects head on does not reflect all at grazing angles either: at a weight of 0 there is
    // no shine.
    const auto atRim = [](const V3f& f0) { return in01(50.0f * std::max({f0.x, f0.y, f0.z})); };
    const Microfacet facets = Microfacet::of(rough, l.anisotropy);
    // The body lies under the shine of what is no metal.
    covered_ = body_ > 0.0f && atRim(dielectric) > 0.0f;
    over_ = Shine(facets, dielectric, atRim(dielectric));
    shines_ = covered_ || (metal > 0.0f && atRim(base_) > 0.0f);
    if (shines_)
        shine_ = metal > 0.0f ? over_.times(body_).plus(metalShine(facets, l), metal) : over_.times(body_);
    if (glassWeight_ > 0.0f) {
        const float outer = within(l.outerIor, 1.0f, 4.0f), index = l.thinWalled ? ior : ior / outer;
        glass_ = Glass(facets, l.inside && !l.thinWalled ? 1.0f / index : index, l.thinWalled,
                       in01(l.transmissionTint));
    }
    if (l.film.weight > 0.0f) addFilm(l, dielectric);
    if (coatWeight_ > 0.0f) addCoat(l, dielectric);
    fuzzColor_ = in01(l.fuzzColor);
    fuzz_.roughness = within(l.fuzzRoughness, 0.05f, 1.0f);
    underMean_ = meanLeft();
}

/// On the shine, and on what is clear: below the coat, whose matter it meets then.
void Bsdf::addFilm(const SurfaceLayers& l, const V3f& dielectric) {
    const float outer = lerp(1.0f, within(l.coatIor, 1.0f, 4.0f), coatWeight_), metal = in01(l.metalness);
    FilmedShine filmed;
    filmed.film = {in01(l.film.weight), within(l.film.micrometres, 0.0f, 100.0f),
                   within(l.film.ior, 1.0f, 4.0f) / outer};
    filmed.outer = outer;
    // What lies below reflects head on what the bare shine does, in the shine's own tint.
    const float most = std::max({dielectric.x, dielectric.y, dielectric.z}), root = std::sqrt(most);
    filmed.ior = (1.0f + root) / std::max(1e-3f, 1.0f - root);
    const V3f tint = most > 0.0f ? dielectric / most : V3f(0.0f);
    filmed.dielectric = covered_ ? tint : V3f(0.0f);
    over_.cover(filmed);
    filmed.dielectric *= body_;
    filmed.metal = V3f(metal), filmed.f0 = base_;
    shine_.cover(filmed);
    if (glassWeight_ <= 0.0f) return;
    const float around = l.inside ? within(l.ior, 1.0f, 4.0f) : within(l.outerIor, 1.0f, 4.0f);
    glass_.cover({filmed.film.weight, filmed.film.micrometres, within(l.film.ior, 1.0f, 4.0f) / around},
                 around);
}

/// With the specification's tint at the rim, which is fully there at about 82 degrees.
Shine Bsdf::metalShine(const Microfacet& facets, const SurfaceLayers& l) const {
    constexpr float kRimCosine = 1.0f / 7.0f;
    const float f90 = in01(50.0f * std::max({base_.x, base_.y, base_.z}));
    const float left = 1.0f - kRimCosine, left5 = fifthPower(left);
    const V3f untinted = base_ + (V3f(f90) - base_) * left5;
    return Shine(facets, base_, f90,
                 untinted * (V3f(1.0f) - in01(l.specularColor)) / (kRimCosine * left * left5));
}

/// The tint that it gives all below, and how much darker that is for light that is sent back and forth.
void Bsdf::addCoat(const SurfaceLayers& l, const V3f& dielectric) {
    const float ior = within(l.coatIor, 1.0f, 4.0f);
    const float smooth = headOn(ior);
    coat_ = Shine(Microfacet::of(l.coatRoughness), V3f(smooth), in01(50.0f * smooth));
    const float spread = 1.0f - (1.0f - coat_.meanAlbedo().x) / (ior * ior);
    const float back = lerp(smooth, spread, lerp(in01(l.roughness), 1.0f, body_));
    const V3f below = base_ * (1.0f - body_ - glassWeight_) + V3f(glassWeight_) +
                      (dielectric + (V3f(1.0f) - dielectric) * base_) * body_;
    for (int k = 0; k < 3; ++k) {
        const float darker = (1.0f - back) / (1.0f - below[k] * back);
        coatTint_[k] = lerp(1.0f, in01(l.coatColor)[k], coatWeight_) *
                       lerp(1.0f, darker, coatWeight_ * in01(l.coatDarkening));
    }
}

/// The mean, weighted by cosines, of what reaches the body.
V3f Bsdf::meanLeft() const {
    V3f mean(0.0f);
    if (coatWeight_ == 0.0f && fuzzWeight_ == 0.0f) {
        mean = V3f(1.0f);
        if (covered_) mean -= over_.meanAlbedo();
    } else {
        using Means = std::array<V2f, ShineTable::kMeanOf>;
        const Means shine = shines_ ? shine_.seenAtMeans() : Means(),
                    coat = coatWeight_ > 0.0f ? coat_.seenAtMeans() : Means();
        const auto fuzz =
            fuzzWeight_ > 0.0f ? fuzz_.albedoAtMeans() : std::array<float, ShineTable::kMeanOf>{};
        for (size_t i = 0; i < shine.size(); ++i)
            mean += left({shine[i], coat[i], fuzz[i]}) * ShineTable::kMeanWeight[i];
    }
    return V3f(std::max(1e-3f, mean.x), std::max(1e-3f, mean.y), std::max(1e-3f, mean.z));
}

Bsdf::Side Bsdf::sideOf(const V3f& w) const {
    Side side;
    if (shines_) side.shine = shine_.seen(w);
    if (coatWeight_ > 0.0f) side.coat = coat_.seen(w);
    if (fuzzWeight_ > 0.0f) side.fuzz = fuzz_.albedo(w.z);
    return side;
}

float Bsdf::coatAlbedo(const Side& side) const {
    return coatWeight_ > 0.0f ? coatWeight_ * coat_.albedo(side.coat).x : 0.0f;
}

V3f Bsdf::shineAlbedo(const Side& side) const { return shines_ ? shine_.albedo(side.shine) : V3f(0.0f); }

/// What is left for the body of light that comes, or goes, at that angle.
V3f Bsdf::left(const Side& side) const {
    const float over = (1.0f - fuzzAlbedo(side)) * (1.0f - coatAlbedo(side));
    return covered_ ? positive(V3f(1.0f) - over_.albedo(side.shine)) * over : V3f(over);
}

/// By what is left both ways, over the mean of it: alike both ways, and the light that it gives in all is
/// bodyAlbedo(). After Kelemen and Szirmay-Kalos, "A Microfacet Based Coupled Specular-Matte BRDF Model with
/// Importance Sampling", Eurographics 2001 short presentations.
V3f Bsdf::body(const From& from, const V3f& wi, const V3f& leftIn) const {
    const V3f mirrored(wi.x, wi.y, std::abs(wi.z));
    const V3f scattered = diffuseRoughness_ > 0.0f
                              ? rough_body::value(base_, diffuseRoughness_, from.wo, mirrored)
                              : base_ / kPi;
    return scattered * from.body * leftIn * mirrored.z;
}

V3f Bsdf::albedo(const V3f& wo) const {
    const From f = from(wo);
    return fuzzColor_ * fuzzAlbedo(f.side) + V3f(f.coat * f.belowFuzz) +
           (shineAlbedo(f.side) + V3f(glassWeight_)) * coatTint_ * f.belowCoat + bodyAlbedo(f.left);
}

/// Each lobe is drawn by the light that it gives, and none of them hardly ever.
Bsdf::From Bsdf::from(const V3f& wo) const {
    From f;
    f.wo = wo;
    f.side = sideOf(wo);
    if (shines_) f.shineLambda = shine_.lambda(wo);
    if (coatWeight_ > 0.0f) f.coatLambda = coat_.lambda(wo);
    f.left = left(f.side);
    f.body = coatTint_ * f.left / underMean_ * (body_ - beneath_);
    f.coat = coatAlbedo(f.side);
    f.belowFuzz = 1.0f - fuzzAlbedo(f.side);
    f.belowCoat = f.belowFuzz * (1.0f - f.coat);
    auto& c = f.chance;
    if (fuzzWeight_ > 0.0f) c[kFuzz] = fuzzAlbedo(f.side) * luminance(fuzzColor_);
    if (coatWeight_ > 0.0f) c[kCoat] = f.belowFuzz * f.coat;
    if (shines_) c[kShine] = f.belowCoat * luminance(shineAlbedo(f.side) * coatTint_);
    c[kGlass] = f.belowCoat * glassWeight_;
    c[kBody] = luminance(bodyAlbedo(f.left)) * (body_ > 0.0f ? 1.0f - beneath_ / body_ : 0.0f);
    c[kBeneath] = luminance(coatTint_ * f.left) * beneath_;
    float sum = 0.0f, again = 0.0f;
    for (const float x : c) sum += x;
    if (sum <= 0.0f) {
        c[kBody] = 1.0f;
        return f;
    }
    for (float& x : c) again += x = x > 0.0f ? std::max(x, 0.08f * sum) : 0.0f;
    for (float& x : c) x /= again;
    return f;
}

Bsdf::Value Bsdf::evaluate(const From& from, const V3f& wi, Components* components) const {
    enum { kMatt, kOfFuzz, kOfShine, kOfCoat, kClear };
    const auto note = [components](size_t which, const V3f& f) {
        if (components) (*components)[which] += f;
    };
    if (components) components->fill(V3f(0.0f));
    const V3f& wo = from.wo;
    if (wo.z <= 0.0f || wi.z == 0.0f || (wi.z < 0.0f && through_ == 0.0f && glassWeight_ == 0.0f)) return {};
    const float fraction = wi.z > 0.0f ? 1.0f - through_ : through_, even = std::abs(wi.z) / kPi;
    const Side in = sideOf(V3f(wi.x, wi.y, std::abs(wi.z)));
    Value value;
    if (from.chance[kBody] > 0.0f) {
        value.f = value.broad = body(from, wi, left(in)) * fraction;
        value.pdf = from.chance[kBody] * fraction * even;
        note(kMatt, value.f);
    }
    if (from.chance[kGlass] > 0.0f) {
        const Glass::Value glass = glass_.value(wo, wi);
        const V3f f = glass.f * coatTint_ * (from.belowCoat * glassWeight_);
        value.f += f;
        note(wi.z < 0.0f ? kClear : kOfShine, f);
        value.pdf += from.chance[kGlass] * glass.pdf;
    }
    if (wi.z < 0.0f) return value;
    const V3f h = shines_ || coatWeight_ > 0.0f || fuzzWeight_ > 0.0f ? (wo + wi).normalized() : V3f(0.0f);
    if (from.chance[kShine] > 0.0f) {
        const Shine::Value shine = shine_.value(wo, {from.side.shine, from.shineLambda}, wi, in.shine, h);
        const V3f f = shine.f * coatTint_ * from.belowCoat;
        value.f += f;
        note(kOfShine, f);
        value.pdf += from.chance[kShine] * shine.pdf;
    }
    if (from.chance[kCoat] > 0.0f) {
        const Shine::Value coat = coat_.value(wo, {from.side.coat, from.coatLambda}, wi, in.coat, h);
        const V3f f = coat.f * (coatWeight_ * from.belowFuzz);
        value.f += f;
        note(kOfCoat, f);
        value.pdf += from.chance[kCoat] * coat.pdf;
    }
    if (from.chance[kFuzz] > 0.0f) {
        const V3f fuzz = fuzzColor_ * (fuzzWeight_ * fuzz_.evaluate(wo, wi, h));
        value.f += fuzz;
        value.broad += fuzz;
        note(kOfFuzz, fuzz);
        value.pdf += from.chance[kFuzz] * even;
    }
    return value;
}

/// @param pick  even from 0 to 1, for a choice within the lobe
V3f Bsdf::sampleLobe(Lobe lobe, const V3f& wo, float pick, float u, float v) const {
    if (lobe == kCoat) return coat_.sample(wo, u, v);
    if (lobe == kShine) return shine_.sample(wo, u, v);
    if (lobe == kGlass) return glass_.sample(wo, pick, u, v);
    const float r = std::sqrt(u), phi = 2.0f * kPi * v, z = std::sqrt(std::max(0.0f, 1.0f - u));
    return V3f(r * std::cos(phi), r * std::sin(phi), lobe == kBody && pick < through_ ? -z : z);
}

Bsdf::Sample Bsdf::sample(const From& from, float pick, float u, float v, Components* components) const {
    Sample s;
    if (components) components->fill(V3f(0.0f));
    if (from.wo.z <= 0.0f) return s;
    int lobe = 0;
    while (lobe + 1 < kLobes && pick >= from.chance[size_t(lobe)]) pick -= from.chance[size_t(lobe++)];
    if (lobe == kBeneath) {  // even over what of the body lies below, as light leaves it, too
        const float flat = std::sqrt(u), phi = 2.0f * kPi * v;
        s.wi = V3f(flat * std::cos(phi), flat * std::sin(phi), -std::sqrt(std::max(0.0f, 1.0f - u)));
        s.pdf = from.chance[kBeneath] * -s.wi.z / kPi;
        s.weight = coatTint_ * from.left * (beneath_ / from.chance[kBeneath]);
        s.broad = s.beneath = true;
        return s;
    }
    s.wi = sampleLobe(Lobe(lobe), from.wo, pick / std::max(1e-7f, from.chance[size_t(lobe)]), u, v);
    if (s.wi.z == 0.0f || (s.wi.z < 0.0f && lobe != kBody && lobe != kGlass)) return s;
    s.broad = lobe == kBody || lobe == kFuzz;
    s.refracted = lobe == kGlass && s.wi.z < 0.0f;
    const Value value = evaluate(from, s.wi, components);
    s.pdf = value.pdf;
    if (value.pdf > 0.0f) s.weight = value.f / value.pdf;
    return s;
}

}  // namespace ovrix::render
