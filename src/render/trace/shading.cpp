#include "render/trace/shading.h"

#include "base/random.h"
#include "base/tint.h"

namespace ovrix::render {

float melaninOf(float melanin, float range, float grey, uint64_t strand) {
    if (grey > 0.0f && random1(0, strand, Stream::Grey) < grey) return 0.0f;
    const float own = range > 0.0f ? range * (2.0f * random1(0, strand, Stream::Color) - 1.0f) : 0.0f;
    return within(melanin + own, 0.0f, 1.0f);
}

namespace {

float melaninAt(const FibreMaterial& f, const SurfacePoint& p, FieldsAt& at) {
    return melaninOf(at.of(f.melanin), at.of(f.melaninRange), at.of(f.grey), p.element);
}

Shaded shadeFibre(const SurfaceMaterial& m, const SurfacePoint& p, FieldsAt& at) {
    const FibreMaterial& f = *m.fibre;
    Fibre::Options o;
    o.roughness = at.of(f.roughness);
    o.roughnessAround = at.of(f.roughnessAround);
    o.specular = at.of(f.specular);
    const Color inner = at.of(f.innerTint);
    for (int k = 0; k < 3; ++k) o.innerTint[k] = within(inner[k], 0.0f, 1.0f);
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
                           ? absorptionOfMelanin(melaninAt(f, p, at), at.of(f.redness))
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
    l.film.weight = at.of(m.filmWeight);
    if (l.film.weight > 0.0f) {
        l.film.micrometres = at.of(m.filmThickness);
        l.film.ior = at.of(m.filmIor);
    }
    if (l.fuzzWeight > 0.0f) {
        l.fuzzRoughness = at.of(m.fuzzRoughness);
        l.fuzzColor = at.of(m.fuzzColor);
    }
    return l;
}

/// What has no inside gives light back where it came, a half of it on the other side.
void addSubsurface(const SurfaceMaterial& m, const SurfacePoint& p, FieldsAt& at, SurfaceLayers& layers,
                   Shaded& s) {
    const float weight = within(at.of(m.subsurfaceWeight), 0.0f, 1.0f);
    if (weight <= 0.0f) return;
    const Color color = tinted(at.of(m.subsurfaceColor), p.tint) * p.factor;
    s.base = s.base * (1.0f - weight) + color * weight;
    if (thinAt(m, p)) {
        layers.base = s.base;
        layers.translucency = lerp(layers.translucency, 0.5f, weight);
        return;
    }
    layers.subsurfaceWeight = weight;
    s.beneath = Cloudy::of(color, V3f(at.of(m.subsurfaceScale)) * at.of(m.subsurfaceRadius),
                           at.of(m.subsurfaceForward));
}

/// With what lies over it. @p base  the colour of its body
SurfaceLayers layersAt(const SurfaceMaterial& m, const SurfacePoint& p, FieldsAt& at, Shaded& s) {
    s.base = tinted(p.colored ? p.color : at.of(m.base), p.tint) * p.factor * at.of(m.baseWeight);
    SurfaceLayers layers = layersAt(m, s.base, at);
    if (m.grained()) s.grain = at.of(m.rotation);
    addSubsurface(m, p, at, layers, s);
    const float cover = m.coverAt(at);
    if (cover <= 0.0f) return layers;
    Shaded above{Bsdf({}), Color(0.0f)};
    const SurfaceLayers upper = layersAt(*m.over, p, at, above);
    s.base = s.base * (1.0f - cover) + above.base * cover;
    if (cover >= 0.5f || !s.beneath) {
        if (above.beneath) s.beneath = above.beneath;
        if (cover >= 0.5f) s.grain = above.grain;
    }
    return mixed(layers, upper, cover);
}

/// The same place a little way along its face.
SurfacePoint shifted(const SurfacePoint& p, const V3f& by) {
    SurfacePoint out = p;
    out.position += by;
    const float aa = p.edge[0].dot(p.edge[0]), ab = p.edge[0].dot(p.edge[1]), bb = p.edge[1].dot(p.edge[1]);
    const float det = aa * bb - ab * ab, a = by.dot(p.edge[0]), b = by.dot(p.edge[1]);
    if (!(det > 0.0f)) return out;
    const V2f w((a * bb - b * ab) / det, (b * aa - a * ab) / det);
    out.bary += w;
    out.uv += p.edgeUv[0] * w.x + p.edgeUv[1] * w.y;
    return out;
}

/// How steeply it rises along the face, metres a metre.
V3f slopeOf(const SurfaceMaterial& m, const SurfacePoint& p, FieldsAt& at, float step) {
    const float here = m.bumpAt(at);
    V3f x, y, slope(0.0f);
    basis(p.faceNormal, x, y);
    for (const V3f& axis : {x, y}) {
        const SurfacePoint beside = shifted(p, axis * step);
        const Samples one = samplesAt(beside, m);
        FieldsAt there(one);
        slope += axis * ((m.bumpAt(there) - here) / step);
    }
    return p.backside ? -slope : slope;  // it rises to the side that looks outwards
}

/// What a map says, in the frame of the texture's axes.
V3f mapped(const SurfaceMaterial& m, const SurfacePoint& p, FieldsAt& at) {
    V3f n = p.normal;
    if (m.mapsOwnNormals()) {
        const Color c = at.of(m.normalMap);
        const float strength = at.of(m.normalStrength);
        const Frame frame(p.normal, p.tangent, 0.0f);
        const float turn = p.backside ? -1.0f : 1.0f;
        const bool mirrored = p.edgeUv[0].cross(p.edgeUv[1]) < 0.0f;
        n = frame.x * ((2.0f * c.x - 1.0f) * strength * turn) +
            frame.y * ((2.0f * c.y - 1.0f) * strength * (mirrored ? -1.0f : 1.0f)) +
            frame.z * std::max(2.0f * c.z - 1.0f, 1e-3f);
    }
    const float cover = m.coverAt(at);
    return cover > 0.0f ? n.normalized() * (1.0f - cover) + mapped(*m.over, p, at) * cover : n;
}

}  // namespace

V3f bentNormal(const SurfaceMaterial& m, const SurfacePoint& p, FieldsAt& at, float footprint) {
    V3f n = m.mapsNormals() ? mapped(m, p, at) : p.normal;
    if (m.bumps()) {
        const float size = std::max({std::abs(p.position.x), std::abs(p.position.y), std::abs(p.position.z)});
        n = n.normalized() - slopeOf(m, p, at, std::max({footprint, 1e-5f, size * 1e-5f}));
    }
    const float length2 = n.dot(n);
    if (!(length2 > 1e-12f) || !std::isfinite(length2)) return p.normal;
    return n / std::sqrt(length2);
}

Clear clearAt(const SurfaceMaterial& m, const SurfacePoint& p, FieldsAt& at, const Wavelength& wavelength) {
    const float cover = m.coverAt(at);
    if (cover >= 1.0f) return clearAt(*m.over, p, at, wavelength);
    Clear clear{within(at.of(m.transmissionWeight) * (1.0f - at.of(m.metalness)), 0.0f, 1.0f),
                within(at.of(m.ior), 1.0f, 4.0f),
                at.of(m.transmissionDepth),
                tinted(at.of(m.transmissionColor), p.tint) * p.factor,
                V3f(at.of(m.transmissionScatter)),
                at.of(m.transmissionForward)};
    if (wavelength && m.disperses()) {
        const float scale = within(at.of(m.dispersion), 0.0f, 1.0f);
        const float abbe = within(at.of(m.abbe), 9.0f, 91.0f);  // those that matter has
        if (scale > 0.0f) clear.ior = iorAt(clear.ior, abbe / scale, wavelength.nanometres);
    }
    if (cover <= 0.0f) return clear;
    const Clear above = clearAt(*m.over, p, at, wavelength);
    clear.weight = lerp(clear.weight, above.weight, cover);
    if (cover < 0.5f) return clear;  // matter is one or the other
    return {clear.weight, above.ior, above.depth, above.tint, above.scatter, above.forward};
}

Medium mediumOf(const SurfaceMaterial& m, const Clear& clear, uint32_t instance) {
    Medium medium{.instance = instance, .priority = m.priority, .ior = clear.ior};
    constexpr float kDarkest = 1e-4f;
    for (int k = 0; k < 3 && clear.depth > 0.0f; ++k)
        medium.extinction[k] = -std::log(within(clear.tint[k], kDarkest, 1.0f)) / clear.depth;
    if (!(clear.depth > 0.0f)) return medium;
    // What is scattered is at most all that is taken; where it is more, that much more is taken.
    float more = 0.0f;
    for (int k = 0; k < 3; ++k) {
        medium.scatter[k] = std::max(0.0f, clear.scatter[k]) / clear.depth;
        more = std::max(more, medium.scatter[k] - medium.extinction[k]);
    }
    medium.extinction += V3f(more);
    medium.forward = within(clear.forward, -1.0f, 1.0f);
    return medium;
}

V3f emissionAt(const SurfaceMaterial& m, const SurfacePoint& p, FieldsAt& at) {
    V3f light = V3f(at.of(m.emission) * p.factor) * (at.of(m.luminance) * m.perNit);
    if (const float cover = m.coverAt(at); cover > 0.0f)
        light = light * (1.0f - cover) + emissionAt(*m.over, p, at) * cover;
    // Fields give anything: darkness below 0 is none, and what is no number gives no light.
    return V3f(std::max(0.0f, light.x), std::max(0.0f, light.y), std::max(0.0f, light.z));
}

Shaded shade(const SurfaceMaterial& m, const SurfacePoint& p, const PathState& path) {
    const Samples one = samplesAt(p, m);
    FieldsAt at(one);
    return shade(m, p, path, at);
}

Shaded shade(const SurfaceMaterial& m, const SurfacePoint& p, const PathState& path, FieldsAt& at) {
    if (m.fibre) return shadeFibre(m, p, at);
    Shaded s{Bsdf({}), Color(0.0f)};
    if (!p.strand && (m.bumps() || m.mapsNormals())) s.normal = bentNormal(m, p, at, path.footprint);
    SurfaceLayers layers = layersAt(m, p, at, s);
    layers.roughness = std::max(layers.roughness, path.roughen);
    layers.coatRoughness = std::max(layers.coatRoughness, path.roughen);
    if (m.clear()) {
        const Clear clear = clearAt(m, p, at, path.wavelength);
        layers.ior = clear.ior;
        layers.thinWalled = thinAt(m, p);
        layers.inside = p.backside && !layers.thinWalled;
        layers.outerIor = layers.thinWalled ? 1.0f : path.media.iorAround(path.instance);
        // Matter that colours light on its way does not do so at its boundary; else on the way in alone.
        layers.transmissionTint = clear.depth > 0.0f || layers.inside ? Color(1.0f) : Color(clear.tint);
        if (!layers.thinWalled) s.behind = mediumOf(m, clear, path.instance);
        s.disperses = path.wavelength && m.disperses();
    }
    constexpr float kSharp = 0.15f;
    s.sharp = layers.roughness < kSharp;
    s.scatter = Bsdf(layers);
    if (m.glows()) s.emission = emissionAt(m, p, at);
    return s;
}

}  // namespace ovrix::render
