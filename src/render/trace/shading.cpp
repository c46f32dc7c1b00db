#include "render/trace/shading.h"

#include "base/tint.h"

namespace ovrix::render {

namespace {

Shaded shadeFibre(const SurfaceMaterial& m, const SurfacePoint& p, FieldsAt& at) {
    const FibreMaterial& f = *m.fibre;
    Fibre::Options o;
    o.roughness = at.of(f.roughness);
    o.roughnessAround = at.of(f.roughnessAround);
    o.specular = at.of(f.specular);
    o.draft = f.draft;
    Color base;
    if (f.ownColors && p.colored) {
        base = tinted(p.color, p.tint) * p.factor;
        o.absorption = absorptionOfColor(base, o.roughnessAround);
    } else if (f.coloured == FibreMaterial::Coloured::Color) {
        base = tinted(at.of(m.base), p.tint) * p.factor;
        o.absorption = absorptionOfColor(base, o.roughnessAround);
    } else {
        o.absorption = f.coloured == FibreMaterial::Coloured::Melanin
                           ? absorptionOfMelanin(at.of(f.melanin), at.of(f.redness))
                           : V3f(at.of(f.absorption));
        base = tinted(colorOfAbsorption(o.absorption, o.roughnessAround), p.tint) * p.factor;
        if (p.factor != Color(1.0f)) o.absorption = absorptionOfColor(base, o.roughnessAround);
    }
    o.base = base;
    if (!p.strand) return {Bsdf({.base = base, .specularWeight = 0.6f, .roughness = 0.8f}), base, V3f(0.0f)};
    return {Fibre(*f.shape, o, p.across), base, V3f(0.0f)};
}

SurfaceLayers layersAt(const SurfaceMaterial& m, const Color& base, FieldsAt& at) {
    SurfaceLayers l{.base = base,
                    .diffuseRoughness = at.of(m.diffuseRoughness),
                    .metalness = at.of(m.metalness),
                    .specularWeight = at.of(m.specularWeight),
                    .specularColor = at.of(m.specularColor),
                    .roughness = at.of(m.roughness),
                    .anisotropy = at.of(m.anisotropy),
                    .ior = at.of(m.ior),
                    .translucency = at.of(m.translucency),
                    .coatWeight = at.of(m.coatWeight),
                    .transmissionWeight = at.of(m.transmissionWeight),
                    .fuzzWeight = at.of(m.fuzzWeight)};
    if (l.coatWeight > 0.0f) {
        l.coatRoughness = at.of(m.coatRoughness);
        l.coatIor = at.of(m.coatIor);
        l.coatDarkening = at.of(m.coatDarkening);
        l.coatColor = at.of(m.coatColor);
    }
    if (l.fuzzWeight > 0.0f) {
        l.fuzzRoughness = at.of(m.fuzzRoughness);
        l.fuzzColor = at.of(m.fuzzColor);
    }
    return l;
}

}  // namespace

Clear clearAt(const SurfaceMaterial& m, const SurfacePoint& p, FieldsAt& at) {
    return {within(at.of(m.transmissionWeight) * (1.0f - at.of(m.metalness)), 0.0f, 1.0f),
            within(at.of(m.ior), 1.0f, 4.0f), at.of(m.transmissionDepth),
            tinted(at.of(m.transmissionColor), p.tint) * p.factor};
}

Medium mediumOf(const SurfaceMaterial& m, const Clear& clear, uint32_t instance) {
    Medium medium{.instance = instance, .priority = m.priority, .ior = clear.ior};
    constexpr float kDarkest = 1e-4f;
    for (int k = 0; k < 3 && clear.depth > 0.0f; ++k)
        medium.absorption[k] = -std::log(within(clear.tint[k], kDarkest, 1.0f)) / clear.depth;
    return medium;
}

Shaded shade(const SurfaceMaterial& m, const SurfacePoint& p, const Media& media, uint32_t instance) {
    const Samples one = samplesAt(p, m);
    FieldsAt at(one);
    if (m.fibre) return shadeFibre(m, p, at);
    const Color base = tinted(p.colored ? p.color : at.of(m.base), p.tint) * p.factor * at.of(m.baseWeight);
    SurfaceLayers layers = layersAt(m, base, at);
    std::optional<Medium> behind;
    if (m.clear()) {
        const Clear clear = clearAt(m, p, at);
        layers.thinWalled = thinAt(m, p);
        layers.inside = p.backside && !layers.thinWalled;
        layers.outerIor = layers.thinWalled ? 1.0f : media.iorAround(instance);
        // Matter that colours light on its way does not do so at its boundary; else on the way in alone.
        layers.transmissionTint = clear.depth > 0.0f || layers.inside ? Color(1.0f) : Color(clear.tint);
        if (!layers.thinWalled) behind = mediumOf(m, clear, instance);
    }
    Shaded s{Bsdf(layers), base};
    s.behind = behind;
    if (m.grained()) s.grain = at.of(m.rotation);
    if (m.glows()) s.emission = V3f(at.of(m.emission) * p.factor) * at.of(m.glow);
    return s;
}

}  // namespace ovrix::render
