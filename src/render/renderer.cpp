#include "render/renderer.h"

#include "base/tint.h"

#include "base/parallel.h"
#include "render/bsdf.h"

namespace ovrix {

/// A shading frame: z is the normal.
struct Frame {
    V3f x, y, z;
    explicit Frame(const V3f& n) : z(n) { basis(n, x, y); }
    V3f toLocal(const V3f& v) const { return V3f(v.dot(x), v.dot(y), v.dot(z)); }
    V3f toWorld(const V3f& v) const { return x * v.x + y * v.y + z * v.z; }
};

struct Renderer::Path {
    Ray ray;
    Sampler sampler;
    FilmPixel& pixel;
    V3f weight{1.0f, 1.0f, 1.0f};
    V3f direct{0, 0, 0}, indirect{0, 0, 0};
    float pdf = 0.0f;  ///< of the direction that the last bounce took
    int depth = 0;
    void add(const V3f& light, int bounces) { (bounces <= 1 ? direct : indirect) += light; }
};

namespace {

/// Away from the surface by a little more than the rounding of its coordinates, so that rays do not
/// meet the face they start from.
V3f leave(const V3f& p, const V3f& normal) {
    const float size = std::max({std::abs(p.x), std::abs(p.y), std::abs(p.z), 1e-3f});
    return p + normal * (size * 2e-6f + 1e-6f);
}

float powerHeuristic(float a, float b) { return a * a / std::max(1e-30f, a * a + b * b); }

V3f capped(V3f c, float limit) {
    if (!isFinite(c)) return V3f(0.0f);
    if (limit > 0.0f)
        for (int i = 0; i < 3; ++i) c[i] = std::min(c[i], limit);
    return c;
}

struct Shaded {
    Bsdf bsdf;
    Color base;
    V3f emission{0, 0, 0};
};

float numberAt(const Driven& d, const Samples& one) {
    if (d.constant()) return d.high;
    float x = 1.0f;
    d.field->evaluate(one, {&x, 1});
    return lerp(d.low, d.high, x);
}

Shaded shade(const SurfaceMaterial& m, const SurfacePoint& p) {
    const Samples one = samplesAt(p);
    const Color base = tinted(m.base.at(one), p.tint);
    Shaded s{Bsdf(base, numberAt(m.roughness, one), numberAt(m.metalness, one), numberAt(m.specular, one),
                  numberAt(m.translucency, one)),
             base};
    if (m.glows()) s.emission = V3f(m.emission.at(one)) * numberAt(m.glow, one);
    return s;
}

/// Tent filter of one pixel's width on each side, by warping.
float tent(float u) { return u < 0.5f ? std::sqrt(2.0f * u) - 1.0f : 1.0f - std::sqrt(2.0f - 2.0f * u); }

}  // namespace

Ray Renderer::primaryRay(const Film& film, int x, int y, Sampler& sampler) const {
    const auto r = sampler.next4();
    const float px = (float(x) + 0.5f + tent(r[0])) / float(film.width());
    const float py = (float(y) + 0.5f + tent(r[1])) / float(film.height());
    return camera_.ray(px, py, r[2], r[3]);
}

/// Light that the ray meets before or behind the surface it hit. True when the path ends at a light.
bool Renderer::meetLights(Path& path, const RayHit& hit) const {
    const float reach = hit.hit() ? hit.distance : std::numeric_limits<float>::infinity();
    const LightHit* nearest = nullptr;
    LightHit best;
    for (const Light& light : scene_.lights) {
        const LightHit met = hitLight(light, path.ray.origin, path.ray.direction);
        if (!met.hit || met.distance > reach || (hit.hit() && met.distance == reach)) continue;
        const float weight =
            path.depth == 0 ? 1.0f : powerHeuristic(path.pdf, met.pdf / float(scene_.lights.size()));
        if (std::isinf(met.distance)) {  // far lights lie over one another
            if (path.depth > 0 || !options_.clearBackground)
                path.add(capped(path.weight * met.radiance * weight, path.depth > 1 ? options_.limit : 0.0f),
                         path.depth);
            continue;
        }
        if (!nearest || met.distance < best.distance) {
            best = met;
            best.radiance *= weight;
            nearest = &best;
        }
    }
    if (nearest)
        path.add(capped(path.weight * best.radiance, path.depth > 1 ? options_.limit : 0.0f), path.depth);
    return nearest != nullptr;
}

void Renderer::gatherLight(Path& path, const SurfacePoint& point, const Bsdf& bsdf, const V3f& wo,
                           const Frame& frame) const {
    const auto r = path.sampler.next4();
    const size_t count = scene_.lights.size();
    if (count == 0) return;
    const Light& light = scene_.lights[std::min(size_t(r[0] * float(count)), count - 1)];
    const V3f origin = leave(point.position, point.faceNormal);
    const LightSample s = sampleLight(light, origin, r[1], r[2]);
    if (s.pdf <= 0.0f) return;
    const V3f wi = frame.toLocal(s.direction);
    const float side = s.direction.dot(point.faceNormal);
    if (side * wi.z <= 0.0f) return;  // the bent normal and the face do not agree
    const Bsdf::Value value = bsdf.evaluate(wo, wi);
    if (value.pdf <= 0.0f && value.f.x + value.f.y + value.f.z <= 0.0f) return;
    const float pdf = s.pdf / float(count);
    const V3f light3 = path.weight * value.f * s.radiance * (powerHeuristic(pdf, value.pdf) / pdf);
    if (light3.x + light3.y + light3.z <= 0.0f ||
        scene_.blocked(side > 0.0f ? origin : leave(point.position, -point.faceNormal), s.direction,
                       s.distance))
        return;
    path.add(capped(light3, path.depth > 0 ? options_.limit : 0.0f), path.depth + 1);
}

bool Renderer::bounce(Path& path, const SurfacePoint& point, const Bsdf& bsdf, const V3f& wo,
                      const Frame& frame) const {
    const auto r = path.sampler.next4();
    const Bsdf::Sample s = bsdf.sample(wo, r[0], r[1], r[2]);
    const V3f direction = frame.toWorld(s.wi);
    const float side = direction.dot(point.faceNormal);
    if (s.pdf <= 0.0f || side * s.wi.z <= 0.0f) return false;
    path.weight *= s.weight;
    path.pdf = s.pdf;
    ++path.depth;
    if (path.depth > 3) {
        const float stay = std::clamp(std::max({path.weight.x, path.weight.y, path.weight.z}), 0.05f, 1.0f);
        if (r[3] >= stay) return false;
        path.weight /= stay;
    }
    path.ray = {leave(point.position, side > 0.0f ? point.faceNormal : -point.faceNormal),
                direction.normalized()};
    return path.depth <= options_.bounces + 1;
}

void Renderer::samplePixel(FilmPixel& pixel, const Film& film, int x, int y, uint32_t pass) const {
    Sampler sampler(uint32_t(x), uint32_t(y), pass, options_.seed);
    const Ray first = primaryRay(film, x, y, sampler);
    Path path{first, sampler, pixel};
    bool seen = false;
    for (;;) {
        const RayHit hit = scene_.intersect(path.ray, path.depth == 0);
        const bool ended = meetLights(path, hit);
        if (path.depth == 0) seen = hit.hit() || ended;
        // The last ray only looks for lights, so that both ways to find them count.
        if (ended || !hit.hit() || path.depth > options_.bounces) break;
        const SurfacePoint point = scene_.surfacePoint(hit, path.ray);
        const Shaded s = shade(scene_.materialOf(point), point);
        if (path.depth == 0) {
            pixel.normal += point.normal;
            pixel.albedo += s.base;
            if (pixel.samples == 0) {
                pixel.depth = (point.position - camera_.position()).dot(camera_.forward());
                pixel.object = point.object;
                pixel.layer = point.layer;
            }
        }
        if (s.emission != V3f(0.0f))
            path.add(capped(path.weight * s.emission, path.depth > 1 ? options_.limit : 0.0f), path.depth);
        const Frame frame(point.normal);
        V3f wo = frame.toLocal(-path.ray.direction);
        wo.z = std::max(wo.z, 1e-4f);  // a bent normal may look away at the rim
        wo.normalize();
        gatherLight(path, point, s.bsdf, wo, frame);
        if (!bounce(path, point, s.bsdf, wo, frame)) break;
    }
    pixel.direct += capped(path.direct, 0.0f);
    pixel.indirect += capped(path.indirect, 0.0f);
    pixel.alpha += seen || !options_.clearBackground ? 1.0f : 0.0f;
    ++pixel.samples;
}

namespace {

constexpr int kTile = 16;

template <class Body>
void overTiles(const Rect& r, Progress& progress, const Body& body) {
    const int columns = (r.width + kTile - 1) / kTile, rows = (r.height + kTile - 1) / kTile;
    parallelRanges(size_t(columns) * size_t(rows), 1, progress, [&](size_t begin, size_t end) {
        for (size_t tile = begin; tile < end; ++tile) {
            const int x = r.x + int(tile) % columns * kTile, y = r.y + int(tile) / columns * kTile;
            body(Rect{x, y, std::min(kTile, r.x + r.width - x), std::min(kTile, r.y + r.height - y)});
        }
    });
}

}  // namespace

void Renderer::renderPass(Film& film, uint32_t pass, const Rect& region, Progress& progress) const {
    overTiles(region, progress, [&](const Rect& tile) {
        for (int y = tile.y; y < tile.y + tile.height; ++y)
            for (int x = tile.x; x < tile.x + tile.width; ++x) samplePixel(film.at(x, y), film, x, y, pass);
    });
}

void Renderer::renderPreview(Film& film, int step, const Rect& region, Progress& progress) const {
    overTiles(region, progress, [&](const Rect& tile) {
        for (int y = tile.y; y < tile.y + tile.height; y += step)
            for (int x = tile.x; x < tile.x + tile.width; x += step) {
                FilmPixel pixel;
                samplePixel(pixel, film, std::min(x + step / 2, film.width() - 1),
                            std::min(y + step / 2, film.height() - 1), 0);
                for (int j = y; j < std::min(y + step, tile.y + tile.height); ++j)
                    for (int i = x; i < std::min(x + step, tile.x + tile.width); ++i) film.at(i, j) = pixel;
            }
    });
}

}  // namespace ovrix
