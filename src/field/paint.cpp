#include "field/paint.h"

#include <fmt/format.h>

#include "base/error.h"
#include "base/hash.h"
#include "base/parallel.h"
#include "geo/points/nearest.h"

namespace ovrix::field {

namespace {

constexpr int kMostParts = 128;

size_t placesOf(int parts) { return size_t(parts + 1) * size_t(parts + 2) / 2; }

/// Parts that a triangle's edge is cut in, from the number of its places.
int partsOf(size_t places) { return int(std::lround((std::sqrt(8.0 * double(places) + 1.0) - 3.0) / 2.0)); }

/// Row r of a lattice of n parts begins after n + 1, n, ... places.
size_t placeIn(int parts, int row, int column) {
    return size_t(row) * size_t(parts + 1) - size_t(row) * size_t(row - 1) / 2 + size_t(column);
}

/// Calls body(place, u, v) for each place of a lattice, in order.
template <class Body>
void overLattice(int parts, const Body& body) {
    size_t index = 0;
    for (int row = 0; row <= parts; ++row)
        for (int column = 0; column + row <= parts; ++column)
            body(index++, float(column) / float(parts), float(row) / float(parts));
}

std::array<V3f, 3> cornersOf(const Mesh& mesh, size_t triangle) {
    std::array<V3f, 3> p;
    for (size_t k = 0; k < 3; ++k) p[k] = mesh.cornerPosition(mesh.triangles()[triangle][k]);
    return p;
}

V3f pointIn(const std::array<V3f, 3>& p, float u, float v) {
    return p[0] * (1.0f - u - v) + p[1] * u + p[2] * v;
}

}  // namespace

uint64_t topologyOf(const Surface& surface) {
    return *surface.cached<uint64_t>(
        "topology", [&] { return std::make_shared<const uint64_t>(topologyOf(surface.mesh())); });
}

PaintLayoutPtr makePaintLayout(const Surface& surface, const M44f& objectFromWorld, float resolution,
                               size_t memoryLimit) {
    const Mesh& mesh = surface.mesh();
    auto layout = std::make_shared<PaintLayout>();
    layout->topology = topologyOf(surface);
    layout->resolution = std::max(resolution, 1e-6f);
    std::vector<std::array<V3f, 3>> corners(mesh.triangles().size());
    std::vector<int> parts(corners.size());
    parallelFor(corners.size(), Progress::none(), [&](size_t t) {
        corners[t] = cornersOf(mesh, t);
        float edge = 0.0f;
        for (V3f& p : corners[t]) p = p * objectFromWorld;
        for (size_t k = 0; k < 3; ++k)
            edge = std::max(edge, (corners[t][k] - corners[t][(k + 1) % 3]).length());
        const float n = std::ceil(edge / layout->resolution);
        parts[t] = n >= 1.0f ? int(std::min(n, float(kMostParts))) : 1;
    });
    size_t sum = 0;
    for (int n : parts) sum += placesOf(n);
    if (double(sum) * 20.0 > double(memoryLimit) || sum > UINT32_MAX)
        throw Error(fmt::format("the painted map would have {:.3g} places", double(sum)), {},
                    "Raise its resolution's size, or the memory limit in Preferences");
    layout->start.resize(parts.size() + 1, 0);
    for (size_t t = 0; t < parts.size(); ++t)
        layout->start[t + 1] = layout->start[t] + uint32_t(placesOf(parts[t]));
    layout->position.resize(sum);
    parallelFor(parts.size(), Progress::none(), [&](size_t t) {
        overLattice(parts[t], [&](size_t index, float u, float v) {
            layout->position[layout->start[t] + index] = pointIn(corners[t], u, v);
        });
    });
    return layout;
}

float paintedAt(const PaintedMap& map, uint32_t triangle, float u, float v) {
    const auto& start = map.layout->start;
    const float* values = map.values.data() + start[triangle];
    if (start[triangle + 1] - start[triangle] == 3)  // most often: a fine mesh has only its corners
        return values[0] + (values[1] - values[0]) * u + (values[2] - values[0]) * v;
    const int n = partsOf(start[triangle + 1] - start[triangle]);
    const float x = std::clamp(u, 0.0f, 1.0f) * float(n), y = std::clamp(v, 0.0f, 1.0f) * float(n);
    const int row = std::clamp(int(y), 0, n - 1), column = std::clamp(int(x), 0, n - 1 - row);
    const float fx = x - float(column), fy = y - float(row);
    const float a = values[placeIn(n, row, column)], b = values[placeIn(n, row, column + 1)],
                c = values[placeIn(n, row + 1, column)];
    if (fx + fy <= 1.0f || row + column + 2 > n) return a + (b - a) * fx + (c - a) * fy;
    const float d = values[placeIn(n, row + 1, column + 1)];  // the other half of the cell
    return d + (c - d) * (1.0f - fx) + (b - d) * (1.0f - fy);
}

std::shared_ptr<const PaintedMap> transferred(const PaintedMap& map, const PaintLayoutPtr& to,
                                              Progress& progress) {
    Progress::Task task(progress, "Moving the painted map");
    const NearestPoints tree(map.layout->position);
    std::vector<float> values(to->position.size(), 0.0f);
    parallelFor(values.size(), progress, [&](size_t i) {
        const size_t near = tree.nearest(to->position[i], std::numeric_limits<float>::infinity());
        if (near < map.values.size()) values[i] = map.values[near];
    });
    return std::make_shared<const PaintedMap>(to, std::move(values));
}

namespace {

/// Full in the middle, 0 at the rim, level at both.
float falloff(float distance, float radius) {
    const float t = std::clamp(1.0f - distance / radius, 0.0f, 1.0f);
    return t * t * (3.0f - 2.0f * t);
}

class Stroke {
  public:
    Stroke(const PaintedMap& map, const Surface& surface, const Brush& brush)
        : layout_(*map.layout), surface_(surface), brush_(brush), values_(map.values) {}

