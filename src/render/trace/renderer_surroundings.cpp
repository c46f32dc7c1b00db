// What the renderer does with fog, with what lies behind all, and with what is drawn.
#include "render/shade/phase.h"
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
    return V3f(image->sampleWithin(u, v)) * white;
}

/// What lies behind all. It is no thing that could be out of focus: what looks straight at it sees the place
/// of the picture itself, and what clear matter bent the one that lies there.
void Renderer::meetBackdrop(Path& path) const {
    if (options_.clearBackground) return;
    V2f at = path.place;
    if (path.depth > 0) {
        const V3f d = path.ray.direction;
        const float ahead = std::max(d.dot(camera_.forward()), 1e-6f);
        at.x = 0.5f + 0.5f * (d.dot(camera_.right()) / ahead - camera_.shift().x) / camera_.halfWidth();
        at.y = 0.5f - 0.5f * (d.dot(camera_.up()) / ahead - camera_.shift().y) / camera_.halfHeight();
    }
    const float aspect = camera_.halfWidth() / camera_.halfHeight();
    path.add(path.weight * options_.backdrop.at(at.x, at.y, aspect), path.depth, 0);
}

void Renderer::gatherInMatter(Path& path, const V3f& place, float g) const {
    path.receiver = {LightReceiver::Any, place, V3f(0, 1, 0)};
    path.object = path.layer = 0;
    path.aimedAtAll = path.depth == 0 && lights_->few();
    if (path.aimedAtAll) {
        for (uint32_t i = 0; i < lights_->count(); ++i) gatherInMatter(path, place, g, i, 1.0f);
        return;
    }
    const LightTree::Choice choice = lights_->tree().choose(path.receiver, path.sampler.next4()[0]);
    if (choice.probability > 0.0f) gatherInMatter(path, place, g, choice.light, choice.probability);
}

void Renderer::gatherInMatter(Path& path, const V3f& place, float g, uint32_t index, float chance) const {
    const auto r = path.sampler.next4();
    const Light* lamp = lights_->lamp(index);
    if (lamp && !lamp->reaches(0, 0)) return;
    const LightSample s = lights_->sample(index, place, r[0], r[1], r[2], path.ray.time);
    if (!(s.pdf > 0.0f)) return;
    const float turned = phase(g, path.ray.direction.dot(s.direction)), pdf = s.pdf * chance;
    const bool shadows = !lamp || lamp->shadows;
    const Passed passed =
        shadows ? lightThrough(scene_, {place, s.direction, path.ray.time}, s.distance, path.media)
                : Passed{V3f(1.0f), false};
    // What comes through a boundary is counted here alone, as from a matt face: see bounce().
    const float share = shadows && !passed.clear ? powerHeuristic(pdf, turned) : 1.0f;
    path.add(path.weight * s.radiance * passed.light * (turned * share / pdf), path.depth + 1, s.group,
             path.depth > 0 ? options_.limit : 0.0f);
}

/// What a path does that is scattered between things, after @p distance and with @p weight. False where it
/// ends.
bool Renderer::scatterBetween(Path& path, float distance, const V3f& weight, float g, const V3f& color,
                              const VolumeGrid* volume) const {
    const bool first = path.depth == 0;
    if (meetLights(path, hitAt(distance)) || path.depth > options_.bounces)
        return false;  // the last looks for lights
    const V3f place = path.ray.origin + path.ray.direction * distance;
    if (first) {
        SurfacePoint haze;
        haze.position = place;
        if (volume) haze.object = volume->look().object, haze.layer = volume->look().layer;
        if (volume) haze.material = volume->look().material;
        recordFirst(path, haze, -path.ray.direction, color, {});
        if (path.splits()) path.splitAll(Component::Volume);
    }
    path.weight *= weight;
    gatherInMatter(path, place, g);
    const auto r = path.sampler.next4();
    const float cosine = phaseCosine(g, r[0]), sine = std::sqrt(std::max(0.0f, 1.0f - cosine * cosine));
    V3f x, y;
    basis(path.ray.direction, x, y);
    const float angle = 2.0f * kPi * r[1];
    const V3f on = x * (std::cos(angle) * sine) + y * (std::sin(angle) * sine) + path.ray.direction * cosine;
    path.pdf = phase(g, cosine);
    path.ray = {place, on.normalized(), path.ray.time};
    path.broad = true;
    path.roughen = std::max(path.roughen, options_.roughen);
    path.sharp = path.framed = path.counted = false;
    ++path.depth;
    return survive(path, r[2]) && path.depth <= options_.bounces + 1;
}

