#include "render/shade/fibre.h"
#include "render/shade/glass.h"

#include <algorithm>
#include <tuple>
#include <vector>

namespace ovrix::render {

namespace {

constexpr float kTwoPi = 2.0f * kPi;

float square(float x) { return x * x; }
float safeSqrt(float x) { return std::sqrt(std::max(0.0f, x)); }

/// The modified Bessel function I0(x) times exp(-x). Abramowitz and Stegun, "Handbook of Mathematical
/// Functions", 1964, 9.8.1 and 9.8.2: within 2e-7.
Float4 scaledBessel(Float4 x) {
    const Float4 t = 3.75f / max4(x, all4(3.75f));
    const Float4 far =
        0.39894228f +
        t * (0.01328592f +
             t * (0.00225319f +
                  t * (-0.00157565f +
                       t * (0.00916281f +
                            t * (-0.02057706f + t * (0.02635537f + t * (-0.01647633f + t * 0.00392377f)))))));
    const Int4 isNear = x < all4(3.75f);
    const Float4 away = far / sqrt4(max4(x, all4(3.75f)));
    if (_mm_movemask_ps(Float4(isNear)) == 0) return away;
    const Float4 q = x * (1.0f / 3.75f), u = q * q;
    const Float4 sum =
        1.0f +
        u * (3.5156229f +
             u * (3.0899424f + u * (1.2067492f + u * (0.2659732f + u * (0.0360768f + u * 0.0045813f)))));
    return select4(isNear, sum * exp4(-x), away);
}

/// 1 / (v (1 - exp(-2 / v))): what makes a longitudinal lobe's integral over cos(theta) d(theta) 1.
Float4 longitudinalScale(Float4 inverse) { return inverse / (1.0f - exp4(-2.0f * inverse)); }

/// Longitudinal lobes, one a lane. @p inverse  1 / v
Float4 longitudinal(Float4 cosI, Float4 cosO, Float4 sinI, Float4 sinO, Float4 inverse, Float4 scale) {
    const Float4 a = cosI * cosO * inverse, b = sinI * sinO * inverse;
    return exp4(a - b - inverse) * scaledBessel(a) * scale;
}

/// Of half the angle between both, which in a mirror is that of either.
float cosHalf(float cosO, float cosI, float sinO, float sinI) {
    return safeSqrt(0.5f * (1.0f + cosO * cosI + sinO * sinI));
}

float logisticSum(float x, float s) { return 1.0f / (1.0f + std::exp(-x / s)); }

float wrapped(float angle) { return angle - kTwoPi * std::floor((angle + kPi) / kTwoPi); }

float power20(float b) {
    const float b4 = b * b * b * b, b8 = b4 * b4;
    return b8 * b8 * b4;
}

float varianceOf(float roughness) {
    const float b = std::clamp(roughness, 0.02f, 1.0f);
    return square(0.726f * b + 0.812f * b * b + 3.7f * power20(b));
}

float logisticScale(float roughness) {
    const float b = std::clamp(roughness, 0.02f, 1.0f);
    return 0.626657069f * (0.265f * b + 1.194f * b * b + 5.372f * power20(b) * b * b);
}

std::array<float, Fibre::kLobes> variancesOf(float roughness) {
    const float v = varianceOf(roughness);
    return {v, 0.25f * v, 4.0f * v, 4.0f * v};
}

/// Parts of the light that the lobes carry when nothing is absorbed; they add up to 1.
std::array<float, Fibre::kLobes> clearParts(float f) {
    const float a1 = square(1.0f - f), a2 = a1 * f;
    return {f, a1, a2, 1.0f - f - a1 - a2};
}

/// Angles from the normal plane at which the balance is worked out, by midpoints.
struct Nodes {
    static constexpr int kCount = 48;
    std::array<float, kCount> sine, cosine, weight;
    Nodes() {
        for (int i = 0; i < kCount; ++i) {
            const float theta = kPi * ((float(i) + 0.5f) / kCount - 0.5f);
            sine[size_t(i)] = std::sin(theta), cosine[size_t(i)] = std::cos(theta);
            weight[size_t(i)] = cosine[size_t(i)] * (kPi / kCount);
        }
    }
};

/// Sine and cosine of an outgoing angle as a lobe sees it when the scales are tilted.
std::pair<float, float> tilted(float sinO, float cosO, float sinShift, float cosShift) {
    return {sinO * cosShift + cosO * sinShift, std::abs(cosO * cosShift - sinO * sinShift)};
}

std::array<float, 3> tiltsOf(float shift) { return {-2.0f * shift, shift, 4.0f * shift}; }

using Kernel = std::vector<float>;

/// Longitudinal lobes between all nodes; what lies between the nodes is made up for in each row.
Kernel lobesBetween(const Nodes& n, const std::array<float, 4>& variances, float shift) {
    Kernel lobes(size_t(Nodes::kCount * Nodes::kCount * 4));
    for (size_t p = 0; p < 4; ++p) {
        const float angle = p < 3 ? tiltsOf(shift)[p] : 0.0f, v = std::max(variances[p], 0.002f);
        for (size_t o = 0; o < Nodes::kCount; ++o) {
            const auto [sinO, cosO] = tilted(n.sine[o], n.cosine[o], std::sin(angle), std::cos(angle));
            float sum = 0.0f;
            for (size_t i = 0; i < Nodes::kCount; ++i) {
                const float m = longitudinal(all4(n.cosine[i]), all4(cosO), all4(n.sine[i]), all4(sinO),
                                             all4(1.0f / v), all4(1.0f))[0];
                lobes[(o * Nodes::kCount + i) * 4 + p] = m;
                sum += m * n.weight[i];
            }
            for (size_t i = 0; i < Nodes::kCount; ++i)
                lobes[(o * Nodes::kCount + i) * 4 + p] /= std::max(sum, 1e-6f);
        }
    }
    return lobes;
}

/// Factors c with c(o) * sum over i of K(o, i) c(i) w(i) = 1; with @p outOnly c(i) is 1.
std::array<float, Nodes::kCount> balanced(const Kernel& kernel, const Nodes& n, bool outOnly) {
    std::array<float, Nodes::kCount> c;
    c.fill(1.0f);
    for (int round = 0; round < (outOnly ? 1 : 60); ++round) {
        std::array<float, Nodes::kCount> next;
        for (size_t o = 0; o < Nodes::kCount; ++o) {
            float sum = 0.0f;
            for (size_t i = 0; i < Nodes::kCount; ++i)
                sum += kernel[o * Nodes::kCount + i] * c[i] * n.weight[i];
            next[o] = outOnly ? 1.0f / std::max(sum, 1e-6f) : std::sqrt(c[o] / std::max(sum, 1e-6f));
        }
        c = next;
    }
    return c;
}

}  // namespace

FibreShape::FibreShape(float ior, float shift) : ior_(std::max(1.001f, ior)), shift_(shift) {
    sinTilt_ = all4(0.0f), cosTilt_ = all4(1.0f);
    for (int p = 0; p < 3; ++p) {
        sinTilt_[p] = std::sin(tiltsOf(shift)[size_t(p)]);
        cosTilt_[p] = std::cos(tiltsOf(shift)[size_t(p)]);
    }
    balance_.assign(size_t(kAngles) * size_t(kOffsets) * size_t(kRoughnesses), 1.0f);
    for (int r = 0; r < kRoughnesses; ++r) fill(r, variancesOf(float(r) / (kRoughnesses - 1)));
}

void FibreShape::fill(int roughness, const std::array<float, 4>& variances) {
    static const Nodes n;
    const Kernel lobes = lobesBetween(n, variances, shift_);
    Kernel kernel(size_t(Nodes::kCount * Nodes::kCount));
    for (int k = 0; k < kOffsets; ++k) {
        const float cosGamma = float(k) / (kOffsets - 1);
        for (size_t o = 0; o < Nodes::kCount; ++o)
            for (size_t i = 0; i < Nodes::kCount; ++i) {
                const float cosD = cosHalf(n.cosine[o], n.cosine[i], n.sine[o], n.sine[i]);
                const auto part = clearParts(fresnel(cosD * cosGamma, ior_));
                float sum = 0.0f;
                for (size_t p = 0; p < 4; ++p) sum += lobes[(o * Nodes::kCount + i) * 4 + p] * part[p];
                kernel[o * Nodes::kCount + i] = sum;
            }
        const auto c = balanced(kernel, n, shift_ != 0.0f);
        for (int a = 0; a < kAngles; ++a) {  // read off at even angles, from one end to the other
            const float x =
                std::clamp(float(a) / (kAngles - 1) * Nodes::kCount - 0.5f, 0.0f, float(Nodes::kCount - 1));
            const size_t i = std::min<size_t>(size_t(x), Nodes::kCount - 2);
            balance_[(size_t(roughness) * size_t(kOffsets) + size_t(k)) * size_t(kAngles) + size_t(a)] =
                lerp(c[i], c[i + 1], std::min(1.0f, x - float(i)));
        }
    }
}

float FibreShape::balance(float sinTheta, float cosTheta, float h, float roughness) const {
    // The angle from the normal plane, by a fit of the arc cosine within 7e-5 (Abramowitz and Stegun 4.4.45).
    const float c = std::clamp(cosTheta, 0.0f, 1.0f);
    const float angle =
        std::sqrt(1.0f - c) * (1.5707288f + c * (-0.2121144f + c * (0.0742610f - 0.0187293f * c)));
    const auto place = [](float x, int count) {
        const float at = std::clamp(x, 0.0f, 1.0f) * float(count - 1);
        const int i = std::min(int(at), count - 2);
        return std::pair(i, at - float(i));
    };
    const auto [a, fa] = place(0.5f + (sinTheta < 0.0f ? -angle : angle) / kPi, kAngles);
    const auto [k, fk] = place(safeSqrt(1.0f - h * h), kOffsets);
    const auto [r, fr] = place(roughness, kRoughnesses);
    float sum = 0.0f;
    for (int corner = 0; corner < 4; ++corner) {
        const int kk = k + (corner & 1), rr = r + (corner >> 1);
        const float w = ((corner & 1) ? fk : 1.0f - fk) * ((corner >> 1) ? fr : 1.0f - fr);
        const float* row =
            &balance_[(size_t(rr) * size_t(kOffsets) + size_t(kk)) * size_t(kAngles) + size_t(a)];
        sum += w * lerp(row[0], row[1], fa);
    }
    return sum;
}

V3f absorptionOfMelanin(float melanin, float redness) {
    const float m = std::clamp(melanin, 0.0f, 1.0f), r = std::clamp(redness, 0.0f, 1.0f);
    const float amount = 8.0f * m * m;  // 0.3 is blond hair, 1.3 brown, 8 black
    return (V3f(0.419f, 0.697f, 1.37f) * (1.0f - r) + V3f(0.187f, 0.4f, 1.05f) * r) * amount;
}

static float absorptionFit(float b) {
    return 5.969f + b * (-0.215f + b * (2.532f + b * (-10.73f + b * (5.574f + b * 0.245f))));
}

V3f absorptionOfColor(const Color& color, float roughnessAround) {
    V3f out;
    for (int k = 0; k < 3; ++k)
        out[k] = square(std::log(std::clamp(color[k], 1e-4f, 0.9999f)) / absorptionFit(roughnessAround));
    return out;
}

Color colorOfAbsorption(const V3f& absorption, float roughnessAround) {
    Color out;
    for (int k = 0; k < 3; ++k)
        out[k] = std::exp(-std::sqrt(std::max(0.0f, absorption[k])) * absorptionFit(roughnessAround));
    return out;
}

struct Fibre::Attenuation {
    std::array<V3f, kLobes> part;
    float gammaT = 0.0f;
};

Fibre::Fibre(const FibreShape& shape, const Options& o, float h)
    : shape_(shape),
      absorption_(o.absorption),
      base_(o.base),
      innerTint_(o.innerTint),
      h_(std::clamp(h, -0.9999f, 0.9999f)),
      cosGammaO_(std::sqrt(1.0f - h_ * h_)),
      gammaO_(std::asin(h_)),
      specular_(std::clamp(o.specular, 0.0f, 1.0f)),
      draft_(o.draft) {
    setWidths(o.roughness, logisticScale(o.roughnessAround));
}

void Fibre::setWidths(float roughness, float scale) {
    roughness_ = std::clamp(roughness, 0.02f, 1.0f);
    scale_ = scale;
    const auto variance = variancesOf(roughness);
    inverse_ = 1.0f / Float4{variance[0], variance[1], variance[2], variance[3]};
    longitudinal_ = longitudinalScale(inverse_);
    logisticLow_ = logisticSum(-kPi, scale_);
    logisticRange_ = 1.0f - 2.0f * logisticLow_;
}

Fibre Fibre::softened(float roughness) const {
    Fibre out = *this;
    out.setWidths(std::max(roughness_, roughness), std::max(scale_, logisticScale(roughness)));
    return out;
}

/// The bent ray inside, for the angle between both directions.
void Fibre::refract(float cosD, float sin2D, float& sinGammaT, float& path) const {
    const float ior = shape_.ior();
    const float bent = safeSqrt(ior * ior - sin2D) / std::max(cosD, 1e-4f);
    sinGammaT = std::clamp(h_ / bent, -1.0f, 1.0f);
    const float cosThetaT = safeSqrt(1.0f - sin2D / (ior * ior));
    path = 2.0f * safeSqrt(1.0f - sinGammaT * sinGammaT) / std::max(cosThetaT, 1e-4f);
}

/// What each lobe carries.
Fibre::Attenuation Fibre::attenuation(float cosD, float sin2D) const {
    Attenuation out;
    float sinGammaT, path;
    refract(cosD, sin2D, sinGammaT, path);
    out.gammaT = std::asin(sinGammaT);
    const float f = fresnel(cosD * cosGammaO_, shape_.ior());
    const auto clear = clearParts(f);
    const Float4 through = exp4(Float4{absorption_.x, absorption_.y, absorption_.z, 0.0f} * -path);
    const Float4 inner = through * through * clear[1] * f,
                 rest = inner * through * f / max4(1.0f - through * f, all4(1e-6f));
    for (int k = 0; k < 3; ++k) {
        out.part[0][k] = clear[0] * specular_;
        out.part[1][k] = clear[1] * through[k];
        out.part[2][k] = inner[k] * specular_ * innerTint_[k];
        out.part[3][k] = rest[k];
    }
    return out;
}

/// Chances of the lobes to be sampled: by their light in the mean colour, and never 0, or light of a lobe
/// that is dark here would be lost.
std::array<float, Fibre::kLobes> Fibre::mix(float cosO, float sinO) const {
    float sinGammaT, path;
    refract(cosO, sinO * sinO, sinGammaT, path);
    const float f = fresnel(cosO * cosGammaO_, shape_.ior());
    const float t = std::exp(-(absorption_.x + absorption_.y + absorption_.z) / 3.0f * path);
    const auto clear = clearParts(f);
    std::array<float, kLobes> out = {clear[0] * specular_, clear[1] * t, clear[2] * t * t * specular_,
                                     clear[1] * t * t * t * f * f / std::max(1e-6f, 1.0f - t * f)};
    float sum = 0.0f;
    for (float& x : out) sum += x += 0.005f;
    for (float& x : out) x /= sum;
    return out;
}

Fibre::Value Fibre::draft(const V3f& wo, const V3f& wi) const {
    const float sinO = std::clamp(wo.x, -1.0f, 1.0f), sinI = std::clamp(wi.x, -1.0f, 1.0f);
    const float cosO = safeSqrt(1.0f - sinO * sinO), cosI = safeSqrt(1.0f - sinI * sinI);
    Value out;
    const float shine = 0.15f * specular_, n = std::min(250.0f, inverse_[0]);
    const float mirror = std::max(0.0f, cosI * cosO - sinI * sinO);
    out.lobe[0] = V3f(shine * std::pow(mirror, n) / (kTwoPi * std::sqrt(kTwoPi / n)));
    out.lobe[1] = base_ * ((1.0f - shine) * cosI / (kPi * kPi));
    out.lobe[2] = out.lobe[3] = V3f(0.0f);
    out.f = out.lobe[0] + out.lobe[1];
    out.pdf = 0.5f / kTwoPi;
    return out;
}

Fibre::Value Fibre::evaluate(const V3f& wo, const V3f& wi) const {
    if (draft_) return draft(wo, wi);
    const float sinO = std::clamp(wo.x, -1.0f, 1.0f);
    return evaluate(wo, wi, mix(safeSqrt(1.0f - sinO * sinO), sinO));
}

Fibre::Value Fibre::evaluate(const V3f& wo, const V3f& wi, const std::array<float, kLobes>& share) const {
    const float sinO = std::clamp(wo.x, -1.0f, 1.0f), sinI = std::clamp(wi.x, -1.0f, 1.0f);
    const float cosO = safeSqrt(1.0f - sinO * sinO), cosI = safeSqrt(1.0f - sinI * sinI);
    const float cosD = cosHalf(cosO, cosI, sinO, sinI);
    const Attenuation a = attenuation(cosD, 1.0f - cosD * cosD);
    const float phi = std::atan2(wo.y * wi.z - wo.z * wi.y, wo.y * wi.y + wo.z * wi.z);
    const Float4 so = shape_.sinTilt() * cosO + shape_.cosTilt() * sinO;
    const Float4 co = abs4(shape_.cosTilt() * cosO - shape_.sinTilt() * sinO);
    const Float4 along = longitudinal(all4(cosI), co, all4(sinI), so, inverse_, longitudinal_);
    // Around: the logistic distribution, cut to a full turn; the last lobe is even.
    const float inner = 2.0f * a.gammaT + kPi;
    const Float4 off = abs4(Float4{wrapped(phi + 2.0f * gammaO_), wrapped(phi + 2.0f * gammaO_ - inner),
                                   wrapped(phi + 2.0f * gammaO_ - 2.0f * inner), 0.0f});
    const Float4 e = exp4(off * (-1.0f / scale_)), whole = 1.0f + e;
    Float4 around = e / (whole * whole * (scale_ * logisticRange_));
    around[3] = 1.0f / kTwoPi;
    const Float4 density = along * around;
    Value out;
    for (size_t p = 0; p < kLobes; ++p) {
        out.lobe[p] = a.part[p] * density[int(p)];
        out.pdf += share[p] * density[int(p)];
    }
    float balance = shape_.balance(sinO, cosO, h_, roughness_);
    if (shape_.shift() == 0.0f) balance *= shape_.balance(sinI, cosI, h_, roughness_);
    for (V3f& l : out.lobe) out.f += l *= balance;
    return out;
}

/// A direction of one lobe. @p pick chooses around the fibre, @p u and @p v along it.
V3f Fibre::directionOf(size_t p, const V3f& wo, float pick, float u, float v) const {
    const float sinO = std::clamp(wo.x, -1.0f, 1.0f), cosO = safeSqrt(1.0f - sinO * sinO);
    float so = sinO, co = cosO;
    if (p < 3) std::tie(so, co) = tilted(sinO, cosO, shape_.sinTilt()[int(p)], shape_.cosTilt()[int(p)]);
    const float x = 1.0f + std::log(std::max(u, 1e-6f) + (1.0f - u) * std::exp(-2.0f * inverse_[int(p)])) /
                               inverse_[int(p)];
    const float sinI = std::clamp(-x * so + safeSqrt(1.0f - x * x) * std::cos(kTwoPi * v) * co, -1.0f, 1.0f);
    const float cosI = safeSqrt(1.0f - sinI * sinI);
    float turn = kTwoPi * pick;
    if (p < 3) {
        const float cosD = cosHalf(cosO, cosI, sinO, sinI);
        float sinGammaT, path;
        refract(cosD, 1.0f - cosD * cosD, sinGammaT, path);
        const float around = -scale_ * std::log(1.0f / (logisticLow_ + logisticRange_ * pick) - 1.0f);
        turn = 2.0f * float(p) * std::asin(sinGammaT) - 2.0f * gammaO_ + float(p) * kPi +
               std::clamp(around, -kPi, kPi);
    }
    const float phi = std::atan2(wo.z, wo.y) + turn;
    return V3f(sinI, cosI * std::cos(phi), cosI * std::sin(phi));
}

Fibre::Sample Fibre::sample(const V3f& wo, float pick, float u, float v) const {
    Sample s;
    Value value;
    if (draft_) {
        s.wi.x = 2.0f * u - 1.0f;
        const float r = safeSqrt(1.0f - s.wi.x * s.wi.x);
        s.wi.y = r * std::cos(kTwoPi * v), s.wi.z = r * std::sin(kTwoPi * v);
        value = draft(wo, s.wi);
    } else {
        const float sinO = std::clamp(wo.x, -1.0f, 1.0f);
        const auto share = mix(safeSqrt(1.0f - sinO * sinO), sinO);
        size_t p = 0;
        while (p + 1 < kLobes && pick >= share[p]) pick -= share[p++];
        s.wi = directionOf(p, wo, std::clamp(pick / share[p], 0.0f, 0.99999f), u, v);
        value = evaluate(wo, s.wi, share);
    }
    s.pdf = value.pdf;
    if (!(value.pdf > 0.0f)) return s;
    s.weight = value.f / value.pdf;
    for (size_t p = 0; p < kLobes; ++p) s.lobes[p] = value.lobe[p] / value.pdf;
    return s;
}

/// The same at another offset.
Fibre Fibre::at(float h) const {
    Fibre f = *this;
    f.h_ = std::clamp(h, -0.9999f, 0.9999f);
    f.cosGammaO_ = std::sqrt(1.0f - f.h_ * f.h_);
    f.gammaO_ = std::asin(f.h_);
    return f;
}

Fibre::Value Fibre::evaluateWhole(const V3f& wo, const V3f& wi) const {
    if (draft_) return draft(wo, wi);
    constexpr int kOffsets = 4;
    constexpr float kPart = 1.0f / kOffsets;
    Value mean;
    for (V3f& l : mean.lobe) l = V3f(0.0f);
    for (int k = 0; k < kOffsets; ++k) {
        const float h = h_ + 2.0f * float(k) * kPart;
        const Value v = at(h > 1.0f ? h - 2.0f : h).evaluate(wo, wi);
        mean.f += v.f * kPart;
        mean.pdf += v.pdf * kPart;
        for (size_t p = 0; p < kLobes; ++p) mean.lobe[p] += v.lobe[p] * kPart;
    }
    return mean;
}

Fibre::Sample Fibre::sampleWhole(const V3f& wo, float pick, float u, float v) const {
    Sample s = sample(wo, pick, u, v);
    if (draft_ || !(s.pdf > 0.0f)) return s;
    const Value mean = evaluateWhole(wo, s.wi);
    s.pdf = mean.pdf;
    s.weight = mean.f / mean.pdf;
    for (size_t p = 0; p < kLobes; ++p) s.lobes[p] = mean.lobe[p] / mean.pdf;
    return s;
}

}  // namespace ovrix::render
