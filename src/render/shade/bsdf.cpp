#include "render/shade/bsdf.h"

#include <algorithm>
#include <array>

namespace ovrix::render {

namespace {

float smithLambda(const V3f& w, float alpha) {
    const float a2 = alpha * alpha, tan2 = (w.x * w.x + w.y * w.y) / (w.z * w.z);
    return 0.5f * (std::sqrt(1.0f + a2 * tan2) - 1.0f);
}

float ggx(const V3f& h, float alpha) {
    const float a2 = alpha * alpha;
    const float d = (h.x * h.x + h.y * h.y) / a2 + h.z * h.z;
    return 1.0f / (kPi * a2 * d * d);
}

V3f visibleNormal(const V3f& wo, float alpha, float u, float v) {
    const V3f stretched = V3f(alpha * wo.x, alpha * wo.y, wo.z).normalized();
    const float length2 = stretched.x * stretched.x + stretched.y * stretched.y;
    const V3f t1 = length2 > 0.0f ? V3f(-stretched.y, stretched.x, 0.0f) / std::sqrt(length2) : V3f(1, 0, 0);
    const V3f t2 = stretched.cross(t1);
    const float r = std::sqrt(u), phi = 2.0f * kPi * v, s = 0.5f * (1.0f + stretched.z);
    const float p1 = r * std::cos(phi);
    const float p2 = lerp(std::sqrt(std::max(0.0f, 1.0f - p1 * p1)), r * std::sin(phi), s);
    const V3f h = t1 * p1 + t2 * p2 + stretched * std::sqrt(std::max(0.0f, 1.0f - p1 * p1 - p2 * p2));
    return V3f(alpha * h.x, alpha * h.y, std::max(1e-6f, h.z)).normalized();
}

float fifthPower(float x) {
    const float x2 = x * x;
    return x2 * x2 * x;
}

/// Directional albedo of the bare shine: f0 * scale + bias, tabulated over cosine and roughness.
class AlbedoTable {
  public:
    AlbedoTable() {
        for (int r = 0; r < kSize; ++r)
            for (int c = 0; c < kSize; ++c) integrate(r, c);
        constexpr int kSteps = 256;
        for (int r = 0; r < kSize; ++r) {
            const float rough = float(r) / (kSize - 1), alpha = std::max(1e-3f, rough * rough);
            V4f sum(0, 0, 0, 0);
            for (int i = 0; i < kSteps; ++i) {
                const float cosine = (float(i) + 0.5f) / kSteps;
                const V2f e = at(cosine, alpha);
                const float all = std::max(1e-4f, e.x + e.y), more = (1.0f - all) / all;
                sum += V4f(e.x, e.y, e.x * more, e.y * more) * (2.0f * cosine / kSteps);
            }
            means_[size_t(r)] = sum;
        }
    }
    /// Means over all directions, weighted by their cosines, of the four parts that the albedo with its gain
    /// is a sum of: see Bsdf::shineAlbedo.
    V4f means(float alpha) const {
        const float y = std::sqrt(alpha) * (kSize - 1);
        const int r = std::clamp(int(y), 0, kSize - 2);
        const float fy = std::clamp(y - float(r), 0.0f, 1.0f);
        return means_[size_t(r)] * (1 - fy) + means_[size_t(r + 1)] * fy;
    }
    V2f at(float cosine, float alpha) const {
        const float x = std::sqrt(std::clamp(cosine, 0.0f, 1.0f)) * (kSize - 1),
                    y = std::sqrt(alpha) * (kSize - 1);
        const int c = std::min(int(x), kSize - 2), r = std::clamp(int(y), 0, kSize - 2);
        const float fx = x - float(c), fy = y - float(r);
        const V2f low = cell(r, c) * (1 - fx) + cell(r, c + 1) * fx;
        return low * (1 - fy) + (cell(r + 1, c) * (1 - fx) + cell(r + 1, c + 1) * fx) * fy;
    }

