// What the renderer does with fog, with what lies behind all, and with what is drawn.
#include "render/trace/drawn.h"
#include "render/trace/leave.h"
#include "render/trace/passing.h"
#include "render/trace/path.h"

namespace ovrix::render {

V3f Backdrop::at(float x, float y, float aspect) const {
    if (kind == Kind::Color) return color;
    if (!image || image->width < 1 || image->height < 1) return V3f(0.0f);
    const float own = float(image->width) / float(image->height);
    V2f scale(1.0f, 1.0f);  // of the picture by the image
    if ((own > aspect) == whole)
        scale.y = own / aspect;
    else
        scale.x = aspect / own;
    const float u = 0.5f + (x - 0.5f) * scale.x, v = 0.5f + (0.5f - y) * scale.y;
    if (u < 0.0f || u > 1.0f || v < 0.0f || v > 1.0f) return V3f(0.0f);
    // Not repeated at its edges.
    const float halfU = 0.5f / float(image->width), halfV = 0.5f / float(image->height);
    return V3f(image->sample(std::clamp(u, halfU, 1.0f - halfU), std::clamp(v, halfV, 1.0f - halfV))) * white;
}

/// What lies behind all, where the camera looks at it straight.
void Renderer::meetBackdrop(Path& path) const {
    if (options_.clearBackground) return;
    const V3f d = path.ray.direction;
    const float ahead = std::max(d.dot(camera_.forward()), 1e-6f);
    const float x = (d.dot(camera_.right()) / ahead - camera_.shift().x) / camera_.halfWidth(),
                y = (d.dot(camera_.up()) / ahead - camera_.shift().y) / camera_.halfHeight();
    const float aspect = camera_.halfWidth() / camera_.halfHeight();
    path.add(path.weight * options_.backdrop.at(0.5f + 0.5f * x, 0.5f - 0.5f * y, aspect), path.depth);
}

void Renderer::gatherInFog(Path& path, const V3f& place) const {
    path.receiver = {LightReceiver::Any, place, V3f(0, 1, 0)};
    path.object = path.layer = 0;
    path.aimedAtAll = path.depth == 0 && lights_->few();
    if (path.aimedAtAll) {
        for (uint32_t i = 0; i < lights_->count(); ++i) gatherInFog(path, place, i, 1.0f);
        return;
    }
    const LightTree::Choice choice = lights_->tree().choose(path.receiver, path.sampler.next4()[0]);
    if (choice.probability > 0.0f) gatherInFog(path, place, choice.light, choice.probability);
}

void Renderer::gatherInFog(Path& path, const V3f& place, uint32_t index, float chance) const {
    const auto r = path.sampler.next4();
    const Light* lamp = lights_->lamp(index);
    if (lamp && !lamp->reaches(0, 0)) return;
    const LightSample s = lights_->sample(index, place, r[0], r[1], r[2], path.ray.time);
    if (!(s.pdf > 0.0f)) return;
    const float phase = scene_.fog.phase(path.ray.direction.dot(s.direction)), pdf = s.pdf * chance;
    const bool shadows = !lamp || lamp->shadows;
    const Passed passed =
        shadows ? lightThrough(scene_, {place, s.direction, path.ray.time}, s.distance, path.media)
                : Passed{V3f(1.0f), false};
    const float share = shadows && !passed.clear ? powerHeuristic(pdf, phase) : 1.0f;
    path.add(capped(path.weight * s.radiance * passed.light * (phase * share / pdf),
                    path.depth > 0 ? options_.limit : 0.0f),
             path.depth + 1);
}

/// Where fog scatters the path before it comes to what it hit. False where it does not, or the path ends:
/// then its weight is 0.
bool Renderer::meetFog(Path& path, const RayHit& hit) const {
    if (!scene_.fog.on() || path.media.present()) return false;
    const auto r = path.sampler.next4();
    const Fog& fog = scene_.fog;
    const float t =
        fog.distanceAt(path.ray.origin, path.ray.direction, -std::log1p(-std::min(r[0], 0.9999999f)));
    if (!(t < (hit.hit() ? hit.distance : std::numeric_limits<float>::infinity()))) return false;
    RayHit there;
    there.distance = t, there.instance = 0;
    const bool first = path.depth == 0;
    if (meetLights(path, there)) {
        path.weight = V3f(0.0f);
        return true;
    }
    if (path.depth > options_.bounces) {  // the last ray only looks for lights
        path.weight = V3f(0.0f);
        return true;
    }
    const V3f place = path.ray.origin + path.ray.direction * t;
    if (first) {
        SurfacePoint haze;
        haze.position = place;
        recordFirst(path.pixel, haze, -path.ray.direction, fog.color, camera_);
    }
    path.weight *= fog.color;
    gatherInFog(path, place);
    const float cosine = fog.cosineOf(r[1]), sine = std::sqrt(std::max(0.0f, 1.0f - cosine * cosine));
    V3f x, y;
    basis(path.ray.direction, x, y);
    const float angle = 2.0f * kPi * r[2];
    const V3f on = (x * (std::cos(angle) * sine) + y * (std::sin(angle) * sine) + path.ray.direction * cosine)
                       .normalized();
    path.pdf = fog.phase(cosine);
    path.ray = {place, on, path.ray.time};
    path.softened = path.broad = true;
    path.sharp = path.framed = path.counted = false;
    ++path.depth;
    if (!survive(path, r[3]) || path.depth > options_.bounces + 1) path.weight = V3f(0.0f);
    return true;
}

/// True where the camera sees shadows alone: the path goes on behind.
bool Renderer::catchShadow(Path& path, const SurfacePoint& p) const {
    if (path.depth > 0) return false;
    const V3f share = shadowAt(scene_, *lights_, p, path.media, path.ray.time, path.sampler);
    path.weight *= share;
    path.shade *= luminance(share);
    path.ray.origin = behind(p);
    return true;
}

/// What is drawn there: it ends the path, as a lamp of that colour would.
void Renderer::draw(Path& path, SurfacePoint point, bool line) const {
    const SurfaceMaterial& m = scene_.materialOf(point);
    if (m.drawn)
        point.arriving =
            arrivingLight(scene_, *lights_, point, path.media, path.ray.time, m.white, path.sampler);
    const Color color = line ? lineColor(scene_, m, point) : drawnColor(scene_, m, point);
    if (path.depth == 0) recordFirst(path.pixel, point, point.normal, V3f(color), camera_);
    path.add(capped(path.weight * V3f(color) * m.white, limitOf(path)), path.depth);
}

/// True where a contour lies on the path's way, which ends there.
bool Renderer::drawContour(Path& path, const RayHit& hit) const {
    if (!path.contours.any() || !path.sharp) return false;
    const auto line = path.contours.find(path.ray, hit, path.far, path.sampler);
    if (!line) return false;
    path.weight *= path.media.through(line->distance);
    draw(path, line->owner, true);
    return true;
}

}  // namespace ovrix::render
