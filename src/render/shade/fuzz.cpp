#include "render/shade/fuzz.h"

#include <algorithm>
#include <array>

namespace ovrix::render {

namespace {

float density(float cosine, float roughness) {
    const float inverse = 1.0f / roughness, sine2 = std::max(0.0f, 1.0f - cosine * cosine);
    return (2.0f + inverse) * std::pow(sine2, 0.5f * inverse) / (2.0f * kPi);
}

using Means = std::array<float, ShineTable::kMeanOf>;

class AlbedoTable {
  public:
    AlbedoTable() {
        for (int r = 0; r < kSize; ++r)
            for (int c = 0; c < kSize; ++c) cells_[size_t(r) * kSize + size_t(c)] = integrate(r, c);
        for (int r = 0; r < kSize; ++r)
            for (size_t i = 0; i < means_[0].size(); ++i)
                means_[size_t(r)][i] = at(ShineTable::kMeanAt[i], float(r) / (kSize - 1));
    }
    Means atMeans(float roughness) const {
        const float y = std::clamp(roughness, 0.0f, 1.0f) * (kSize - 1);
        const int r = std::min(int(y), kSize - 2);
        const float f = y - float(r);
        Means out;
        for (size_t i = 0; i < out.size(); ++i)
            out[i] = std::min(1.0f, means_[size_t(r)][i] * (1 - f) + means_[size_t(r) + 1][i] * f);
        return out;
    }
    float at(float cosine, float roughness) const {
        const float x = std::clamp(cosine, 0.0f, 1.0f) * (kSize - 1),
                    y = std::clamp(roughness, 0.0f, 1.0f) * (kSize - 1);
        const int c = std::min(int(x), kSize - 2), r = std::min(int(y), kSize - 2);
        const float fx = x - float(c), fy = y - float(r);
        const auto row = [&](int i) { return cell(i, c) * (1 - fx) + cell(i, c + 1) * fx; };
        return row(r) * (1 - fy) + row(r + 1) * fy;
    }

  private:
    static constexpr int kSize = 24, kHeights = 24, kTurns = 16;
    float cell(int r, int c) const { return cells_[size_t(r) * kSize + size_t(c)]; }
    static float integrate(int r, int c) {
        const float cosine = std::max(0.01f, float(c) / (kSize - 1));
        const Fuzz fuzz{std::max(0.05f, float(r) / (kSize - 1))};
        const V3f wo(std::sqrt(1.0f - cosine * cosine), 0.0f, cosine);
        double sum = 0;
        for (int i = 0; i < kHeights; ++i)
            for (int j = 0; j < kTurns; ++j) {
                const float z = (float(i) + 0.5f) / kHeights, phi = kPi * (float(j) + 0.5f) / kTurns;
                const float s = std::sqrt(1.0f - z * z);
                const V3f wi(s * std::cos(phi), s * std::sin(phi), z);
                sum += double(fuzz.evaluate(wo, wi, (wo + wi).normalized()));
            }
        return float(sum) * 2.0f * kPi / (kHeights * kTurns);
    }
    std::array<float, size_t(kSize) * kSize> cells_;
    std::array<Means, size_t(kSize)> means_;
};

const AlbedoTable& albedoTable() {
    static const AlbedoTable table;
    return table;
}

}  // namespace

float Fuzz::evaluate(const V3f& wo, const V3f& wi, const V3f& h) const {
    if (wo.z <= 0.0f || wi.z <= 0.0f) return 0.0f;
    const float visible = 1.0f / (4.0f * (wi.z + wo.z - wi.z * wo.z));
    return density(h.z, roughness) * visible * wi.z;
}

float Fuzz::albedo(float cosine) const { return std::min(1.0f, albedoTable().at(cosine, roughness)); }

Means Fuzz::albedoAtMeans() const { return albedoTable().atMeans(roughness); }

void Fuzz::prepare() { albedoTable(); }

}  // namespace ovrix::render