  private:
    static constexpr int kSize = 48, kSide = 32;
    V2f cell(int r, int c) const { return cells_[size_t(r * kSize + c)]; }
    void integrate(int r, int c) {
        const float root = float(c) / (kSize - 1), cosine = std::max(1e-3f, root * root);
        const float rough = float(r) / (kSize - 1), alpha = std::max(1e-3f, rough * rough);
        const V3f wo(std::sqrt(std::max(0.0f, 1.0f - cosine * cosine)), 0.0f, cosine);
        double scale = 0, bias = 0;
        for (int i = 0; i < kSide; ++i)
            for (int j = 0; j < kSide; ++j) {
                const V3f h = visibleNormal(wo, alpha, (float(i) + 0.5f) / kSide, (float(j) + 0.5f) / kSide);
                const V3f wi = h * (2.0f * wo.dot(h)) - wo;
                if (wi.z <= 0.0f) continue;
                const float lo = smithLambda(wo, alpha);
                const float g = (1.0f + lo) / (1.0f + lo + smithLambda(wi, alpha));
                const float fresnel = fifthPower(1.0f - std::clamp(wo.dot(h), 0.0f, 1.0f));
                scale += double(g * (1.0f - fresnel));
                bias += double(g * fresnel);
            }
        cells_[size_t(r * kSize + c)] = V2f(float(scale), float(bias)) / float(kSide * kSide);
    }
    std::array<V2f, size_t(kSize) * kSize> cells_;
    std::array<V4f, size_t(kSize)> means_;
};

const AlbedoTable& albedoTable() {
    static const AlbedoTable table;
    return table;
}

}  // namespace

void prepareShading() { albedoTable(); }

Bsdf::Bsdf(const Color& base, float roughness, float metalness, float specular, float translucency)
    : base_(std::clamp(base.x, 0.0f, 1.0f), std::clamp(base.y, 0.0f, 1.0f), std::clamp(base.z, 0.0f, 1.0f)) {
    const float metal = std::clamp(metalness, 0.0f, 1.0f), rough = std::clamp(roughness, 0.0f, 1.0f);
    f0_ = V3f(0.08f * std::clamp(specular, 0.0f, 1.0f)) * (1.0f - metal) + base_ * metal;
    alpha_ = std::max(1e-3f, rough * rough);
    body_ = 1.0f - metal;
    through_ = std::clamp(translucency, 0.0f, 1.0f);
    // What hardly reflects head on does not reflect all at grazing angles either: at specular 0 there is no
    // shine.
    f90_ = std::clamp(50.0f * std::max({f0_.x, f0_.y, f0_.z}), 0.0f, 1.0f);
    if (f90_ <= 0.0f) alpha_ = -1.0f;
    underMean_ = V3f(1.0f);
    if (alpha_ < 0.0f) return;
    const V4f m = albedoTable().means(alpha_);
    for (int i = 0; i < 3; ++i)
        underMean_[i] =
            std::max(1e-3f, 1.0f - (f0_[i] * m.x + f90_ * m.y + f0_[i] * f0_[i] * m.z + f0_[i] * f90_ * m.w));
}

V3f Bsdf::shineAlbedo(float cosine) const {
    if (alpha_ < 0.0f) return V3f(0.0f);
    const V2f e = albedoTable().at(cosine, alpha_);
    const float all = std::max(1e-4f, e.x + e.y);
    const V3f gain = V3f(1.0f) + f0_ * ((1.0f - all) / all);
    return (f0_ * e.x + V3f(f90_ * e.y)) * gain;
}

V3f Bsdf::bodyColor(float cosineOut) const {
    const V3f left = V3f(1.0f) - shineAlbedo(cosineOut);
    return base_ * body_ * V3f(std::max(0.0f, left.x), std::max(0.0f, left.y), std::max(0.0f, left.z));
}

/// How light from a direction passes the shine to the body, by the mean: with it the body is alike seen both
/// ways, and the light that it gives in all is still bodyColor(). After Kelemen and Szirmay-Kalos, "A
/// Microfacet Based Coupled Specular-Matte BRDF Model with Importance Sampling", Eurographics 2001 short
/// presentations.
V3f Bsdf::bodyPart(float cosineIn) const {
    const V3f left = V3f(1.0f) - shineAlbedo(cosineIn);
    return V3f(std::max(0.0f, left.x), std::max(0.0f, left.y), std::max(0.0f, left.z)) / underMean_;
}

V3f Bsdf::albedo(const V3f& wo) const { return shineAlbedo(wo.z) + bodyColor(wo.z); }

float Bsdf::shineShare(const V3f& wo) const {
    const float shineLight = luminance(shineAlbedo(wo.z)), bodyLight = luminance(bodyColor(wo.z));
    const float sum = shineLight + bodyLight;
    if (alpha_ < 0.0f || sum <= 0.0f) return 0.0f;
    return bodyLight <= 0.0f ? 1.0f : std::clamp(shineLight / sum, 0.1f, 0.95f);
}

V3f Bsdf::shine(const V3f& wo, const V3f& wi) const {
    const V3f h = (wo + wi).normalized();
    const float masking = 1.0f / (1.0f + smithLambda(wo, alpha_) + smithLambda(wi, alpha_));
    const V3f fresnel = f0_ + (V3f(f90_) - f0_) * fifthPower(1.0f - std::clamp(wi.dot(h), 0.0f, 1.0f));
    const V2f e = albedoTable().at(wo.z, alpha_);
    const float all = std::max(1e-4f, e.x + e.y);
    const V3f gain = V3f(1.0f) + f0_ * ((1.0f - all) / all);
    return fresnel * gain * (ggx(h, alpha_) * masking / (4.0f * wo.z));  // the cosine of wi cancels
}

float Bsdf::shinePdf(const V3f& wo, const V3f& wi) const {
    const V3f h = (wo + wi).normalized();
    return ggx(h, alpha_) / ((1.0f + smithLambda(wo, alpha_)) * 4.0f * wo.z);
}

Bsdf::Value Bsdf::evaluate(const V3f& wo, const V3f& wi) const {
    if (wo.z <= 0.0f || wi.z == 0.0f || (wi.z < 0.0f && through_ == 0.0f)) return {};
    const float share = shineShare(wo);
    const float fraction = wi.z > 0.0f ? 1.0f - through_ : through_, cosine = std::abs(wi.z) / kPi;
    Value value{bodyColor(wo.z) * bodyPart(std::abs(wi.z)) * (fraction * cosine),
                (1.0f - share) * fraction * cosine};
    if (wi.z < 0.0f) return value;
    if (share > 0.0f) {
        value.f += shine(wo, wi);
        value.pdf += share * shinePdf(wo, wi);
    }
    return value;
}

Bsdf::Sample Bsdf::sample(const V3f& wo, float pick, float u, float v) const {
    Sample s;
    if (wo.z <= 0.0f) return s;
    const float share = shineShare(wo);
    if (pick < share) {
        const V3f h = visibleNormal(wo, alpha_, u, v);
        s.wi = h * (2.0f * wo.dot(h)) - wo;
        if (s.wi.z <= 0.0f) return s;
    } else {
        const float r = std::sqrt(u), phi = 2.0f * kPi * v;
        s.wi = V3f(r * std::cos(phi), r * std::sin(phi), std::sqrt(std::max(0.0f, 1.0f - u)));
        if (pick - share < through_ * (1.0f - share)) s.wi.z = -s.wi.z;
    }
    const Value value = evaluate(wo, s.wi);
    s.pdf = value.pdf;
    if (value.pdf > 0.0f) s.weight = value.f / value.pdf;
    return s;
}

}  // namespace ovrix::render
