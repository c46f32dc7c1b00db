#include "render/trace/drawn.h"

#include "base/tint.h"
#include "render/shade/microfacet.h"
#include "render/trace/leave.h"
#include "render/trace/passing.h"

namespace ovrix::render {

namespace {

/// Straight from 0 to 1 about an edge, over a width.
float passage(float x, float edge, float width) {
    if (!(width > 0.0f)) return x >= edge ? 1.0f : 0.0f;
    return std::clamp((x - edge) / width + 0.5f, 0.0f, 1.0f);
}

/// How far from the shadow's colour to the light's.
float shadeOf(const LineArt& art, float light) {
    if (art.shading == LineArt::Shading::Flat) return 1.0f;
    if (art.shading == LineArt::Shading::Smooth) return passage(light, 0.5f, 1.0f);
    const int borders = std::max(1, art.steps - 1);
    float sum = 0.0f;  // the first at the edge, the others even from there to white
    for (int i = 0; i < borders; ++i)
        sum += passage(light, art.edge + (1.0f - art.edge) * float(i) / float(borders), art.softness);
    return sum / float(borders);
}

/// The middle of a light from there; none of what shines from everywhere.
std::optional<V3f> towards(const Light& light, const V3f& from) {
    const LightSample s = light.sample(from, 0.5f, 0.5f);
    if (!(s.pdf > 0.0f)) return std::nullopt;
    constexpr float kTogether = 0.9f;
    if (std::isinf(s.distance) &&
        light.sample(from, 0.25f, 0.25f).direction.dot(light.sample(from, 0.75f, 0.75f).direction) <
            kTogether)
        return std::nullopt;
    return s.direction;
}

float highlightAt(const LineArt::Highlight& h, const SurfaceMaterial& m, const SurfacePoint& p,
                  const V3f& toLight) {
    const V3f mirrored = p.normal * (2.0f * p.normal.dot(p.eye)) - p.eye;
    if (mirrored.dot(toLight) <= 0.0f || p.normal.dot(toLight) <= 0.0f) return 0.0f;
    V3f right = V3f(0, 1, 0).cross(toLight);
    right = right.dot(right) > 1e-8f ? right.normalized() : V3f(1, 0, 0);
    const V3f up = toLight.cross(right);
    const float size = std::max(std::sin(std::min(h.size, 0.5f * kPi)), 1e-5f);
    const V2f at(mirrored.dot(right) / size - h.offset.x, mirrored.dot(up) / size - h.offset.y);
    const float c = std::cos(h.turn), s = std::sin(h.turn), stretch = std::sqrt(std::max(h.stretch, 1e-4f));
    const V2f place((c * at.x + s * at.y) / stretch, (c * at.y - s * at.x) * stretch);
    if (!h.form.field) return h.form.high > 0.5f ? passage(1.0f - place.length(), 0.0f, h.softness) : 0.0f;
    if (std::max(std::abs(place.x), std::abs(place.y)) > 1.0f) return 0.0f;
    SurfacePoint across = p;
    across.uv = place * 0.5f + V2f(0.5f);
    const Samples one = samplesAt(across, m);
    FieldsAt fields(one);
    return passage(fields.of(h.form), 0.5f, h.softness);
}

constexpr size_t kAll = 8;  ///< lights that are all asked

LightReceiver receiverOf(const SurfacePoint& p) {
    return {p.strand ? LightReceiver::Strand : LightReceiver::Side, p.position,
            p.strand ? p.tangent : p.normal};
}

/// Of the light that is chosen, else of each; of many of those far away and of the strongest there.
float highlightOf(const SceneLights& lights, const LineArt::Highlight& h, const SurfaceMaterial& m,
                  const SurfacePoint& p) {
    const auto of = [&](uint32_t i) {
        const Light* lamp = lights.lamp(i);
        if (!lamp || (h.light != 0 && lamp->node != h.light) || !lamp->reaches(p.object, p.layer))
            return 0.0f;
        const auto way = towards(*lamp, p.position);
        return way ? highlightAt(h, m, p, *way) : 0.0f;
    };
    if (h.light == 0 && lights.count() > kAll) {
        const LightTree::Choice strongest = lights.tree().strongest(receiverOf(p));
        float most = strongest.probability > 0.0f ? of(strongest.light) : 0.0f;
        for (const uint32_t i : lights.tree().far()) most = std::max(most, of(i));
        return most;
    }
    float most = 0.0f;
    for (uint32_t i = 0; i < lights.count(); ++i) most = std::max(most, of(i));
    return most;
}

/// What a white matt body gives back of one light, with what lies between and without: radiances.
struct Given {
    V3f open{0, 0, 0}, arriving{0, 0, 0};
    void add(const Given& o, float weight) { open += o.open * weight, arriving += o.arriving * weight; }
};

Given given(const RenderScene& scene, const SceneLights& lights, uint32_t index, const SurfacePoint& p,
            const Media& within, float time, const std::array<float, 4>& r) {
    const Light* lamp = lights.lamp(index);
    if (lamp && !lamp->reaches(p.object, p.layer)) return {};
    const V3f from = p.strand ? p.position : leave(p.position, p.faceNormal, p.rounding);
    const LightSample s = lights.sample(index, from, r[0], r[1], r[2], time);
    if (!(s.pdf > 0.0f)) return {};
    // A strand takes light from all around it, as a thin cylinder does.
    const float along = s.direction.dot(p.tangent);
    const float cosine =
        p.strand ? std::sqrt(std::max(0.0f, 1.0f - along * along)) : s.direction.dot(p.normal);
    if (cosine <= 0.0f || (!p.strand && s.direction.dot(p.faceNormal) <= 0.0f)) return {};
    const Ray ray{p.strand ? leaveStrand(p, s.direction) : from, s.direction, time};
    Given out;
    out.open = s.radiance * (cosine / (kPi * s.pdf));
    const bool shadows = !lamp || lamp->shadows;
    out.arriving = shadows ? out.open * lightThrough(scene, ray, s.distance, within).light : out.open;
    return out;
}

/// Few lights are all asked, of many some.
Given givenByAll(const RenderScene& scene, const SceneLights& lights, const SurfacePoint& p,
                 const Media& within, float time, Sampler& sampler) {
    constexpr int kDrawn = 4;
    Given sum;
    if (lights.count() <= kAll) {
        // Of each a few pieces: what is made of the sum goes in steps, and chance would blur them.
        constexpr int kSide = 2;
        for (uint32_t i = 0; i < lights.count(); ++i)
            for (int k = 0; k < kSide * kSide; ++k) {
                auto r = sampler.next4();
                r[0] = (float(k % kSide) + r[0]) / kSide,
                r[1] = (std::floor(float(k) / kSide) + r[1]) / kSide;
                sum.add(given(scene, lights, i, p, within, time, r), 1.0f / (kSide * kSide));
            }
        return sum;
    }
    const LightReceiver receiver = receiverOf(p);
    for (int k = 0; k < kDrawn; ++k) {
        const LightTree::Choice choice = lights.tree().choose(receiver, sampler.next4()[0]);
        if (choice.probability > 0.0f)
            sum.add(given(scene, lights, choice.light, p, within, time, sampler.next4()),
                    1.0f / (float(kDrawn) * choice.probability));
    }
    return sum;
}

}  // namespace

float arrivingLight(const RenderScene& scene, const SceneLights& lights, const SurfacePoint& p,
                    const Media& within, float time, float white, Sampler& sampler) {
    const float sum = luminance(givenByAll(scene, lights, p, within, time, sampler).arriving);
    return std::isfinite(sum) ? sum / std::max(white, 1e-20f) : 0.0f;
}

V3f shadowAt(const RenderScene& scene, const SceneLights& lights, const SurfacePoint& p, const Media& within,
             float time, Sampler& sampler) {
    const Given all = givenByAll(scene, lights, p, within, time, sampler);
    V3f share(1.0f);
    for (int k = 0; k < 3; ++k)
        if (all.open[k] > 0.0f && std::isfinite(all.open[k])) share[k] = all.arriving[k] / all.open[k];
    return share;
}

/// No light below 0, and none of what is no number.
static Color bounded(Color c) {
    for (int k = 0; k < 3; ++k) c[k] = c[k] > 0.0f ? c[k] : 0.0f;
    return c;
}

Color drawnColor(const SceneLights& lights, const SurfaceMaterial& m, const SurfacePoint& p) {
    const LineArt& art = *m.drawn;
    const Samples one = samplesAt(p, m);
    FieldsAt at(one);
    const auto own = [&](const Color& c) { return V3f(tinted(c, p.tint) * p.factor); };
    const float shade = shadeOf(art, p.arriving);
    V3f color = own(p.colored ? p.color : at.of(m.base));
    if (shade < 1.0f) color = own(at.of(art.shadow)) * (1.0f - shade) + color * shade;
    if (const float w = within(at.of(art.highlight.weight), 0.0f, 1.0f); w > 0.0f) {
        const float there = w * highlightOf(lights, art.highlight, m, p);
        const V3f bright = art.highlight.lightens ? color * 0.4f + V3f(0.6f) : V3f(at.of(art.highlight.tint));
        color = color * (1.0f - there) + bright * there;
    }
    if (const float w = within(at.of(art.rim.weight), 0.0f, 1.0f); w > 0.0f) {
        const float turned = 1.0f - std::min(1.0f, std::abs(p.normal.dot(p.eye)));
        const float there = w * passage(turned, 1.0f - art.rim.width, art.rim.softness);
        color = color * (1.0f - there) + V3f(at.of(art.rim.color)) * there;
    }
    return bounded(Color(color));
}

Color lineColor(const SceneLights& lights, const SurfaceMaterial& m, const SurfacePoint& p) {
    const Contours& c = *m.contours;
    const Samples one = samplesAt(p, m);
    FieldsAt at(one);
    if (c.darkened < 0.0f) return bounded(at.of(c.color));
    return bounded((m.drawn ? drawnColor(lights, m, p) : at.of(m.base)) * c.darkened);
}

bool asksForLight(const SurfaceMaterial& m, bool line) {
    if (!m.drawn) return false;
    const bool shaded = m.drawn->shading != LineArt::Shading::Flat && (!line || m.contours->darkened >= 0.0f);
    return shaded || m.readsLight;
}

}  // namespace ovrix::render
