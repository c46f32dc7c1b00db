#include "render/shade/glass.h"

namespace ovrix::render {

namespace {

/// The direction into which light from wo is bent at a facet; of no length where all is reflected.
V3f bent(const V3f& wo, const V3f& h, float eta) {
    const float cosine = wo.dot(h), sine2 = std::max(0.0f, 1.0f - cosine * cosine) / (eta * eta);
    if (sine2 >= 1.0f) return V3f(0.0f);
    return h * (cosine / eta - std::sqrt(1.0f - sine2)) - wo / eta;
}

/// What facets give on, of light from everywhere on both sides, over cosine, width and index.
class KeptTable {
  public:
    KeptTable() {
        for (int s = 0; s < kSides; ++s)
            for (int i = 0; i < kSize; ++i)
                for (int r = 0; r < kSize; ++r)
                    for (int c = 0; c < kSize; ++c) cells_[at(s, i, r, c)] = integrate(s, i, r, c);
    }
    float at(float cosine, float width, float eta) const {
        const int side = eta < 1.0f;
        const float index = side ? 1.0f / eta : eta;
        const auto [i, fi] = place((index - 1.0f) / (index + 1.0f) / kMostIndex);
        const auto [r, fr] = place(std::sqrt(width));
        const auto [c, fc] = place(std::sqrt(within(cosine, 0.0f, 1.0f)));
        float sum = 0.0f;
        for (int k = 0; k < 8; ++k) {
            const float weight = (k & 1 ? fi : 1 - fi) * (k & 2 ? fr : 1 - fr) * (k & 4 ? fc : 1 - fc);
            sum += weight * cells_[at(side, i + (k & 1), r + (k >> 1 & 1), c + (k >> 2 & 1))];
        }
        return sum;
    }