/// Where fog or clouded matter scatters the path before it comes to what it hit.
Renderer::Between Renderer::meetMatter(Path& path, const RayHit& hit) const {
    const float reach = hit.hit() ? hit.distance : std::numeric_limits<float>::infinity();
    path.chances = V3f(0.0f);
    const Medium* m = path.media.present();
    const bool volumes = !m && !scene_.volumes().empty();
    if (m ? !m->scatters() : !scene_.fog.on() && !volumes) return Between::Nothing;
    const bool draws = m || scene_.fog.on();
    const auto r = draws ? path.sampler.next4() : std::array<float, 4>{};
    const float depth = -std::log1p(-std::min(r[0], 0.9999999f));
    if (!m) {
        const float t = draws ? scene_.fog.distanceAt(path.ray.origin, path.ray.direction, depth) : reach;
        if (volumes)
            if (const auto meeting = meetVolumes(path, std::min(t, reach)))
                return scatterInVolume(path, *meeting);
        if (!(t < reach)) return Between::Nothing;
        const Fog& fog = scene_.fog;
        return scatterBetween(path, t, fog.color, fog.forward, fog.color) ? Between::Scattered
                                                                          : Between::Ended;
    }
    // One of red, green and blue says how far, and all are weighed by the mean of their chances.
    const float sum = path.weight.x + path.weight.y + path.weight.z;
    if (!(sum > 0.0f)) return Between::Ended;
    path.chances = path.weight / sum;
    const int which = r[1] < path.chances.x ? 0 : r[1] < path.chances.x + path.chances.y ? 1 : 2;
    const float t = m->extinction[which] > 0.0f ? depth / m->extinction[which] : reach;
    if (!(t < reach)) return Between::Nothing;
    const V3f left = m->through(t);
    const float chance = path.chances.dot(m->extinction * left);
    if (!(chance > 0.0f)) return Between::Ended;
    const Medium medium = *m;  // which the path may leave
    return scatterBetween(path, t, medium.scatter * left / chance, medium.forward, V3f(1.0f))
               ? Between::Scattered
               : Between::Ended;
}

/// True where the camera sees shadows alone: the path goes on behind.
bool Renderer::catchShadow(Path& path, const SurfacePoint& p) const {
    if (path.depth > 0 || !scene_.materialOf(p).catcher) return false;
    const V3f share = shadowAt(scene_, *lights_, p, path.media, path.ray.time, path.sampler);
    path.weight *= share;
    path.shade *= luminance(share);
    path.ray.origin = behind(p);
    return true;
}

/// What is drawn there: it ends the path, as a lamp of that colour would.
void Renderer::draw(Path& path, SurfacePoint point, const RayHit& hit, bool line) const {
    const SurfaceMaterial& m = scene_.materialOf(point);
    if (asksForLight(m, line))
        point.arriving =
            arrivingLight(scene_, *lights_, point, path.media, path.ray.time, m.white, path.sampler);
    const Color color = line ? lineColor(*lights_, m, point) : drawnColor(*lights_, m, point);
    if (path.depth == 0) {
        recordFirst(path, point, point.normal, V3f(color), hit);
        const Samples one = samplesAt(point, m);
        FieldsAt fields(one);
        recordFields(path, m, fields);
    }
    path.add(path.weight * V3f(color) * m.white, path.depth, 0, limitOf(path));
}

/// A contour on the path's way.
std::optional<ContourFinder::Line> Renderer::contourAhead(Path& path, const RayHit& hit) const {
    if (!path.contours->any() || !path.sharp) return std::nullopt;
    return path.contours->find(path.ray, hit, path.far, path.sampler);
}

}  // namespace ovrix::render
