#include "render/cloud/cloud_light.h"

#include "render/cloud/point_lists.h"

namespace ovrix::render {

namespace {

constexpr float kInfinite = std::numeric_limits<float>::infinity();

/// Pixels across: as fine as points lie apart, so that each that is lit shades a few others.
int sizeFor(size_t points) {
    constexpr float kInPixel = 8.0f;
    return std::clamp(int(std::sqrt(float(points) / kInPixel)), 16, 2048);
}

/// Whether light comes from many sides.
bool isWide(const Light& light, const V3f& to) {
    constexpr float kNarrow = 0.9f;
    const V3f one = light.sample(to, 0.5f, 0.5f).direction;
    for (int row = 0; row < 4; ++row)
        for (int column = 0; column < 4; ++column)
            if (light.sample(to, float(column) / 3.1f, float(row) / 3.1f).direction.dot(one) < kNarrow)
                return true;
    return false;
}

/// The mean of what light is left within a point of that depth, as a depth.
float meanDepth(float own) { return own < 1e-3f ? 0.5f * own : std::log(own) - std::log(-std::expm1(-own)); }

/// Where a light's way through a pixel ends, as a depth; and what comes that far.
struct Way {
    float end = kInfinite, light = 1.0f;
};
Way wayThrough(const RenderScene& scene, const LightView& view, int x, int y, float u, float v, float time) {
    constexpr int kMostPassed = 8;
    const LightView::Way way = view.wayOf(x, y, u, v);
    Way out;
    bool clear = false;
    if (view.isFar()) out.light = scene.passing(way.origin, -way.direction, kInfinite, time, &clear);
    Ray ray{way.origin, way.direction, time};
    float gone = way.depth;
    for (int i = 0; i < kMostPassed; ++i) {
        const float most = view.far() - gone;
        const RayHit hit = most > 0.0f ? scene.intersect(ray, false, most, true) : RayHit();
        if (!hit.hit()) return out;
        gone += hit.distance;
        if (!scene.materialOf(hit).clear()) {
            out.end = gone;
            return out;
        }
        const float step = std::max(1e-4f, 1e-5f * gone);
        ray.origin += ray.direction * (hit.distance + step);
        gone += step;
    }
    return out;
}

}  // namespace

/// In order of distance, pixel by pixel.
void CloudLight::shade(Beam& beam, const LightView& view, const RenderScene& scene, const CloudPoints& points,
                       Progress& progress) const {
    const auto put = [&](size_t i, const auto& to) {
        if (const auto at = view.place(points.at(points[i]))) to(at->x, at->y, at->depth);
    };
    const PointLists lists(points.size(), {view.size(), view.size(), view.near(), view.far()}, put, progress);
    beam.depths.assign(points.size(), 0);
    const bool things = scene.instanceCount() > 0;
    parallelRanges(size_t(view.size()), 1, progress, [&](size_t begin, size_t end) {
        for (int y = int(begin); y < int(end); ++y)
            for (int x = 0; x < view.size(); ++x) {
                const auto inside = lists.pixel(x, y);
                if (inside.empty()) continue;
                const Way way =
                    things ? wayThrough(scene, view, x, y, beam.u, beam.v, points.shutter().time) : Way();
                float depth = way.light > 0.0f ? -std::log(way.light) : kInfinite;
                for (const PointLists::Entry& e : inside) {
                    const CloudPoints::Row r = points[e.point];
                    const auto at = view.place(points.at(r));
                    const float own = points.area(r) * std::max(r.cloud->toLight(r.row), 0.0f) / at->area;
                    beam.depths[e.point] = packed(at->depth > way.end ? kInfinite : depth + meanDepth(own));
                    depth += own;
                }
            }
    });
}

CloudLight::CloudLight(const RenderScene& scene, const CloudPoints& points, uint32_t pass, uint32_t seed,
                       Progress& progress) {
    constexpr uint32_t kDirections = 4;  // of a sky
    const Box3f bounds = points.bounds();
    if (bounds.isEmpty()) return;
    const V3f middle = (bounds.min + bounds.max) * 0.5f;
    const int size = sizeFor(points.size());
    for (size_t l = 0; l < scene.lights.size(); ++l) {
        const Light& light = scene.lights[l];
        const LightBounds known = light.bounds();
        const uint32_t beams = known.far && isWide(light, middle) ? kDirections : 1;
        const uint64_t own = mixBits(uint64_t(seed) << 32 | (l + 1));
        for (uint32_t k = 0; k < beams; ++k) {
            Beam beam{&light,
                      spreadNumber(own, pass * beams + k, 0),
                      spreadNumber(mixBits(own), pass * beams + k, 1),
                      1.0f / float(beams),
                      {}};
            const LightSample s = light.sample(middle, beam.u, beam.v);
            V3f way = s.direction;
            float distance = s.distance;
            if (!(s.pdf > 0.0f)) {  // it shines past the middle
                if (known.far || known.box.isEmpty()) continue;
                way = (known.box.min + known.box.max) * 0.5f - middle;
                distance = way.length();
                way = distance > 0.0f ? way / distance : V3f(0, 1, 0);
            }
            if (light.shadows) shade(beam, {way, distance, bounds, size}, scene, points, progress);
            beams_.push_back(std::move(beam));
        }
    }
}

size_t CloudLight::bytes() const {
    size_t sum = 0;
    for (const Beam& b : beams_) sum += b.depths.size() * sizeof(uint16_t);
    return sum;
}

}  // namespace ovrix::render