    void flood() {
        for (float& x : values_) x += (1.0f - x) * brush_.strength;
    }

    void touch(const Dab& dab) {
        if (!(brush_.radius > 0.0f) || !isFinite(dab.position)) return;
        struct Touched {
            size_t index;
            V3f position;
            float weight;
        };
        std::vector<Touched> touched;
        surface_.trianglesWithin(dab.position, brush_.radius, [&](uint32_t t) {
            const auto corners = cornersOf(surface_.mesh(), t);
            if ((corners[1] - corners[0]).cross(corners[2] - corners[0]).dot(dab.normal) < 0.0f) return;
            overLattice(partsOf(layout_.start[t + 1] - layout_.start[t]),
                        [&](size_t index, float u, float v) {
                            const V3f p = pointIn(corners, u, v);
                            const float w = falloff((p - dab.position).length(), brush_.radius);
                            if (w > 0.0f) touched.push_back({layout_.start[t] + index, p, w});
                        });
        });
        std::vector<float> aim(touched.size());
        if (brush_.mode == Brush::Smooth) {
            std::vector<V3f> points;
            points.reserve(touched.size());
            for (const Touched& t : touched) points.push_back(t.position);
            const NearestPoints tree(points);
            parallelFor(touched.size(), Progress::none(), [&](size_t i) {
                float sum = 0.0f;
                int count = 0;
                tree.within(points[i], brush_.radius * 0.3f,
                            [&](uint32_t j) { sum += values_[touched[j].index], ++count; });
                aim[i] = count ? sum / float(count) : values_[touched[i].index];
            });
        }
        const float full = std::clamp(brush_.strength * dab.pressure, 0.0f, 1.0f);
        for (size_t i = 0; i < touched.size(); ++i) {
            float& x = values_[touched[i].index];
            const float to = brush_.mode == Brush::Smooth     ? aim[i]
                             : brush_.mode == Brush::Add      ? 1.0f
                             : brush_.mode == Brush::Subtract ? 0.0f
                                                              : brush_.base;
            x += (to - x) * full * touched[i].weight;
        }
    }

    std::vector<float> take() { return std::move(values_); }

  private:
    const PaintLayout& layout_;
    const Surface& surface_;
    const Brush& brush_;
    std::vector<float> values_;
};

Dab mirrored(const Dab& dab, const M44f& objectFromWorld) {
    const M44f worldFromObject = objectFromWorld.inverse();
    V3f p = dab.position * objectFromWorld, n;
    objectFromWorld.multDirMatrix(dab.normal, n);
    p.x = -p.x, n.x = -n.x;
    Dab out = dab;
    out.position = p * worldFromObject;
    worldFromObject.multDirMatrix(n, out.normal);
    return out;
}

}  // namespace

std::shared_ptr<const PaintedMap> brushed(const PaintedMap& map, const Surface& surface,
                                          const M44f& objectFromWorld, const Brush& brush,
                                          std::span<const Dab> dabs) {
    Stroke stroke(map, surface, brush);
    if (brush.mode == Brush::Flood) stroke.flood();
    for (const Dab& dab : brush.mode == Brush::Flood ? std::span<const Dab>() : dabs) {
        stroke.touch(dab);
        if (brush.mirror) stroke.touch(mirrored(dab, objectFromWorld));
    }
    return std::make_shared<const PaintedMap>(map.layout, stroke.take());
}

}  // namespace ovrix::field
