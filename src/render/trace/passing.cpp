#include "render/trace/passing.h"

#include "render/trace/leave.h"
#include "render/trace/shading.h"

namespace ovrix::render {

void pass(Media& media, const Medium& medium, bool leaving) {
    if (leaving)
        media.leave(medium.instance);
    else
        media.enter(medium);
}

/// Through all but clouds.
static Passed throughThings(const RenderScene& scene, Ray ray, float distance, const Media& within) {
    // Of fog all of the way counts, though clear matter may lie on it.
    const float fog = within.present() ? 1.0f : scene.fog.through(ray.origin, ray.direction, distance);
    // What stops it does so wherever clear matter lies; strands that let some of it through are asked here.
    bool clears = false;
    const float straight = scene.passing(ray.origin, ray.direction, distance, ray.time, &clears);
    if (!(straight > 0.0f) || !clears) return {within.through(distance) * (fog * straight), false};
    Passed passed{V3f(fog), false};
    Media media = within;
    constexpr int kMostBoundaries = 16;
    float left = distance * 0.9999f;
    for (int i = 0; i < kMostBoundaries; ++i) {
        const RayHit hit = scene.intersect(ray, false, left, true);
        if (!hit.hit()) return {passed.light * media.through(left), passed.clear};
        const SurfacePoint p = scene.surfacePoint(hit, ray);
        const SurfaceMaterial& m = scene.materialOf(p);
        if (!m.clear()) return {V3f(0.0f), false};
        const Samples one = samplesAt(p, m);
        FieldsAt at(one);
        const Clear clear = clearAt(m, p, at);
        const bool thin = thinAt(m, p);
        passed.light *= media.through(hit.distance);
        if (thin || !media.hides(hit.instance, m.priority)) {
            const float cosine = std::abs(ray.direction.dot(p.normal));
            const float index = thin ? clear.ior : clear.ior / media.iorAround(hit.instance);
            const float once = fresnel(cosine, std::max(index, 1.0f / index));
            passed.light *= clear.weight * (thin ? 1.0f - 2.0f * once / (1.0f + once) : 1.0f - once);
            if ((thin || !p.backside) && clear.depth <= 0.0f) passed.light *= clear.tint;
        }
        passed.clear = true;
        if (!thin) pass(media, mediumOf(m, clear, hit.instance), p.backside);
        if (!(passed.light.x + passed.light.y + passed.light.z > 0.0f)) return {V3f(0.0f), true};
        ray.origin = behind(p);
        left -= hit.distance;
    }
    return {V3f(0.0f), true};
}

Passed lightThrough(const RenderScene& scene, const Ray& ray, float distance, const Media& within) {
    Passed passed = throughThings(scene, ray, distance, within);
    if (passed.light != V3f(0.0f)) passed.light *= scene.cloudThrough(ray.origin, ray.direction, distance);
    return passed;
}

}  // namespace ovrix::render
