#include "render/cloud/cloud_scatter.h"

#include "render/shade/microfacet.h"
#include "render/shade/phase.h"

namespace ovrix::render {

CloudScatter::CloudScatter(const Cloud& cloud, size_t row, const V3f& toEye)
    : cloud_(cloud), row_(row), eye_(toEye), axis_(0.0f), albedo_(cloud.albedo(row)) {
    const CloudMaterial& look = cloud.look();
    if (look.scatter == CloudMaterial::Scatter::Even || look.scatter == CloudMaterial::Scatter::Lobes) return;
    axis_ = cloud.axisOf(row);
    if (!cloud.ofStrands() || !look.fibre || axis_ == V3f(0.0f)) return;
    z_ = eye_ - axis_ * eye_.dot(axis_);
    V3f other;
    if (z_.dot(z_) > 1e-12f)
        z_.normalize();
    else
        basis(axis_, other, z_);
    y_ = z_.cross(axis_);
    const bool draft = look.scatter == CloudMaterial::Scatter::Strand;
    const float rough = within(cloud.roughness(row), 0.0f, 1.0f);
    fibre_.emplace(*look.fibre,
                   Fibre::Options{.absorption = draft ? V3f(0.0f) : absorptionOfColor(Color(albedo_), rough),
                                  .roughness = rough,
                                  .roughnessAround = rough,
                                  .specular = within(cloud.shine(row), 0.0f, 1.0f),
                                  .draft = draft,
                                  .base = Color(albedo_)},
                   0.0f);
}

/// A matt face and a shine on it, of a normal that turns to the eye.
V3f CloudScatter::facing(const V3f& toLight) const {
    const V3f n = axis_.dot(eye_) < 0.0f ? -axis_ : axis_;
    const float in = n.dot(toLight), out = std::max(n.dot(eye_), 1e-3f);
    if (!(in > 0.0f)) return V3f(0.0f);
    V3f light = albedo_ * (in / kPi);
    const float shine = within(cloud_.shine(row_), 0.0f, 1.0f);
    if (!(shine > 0.0f)) return light;
    constexpr float kStraight = 0.04f;  // of light that comes straight onto water, wax or stone
    V3f x, y;
    basis(n, x, y);
    const V3f wo(eye_.dot(x), eye_.dot(y), out), wi(toLight.dot(x), toLight.dot(y), in);
    const V3f h = (wo + wi).normalized();
    const Microfacet facets = Microfacet::of(within(cloud_.roughness(row_), 0.05f, 1.0f));
    const float mirrored = kStraight + (1.0f - kStraight) * fifthPower(1.0f - std::max(0.0f, wo.dot(h)));
    return light * (1.0f - shine * mirrored) +
           V3f(shine * mirrored * facets.density(h) * facets.seenByBoth(wo, wi) / (4.0f * out));
}

V3f CloudScatter::value(const V3f& toLight, float softened) const {
    constexpr float kEven = 1.0f / (4.0f * kPi);
    if (fibre_) {
        const auto local = [&](const V3f& w) { return V3f(w.dot(axis_), w.dot(y_), w.dot(z_)); };
        return fibre_->evaluateWhole(local(eye_), local(toLight)).f;
    }
    if (cloud_.look().scatter == CloudMaterial::Scatter::Surface && axis_ != V3f(0.0f))
        return facing(toLight);
    if (cloud_.look().scatter != CloudMaterial::Scatter::Lobes) return albedo_ * kEven;
    const float cosine = -eye_.dot(toLight), back = within(cloud_.backWeight(row_), 0.0f, 1.0f);
    return albedo_ * lerp(phase(cloud_.forward(row_) * softened, cosine),
                          phase(cloud_.back(row_) * softened, cosine), back);
}

}  // namespace ovrix::render