  private:
    static constexpr int kSize = 12, kSides = 2, kDraws = 12;
    static constexpr float kMostIndex = 0.6f;  // that of 4
    static size_t at(int s, int i, int r, int c) {
        return ((size_t(s) * kSize + size_t(i)) * kSize + size_t(r)) * kSize + size_t(c);
    }
    static std::pair<int, float> place(float x) {
        const float at = within(x, 0.0f, 1.0f) * (kSize - 1);
        const int low = std::min(int(at), kSize - 2);
        return {low, at - float(low)};
    }
    static float integrate(int side, int i, int r, int c) {
        const float head = std::max(1e-3f, kMostIndex * float(i) / (kSize - 1));
        const float index = (1.0f + head) / (1.0f - head), eta = side ? 1.0f / index : index;
        const float rough = float(r) / (kSize - 1), width = std::max(1e-3f, rough * rough);
        const float root = float(c) / (kSize - 1), cosine = std::max(1e-2f, root * root);
        const Microfacet facets{width, width};
        const V3f wo(std::sqrt(1.0f - cosine * cosine), 0.0f, cosine);
        double sum = 0;
        for (int a = 0; a < kDraws; ++a)
            for (int b = 0; b < kDraws; ++b) {
                const V3f h = facets.sample(wo, (float(a) + 0.5f) / kDraws, (float(b) + 0.5f) / kDraws);
                const float f = fresnel(wo.dot(h), eta);
                const V3f up = h * (2.0f * wo.dot(h)) - wo, down = bent(wo, h, eta);
                const float lo = 1.0f + facets.lambda(wo);
                if (up.z > 0.0f) sum += double(f * lo / (lo + facets.lambda(up)));
                if (down.z < 0.0f) sum += double((1.0f - f) * lo / (lo + facets.lambda(down)));
            }
        return float(sum) / (kDraws * kDraws);
    }
    std::array<float, size_t(kSides) * kSize * kSize * kSize> cells_;
};

const KeptTable& keptTable() {
    static const KeptTable table;
    return table;
}

}  // namespace

float fresnel(float cosine, float eta) {
    const float c = within(cosine, 0.0f, 1.0f), sine2 = (1.0f - c * c) / (eta * eta);
    if (sine2 >= 1.0f) return 1.0f;
    const float beyond = std::sqrt(1.0f - sine2);
    const float along = (eta * c - beyond) / (eta * c + beyond),
                across = (c - eta * beyond) / (c + eta * beyond);
    return 0.5f * (along * along + across * across);
}

Glass::Glass(const Microfacet& facets, float eta, bool thin, const V3f& tint)
    : facets_(facets), eta_(within(eta, 0.25f, 4.0f)), thin_(thin), tint_(tint) {
    constexpr float kNothing = 1e-3f;  // an index of 1 bends nothing, and the formulas divide by that
    if (!thin_ && std::abs(eta_ - 1.0f) < kNothing) eta_ = 1.0f + kNothing;
}

void Glass::prepare() { keptTable(); }

V3f Glass::reflected(float cosine) const {
    V3f once(fresnel(cosine, eta_));
    if (film_.weight > 0.0f) once += (film_.overDielectric(cosine, outer_, eta_) - once) * film_.weight;
    if (!thin_) return once;
    return V3f(2.0f) - V3f(2.0f) / (V3f(1.0f) + once);  // back and forth within the pane
}

float Glass::kept(const V3f& wo) const {
    // Where facets are stretched those of the other way count as well; rather too narrow, so that no light is
    // made.
    const float width =
        lerp(facets_.widthSeen(wo, facets_.width()), std::min(facets_.alphaX, facets_.alphaY), 0.5f);
    if (!thin_) return std::max(0.2f, keptTable().at(wo.z, width, eta_));
    const V2f seen = ShineTable::get().at(wo.z, width);
    return std::max(0.2f, seen.x + seen.y);
}

Glass::Value Glass::reflect(const V3f& wo, const V3f& wi) const {
    const V3f h = (wo + wi).normalized();
    const V3f part = reflected(wo.dot(h));
    const float out = facets_.lambda(wo), facets = facets_.density(h) / (4.0f * wo.z);
    return {part * (facets / (1.0f + out + facets_.lambda(wi)) / kept(wo)),
            luminance(part) * facets / (1.0f + out)};
}

Glass::Value Glass::refract(const V3f& wo, const V3f& wi) const {
    if (thin_) {  // straight on: as if reflected, on the other side
        const V3f mirrored(wi.x, wi.y, -wi.z);
        const V3f h = (wo + mirrored).normalized();
        const V3f part = V3f(1.0f) - reflected(wo.dot(h));
        const float out = facets_.lambda(wo), facets = facets_.density(h) / (4.0f * wo.z);
        return {tint_ * part * (facets / (1.0f + out + facets_.lambda(mirrored)) / kept(wo)),
                luminance(part) * facets / (1.0f + out)};
    }
    V3f h = wo + wi * eta_;
    h = h.z < 0.0f ? -h.normalized() : h.normalized();
    const float before = wo.dot(h), beyond = wi.dot(h);
    if (before <= 0.0f || beyond >= 0.0f) return {};
    const V3f part = V3f(1.0f) - reflected(before);
    const float out = facets_.lambda(wo);
    const float across = beyond + before / eta_,
                narrow = -beyond / (across * across);  // facets to directions
    const float facets = facets_.density(h) * before * narrow / wo.z;
    return {tint_ * part * (facets / (1.0f + out + facets_.lambda(wi)) / (eta_ * eta_) / kept(wo)),
            luminance(part) * facets / (1.0f + out)};
}

Glass::Value Glass::value(const V3f& wo, const V3f& wi) const {
    return wi.z > 0.0f ? reflect(wo, wi) : refract(wo, wi);
}

V3f Glass::sample(const V3f& wo, float pick, float u, float v) const {
    const V3f h = facets_.sample(wo, u, v);
    const float cosine = wo.dot(h);
    const V3f up = h * (2.0f * cosine) - wo;
    if (pick < luminance(reflected(cosine))) return up.z > 0.0f ? up : V3f(0.0f);
    if (thin_) return up.z > 0.0f ? V3f(up.x, up.y, -up.z) : V3f(0.0f);
    const V3f down = bent(wo, h, eta_);
    return down.z < 0.0f ? down : V3f(0.0f);
}

}  // namespace ovrix::render
