#include "render/trace/scene_lights.h"

#include "geo/mesh/mesh.h"
#include "render/trace/shading.h"

namespace ovrix::render {

namespace {

constexpr uint32_t kNoEmitter = UINT32_MAX;

double areaOf(const std::array<V3f, 3>& corners) {
    const V3f n = (corners[1] - corners[0]).cross(corners[2] - corners[0]);
    return 0.5 * std::sqrt(double(n.x) * n.x + double(n.y) * n.y + double(n.z) * n.z);
}

/// About what a material gives: the middle of what its fields may make of it.
V3f meanGlow(const SurfaceMaterial& m) {
    const V3f color =
        m.emission.field ? V3f((m.emission.low + m.emission.high) * 0.5f) : V3f(m.emission.high);
    const V3f above = m.over && m.over->glows() ? meanGlow(*m.over) * 0.5f : V3f(0.0f);
    return above + color * m.perNit *
                       (m.luminance.field ? 0.5f * (m.luminance.low + m.luminance.high) : m.luminance.high);
}

/// Whether rays are aimed at it.
bool aimedAt(const SurfaceMaterial& m) { return m.glows() && (!m.clear() || m.thinWalled); }

}  // namespace

std::shared_ptr<const SceneLights::Faces> SceneLights::facesOf(uint32_t instance, Progress& progress) const {
    const Mesh& mesh = *scene_.meshOf(scene_.instance(instance));
    auto faces = std::make_shared<Faces>();
    double sum = 0;
    V3f light(0.0f);
    RayHit hit;
    hit.instance = instance;
    for (hit.triangle = 0; hit.triangle < mesh.triangles().size(); ++hit.triangle) {
        if (hit.triangle % 65536 == 0) progress.check();
        const SurfaceMaterial& m = scene_.materialOf(hit);
        if (!aimedAt(m)) continue;
        const double area = areaOf(scene_.cornersOf(instance, hit.triangle, 0.0f));
        if (!(area > 0) || !std::isfinite(area)) continue;
        faces->triangles.push_back(hit.triangle);
        faces->sums.push_back(sum += area);
        light += meanGlow(m) * float(area);
    }
    if (sum > 0) faces->mean = light / float(sum);
    return faces;
}

LightBounds SceneLights::boundsOf(const Emitter& emitter) const {
    const Mesh& mesh = *scene_.meshOf(scene_.instance(emitter.instance));
    LightBounds b{.traced = true};
    float scale2 = 0.0f;
    for (const float time : {0.0f, 1.0f}) {
        const M44f matrix = scene_.matrixOf(emitter.instance, time);
        const Box3f box = placedBox(mesh.bounds(), matrix);
        b.box.extendBy(box);
        scale2 = std::max(scale2, std::pow(std::abs(matrix.determinant()), 2.0f / 3.0f));
    }
    // Both sides shine.
    b.power = 2.0f * kPi * float(emitter.faces->sums.back()) * scale2 * luminance(emitter.faces->mean);
    return b;
}

SceneLights::SceneLights(const RenderScene& scene, Progress& progress) : scene_(scene) {
    std::vector<LightBounds> bounds;
    for (const Light& light : scene.lights) bounds.push_back(light.bounds());
    std::map<std::pair<uint32_t, uint32_t>, std::shared_ptr<const Faces>> known;
    for (uint32_t i = 0; scene.glows() && i < scene.instanceCount(); ++i) {
        const RenderScene::Instance& instance = scene.instance(i);
        if (!scene.meshOf(instance)) continue;
        const auto [it, fresh] = known.try_emplace({instance.mesh, instance.materials});
        if (fresh) it->second = facesOf(i, progress);
        if (it->second->triangles.empty()) continue;
        if (emitterOf_.empty()) emitterOf_.assign(scene.instanceCount(), kNoEmitter);
        emitterOf_[i] = uint32_t(emitters_.size());
        emitters_.push_back({i, it->second});
        bounds.push_back(boundsOf(emitters_.back()));
    }
    tree_ = LightTree(bounds, progress);
    boxes_ = LampBoxes(bounds);
}

LightSample SceneLights::sample(uint32_t light, const V3f& from, float u, float v, float pick,
                                float time) const {
    const size_t lamps = scene_.lights.size();
    if (light >= lamps) return sampleFaces(emitters_[light - lamps], from, u, v, pick, time);
    LightSample s = scene_.lights[light].sample(from, u, v);
    s.group = scene_.lights[light].group;
    return s;
}

LightSample SceneLights::sampleFaces(const Emitter& e, const V3f& from, float u, float v, float pick,
                                     float time) const {
    const auto& sums = e.faces->sums;
    const size_t at = std::min(
        size_t(std::upper_bound(sums.begin(), sums.end(), double(pick) * sums.back()) - sums.begin()),
        sums.size() - 1);
    const auto corners = scene_.cornersOf(e.instance, e.faces->triangles[at], time);
    // Even over a triangle: Turk, "Generating Random Points in Triangles", Graphics Gems, 1990.
    const float root = std::sqrt(u);
    RayHit hit;
    hit.instance = e.instance, hit.triangle = e.faces->triangles[at];
    hit.u = root * (1.0f - v), hit.v = root * v;
    hit.faceNormal = (corners[1] - corners[0]).cross(corners[2] - corners[0]);
    const V3f local = corners[0] * (1.0f - hit.u - hit.v) + corners[1] * hit.u + corners[2] * hit.v;
    const V3f to = local * scene_.matrixOf(e.instance, time) - from;
    hit.distance = to.length();
    if (!(hit.distance > 0.0f) || !std::isfinite(hit.distance)) return {};
    const Ray ray{from, to / hit.distance, time};
    const float pdf = met(hit, ray).pdf;
    if (!(pdf > 0.0f) || scene_.isCut(hit, ray)) return {};
    const SurfacePoint point = scene_.surfacePoint(hit, ray);
    const SurfaceMaterial& m = scene_.materialOf(point);
    const Samples one = samplesAt(point, m);
    FieldsAt fields(one);
    return {ray.direction, hit.distance, pdf, emissionAt(m, point, fields), m.group};
}

SceneLights::Met SceneLights::met(const RayHit& hit, const Ray& ray) const {
    const uint32_t index = emitterOf_.empty() ? kNoEmitter : emitterOf_[hit.instance];
    if (index == kNoEmitter || !aimedAt(scene_.materialOf(hit))) return {};
    // Drawn by its area in its own space at first, then evenly over what it is in the world now.
    const double own = areaOf(scene_.cornersOf(hit.instance, hit.triangle, 0.0f));
    const M44f matrix = scene_.matrixOf(hit.instance, ray.time);
    auto corners = scene_.cornersOf(hit.instance, hit.triangle, ray.time);
    for (V3f& c : corners) matrix.multVecMatrix(c, c);
    const V3f n = (corners[1] - corners[0]).cross(corners[2] - corners[0]);
    const float facing = 0.5f * std::abs(n.dot(ray.direction));  // area times cosine
    Met met{uint32_t(scene_.lights.size()) + index, 0.0f};
    if (facing > 0.0f)
        met.pdf = float(own / emitters_[index].faces->sums.back()) * hit.distance * hit.distance / facing;
    return met;
}

}  // namespace ovrix::render
