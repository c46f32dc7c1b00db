#include "render/shade/microfacet.h"

namespace ovrix::render {

Microfacet Microfacet::of(float roughness, float anisotropy) {
    constexpr float kNarrowest = 1e-3f;
    const float rough = within(roughness, 0.0f, 1.0f), narrower = 1.0f - within(anisotropy, 0.0f, 1.0f);
    const float x = rough * rough * std::sqrt(2.0f / (1.0f + narrower * narrower));
    return {within(x, kNarrowest, 1.0f), within(x * narrower, kNarrowest, 1.0f)};
}

V3f Microfacet::sample(const V3f& wo, float u, float v) const {
    const V3f stretched = V3f(alphaX * wo.x, alphaY * wo.y, wo.z).normalized();
    const float length2 = stretched.x * stretched.x + stretched.y * stretched.y;
    const V3f t1 = length2 > 0.0f ? V3f(-stretched.y, stretched.x, 0.0f) / std::sqrt(length2) : V3f(1, 0, 0);
    const V3f t2 = stretched.cross(t1);
    const float r = std::sqrt(u), phi = 2.0f * kPi * v, s = 0.5f * (1.0f + stretched.z);
    const float p1 = r * std::cos(phi);
    const float p2 = lerp(std::sqrt(std::max(0.0f, 1.0f - p1 * p1)), r * std::sin(phi), s);
    const V3f h = t1 * p1 + t2 * p2 + stretched * std::sqrt(std::max(0.0f, 1.0f - p1 * p1 - p2 * p2));
    return V3f(alphaX * h.x, alphaY * h.y, std::max(1e-6f, h.z)).normalized();
}

const ShineTable& ShineTable::made() {
    static const ShineTable table;
    return table;
}

ShineTable::ShineTable() {
    for (int r = 0; r < kSize; ++r)
        for (int c = 0; c < kSize; ++c) integrate(r, c);
    constexpr int kSteps = 256;
    for (int r = 0; r < kSize; ++r) {
        const float rough = float(r) / (kSize - 1), width = std::max(1e-3f, rough * rough);
        V2f sum(0, 0);
        for (int i = 0; i < kSteps; ++i) {
            const float cosine = (float(i) + 0.5f) / kSteps;
            sum += at(cosine, width) * (2.0f * cosine / kSteps);
        }
        means_[size_t(r)] = sum;
        for (int i = 0; i < kMeanOf; ++i) atMeans_[size_t(r)][size_t(i)] = at(kMeanAt[i], width);
    }
}

std::array<V2f, ShineTable::kMeanOf> ShineTable::atMeans(float row) const {
    const int r = std::clamp(int(row), 0, kSize - 2);
    const float f = row - float(r);
    std::array<V2f, kMeanOf> out;
    for (size_t i = 0; i < out.size(); ++i)
        out[i] = atMeans_[size_t(r)][i] * (1 - f) + atMeans_[size_t(r) + 1][i] * f;
    return out;
}

V2f ShineTable::mean(float y) const {
    const int r = std::clamp(int(y), 0, kSize - 2);
    const float fy = within(y - float(r), 0.0f, 1.0f);
    return means_[size_t(r)] * (1 - fy) + means_[size_t(r) + 1] * fy;
}

V2f ShineTable::atRow(float cosine, float y) const {
    const float x = std::sqrt(within(cosine, 0.0f, 1.0f)) * (kSize - 1);
    const int c = std::min(int(x), kSize - 2), r = std::clamp(int(y), 0, kSize - 2);
    const float fx = x - float(c), fy = y - float(r);
    const V2f low = cell(r, c) * (1 - fx) + cell(r, c + 1) * fx;
    return low * (1 - fy) + (cell(r + 1, c) * (1 - fx) + cell(r + 1, c + 1) * fx) * fy;
}

void ShineTable::integrate(int r, int c) {
    const float root = float(c) / (kSize - 1), cosine = std::max(1e-3f, root * root);
    const float rough = float(r) / (kSize - 1), width = std::max(1e-3f, rough * rough);
    const Microfacet facets{width, width};
    const V3f wo(std::sqrt(std::max(0.0f, 1.0f - cosine * cosine)), 0.0f, cosine);
    double scale = 0, bias = 0;
    for (int i = 0; i < kSide; ++i)
        for (int j = 0; j < kSide; ++j) {
            const V3f h = facets.sample(wo, (float(i) + 0.5f) / kSide, (float(j) + 0.5f) / kSide);
            const V3f wi = h * (2.0f * wo.dot(h)) - wo;
            if (wi.z <= 0.0f) continue;
            const float lo = facets.lambda(wo), g = (1.0f + lo) / (1.0f + lo + facets.lambda(wi));
            const float fresnel = fifthPower(1.0f - within(wo.dot(h), 0.0f, 1.0f));
            scale += double(g * (1.0f - fresnel));
            bias += double(g * fresnel);
        }
    cells_[size_t(r) * kSize + size_t(c)] = V2f(float(scale), float(bias)) / float(kSide * kSide);
}

Shine::Shine(const Microfacet& facets, const V3f& f0, float f90, const V3f& rim)
    : facets_(facets),
      f0_(f0),
      rim_(rim),
      f90_(f90),
      width_(facets.width()),
      row_(ShineTable::rowOf(width_)) {
    mean_ = ShineTable::get().mean(row_);
    const float seen = meanSeen();
    for (int k = 0; k < 3; ++k) {
        const float reflected = (20.0f * f0[k] + f90) / 21.0f;  // Fresnel's mean
        many_[k] = reflected * reflected * seen / (1.0f - reflected * (1.0f - seen));
    }
}

Shine::Shine(const Shine& s, float weight) : Shine(s) {
    f0_ *= weight, rim_ *= weight, many_ *= weight, f90_ *= weight;
}

/// The mean of Fresnel's rise towards the rim tells the angle at which the facets are seen.
V3f Shine::filmed(const V3f& bare, const V2f& seen) const {
    const float all = seen.x + seen.y;
    const float cosine = 1.0f - std::pow(within(seen.y / std::max(1e-6f, all), 0.0f, 1.0f), 0.2f);
    const V3f once = f0_ * seen.x + V3f(f90_ * seen.y);
    return bare + (film_.at(cosine) * all - once) * film_.film.weight;
}

Shine Shine::plus(const Shine& other, float part) const {
    Shine s = *this;
    s.f0_ += other.f0_ * part;
    s.rim_ += other.rim_ * part;
    s.many_ += other.many_ * part;
    s.f90_ += other.f90_ * part;
    return s;
}

Shine::Value Shine::value(const V3f& wo, const Out& seenOut, const V3f& wi, const V2f& seenIn,
                          const V3f& h) const {
    const float cosine = within(wi.dot(h), 0.0f, 1.0f), away = 1.0f - cosine, away5 = fifthPower(away);
    // The last term is the tint at the rim, which is fully there at about 82 degrees.
    V3f fresnel = f0_ + (V3f(f90_) - f0_) * away5 - rim_ * (cosine * away * away5);
    if (film_.film.weight > 0.0f) fresnel += (film_.at(cosine) - fresnel) * film_.film.weight;
    const float out = seenOut.lambda, facets = facets_.density(h) / (4.0f * wo.z);  // wi's cosine cancels
    V3f f = fresnel * (facets / (1.0f + out + facets_.lambda(wi)));
    constexpr float kFlat = 0.1f;  // below that width hardly any light meets two facets
    if (width_ > kFlat * kFlat) {
        const float lost = std::max(0.0f, 1.0f - seenOut.seen.x - seenOut.seen.y) *
                           std::max(0.0f, 1.0f - seenIn.x - seenIn.y) / std::max(1e-4f, 1.0f - meanSeen());
        f += many_ * (lost * wi.z / kPi);
    }
    return {V3f(std::max(0.0f, f.x), std::max(0.0f, f.y), std::max(0.0f, f.z)), facets / (1.0f + out)};
}

V3f Shine::sample(const V3f& wo, float u, float v) const {
    const V3f h = facets_.sample(wo, u, v);
    return h * (2.0f * wo.dot(h)) - wo;
}

}  // namespace ovrix::render
