#include "ops/place/place_grid.h"

#include "base/parallel.h"
#include "geo/surface/surface.h"
#include "ops/place/place_points.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct GridParams : ParamTable {
    Handle<double> spacing = add(number("spacing", "Spacing", starting(GridOptions{}.spacing), "m", 1e-5, 1e5,
                                        0.01, 2, "Between rows and columns"));
    Handle<double> jitter = add(unitNumber(
        "jitter", "Jitter", 0.4, "0 is a strict grid; at 1 each may lie anywhere in its own square"));
    Handle<double> rotation = add(number("rotation", "Rotation", startingDegrees(GridOptions{}.turn), "deg",
                                         -3600, 3600, -90, 90, "Of the rows, around up"));
    Handle<bool> offset = add(
        flag("offset", "Stagger", starting(GridOptions{}.offset), "Moves every other row by half a spacing"));
    Handle<int64_t> seed = add(seedSpec("Another number, another jitter"));
    Handle<Varying> mask = add(maskSpec());
} kGrid;

const struct OnMeshParams : ParamTable {
    Handle<std::string> at =
        add(choice("at", "At", "points", {"points", "faces"}, "Points of the mesh, or face middles"));
    Handle<int64_t> every = add(
        whole("every", "Every", starting(OnMeshOptions{}.every), 1, 1e6, 1, 20, "Only each n-th of them"));
    Handle<int64_t> seed = add(seedSpec("Another number, another choice where the mask is between 0 and 1"));
    Handle<Varying> mask = add(maskSpec());
} kOnMesh;

/// The points at the samples that a stable share of ids keeps, masked.
std::shared_ptr<const PointSet> pointsAt(const Surface& surface, const std::vector<Surface::Sample>& samples,
                                         const std::vector<uint64_t>& ids, double share, uint64_t seed,
                                         const Varying& mask, Progress& progress) {
    std::vector<uint32_t> chosen;
    for (size_t i = 0; i < ids.size(); ++i)
        if (share >= 1.0 || double(random1(seed, ids[i], Stream::Pick)) < share)
            chosen.push_back(uint32_t(i));
    auto points = std::make_shared<PointSet>();
    const PointColumns columns =
        makePointColumns(points->attributes, chosen.size(), !surface.mesh().uvs().empty());
    parallelFor(chosen.size(), progress, [&](size_t k) {
        const Surface::Sample& s = samples[chosen[k]];
        columns.put(k, ids[chosen[k]], s);
        if (!columns.uv.empty()) columns.putUv(k, surface, s);
    });
    return masked(points, mask, seed, progress);
}

}  // namespace

std::shared_ptr<const PointSet> gridOnSurface(const Surface& surface, const GridOptions& o,
                                              Progress& progress) {
    requireArea(surface);
    if (!(o.spacing > 0.0f)) throw Error("the spacing is 0", {}, "Set a spacing above 0");
    Progress::Task task(progress, "Laying a grid");
    const Box3f& box = surface.mesh().bounds();
    const V3f middle = box.center();
    const float reach = 0.5f * std::hypot(box.max.x - box.min.x, box.max.z - box.min.z) + o.spacing;
    const double side = 2.0 * std::ceil(double(reach) / double(o.spacing)) + 1.0;
    requireMemory(side * side * sizeof(Surface::Sample), o.memoryLimit, side * side);
    requireCount(side * side);
    const int half = int(side) / 2;
    const size_t count = size_t(side) * size_t(side);
    const float cosine = std::cos(o.turn), sine = std::sin(o.turn), lift = 1.0f + box.max.y - box.min.y;
    std::vector<Surface::Sample> samples(count);
    std::vector<uint8_t> met(count, 0);
    parallelFor(count, progress, [&](size_t i) {
        const int row = int(i / size_t(side)) - half, column = int(i % size_t(side)) - half;
        const Random4 r = random4(o.seed, i, Stream::Place);
        const float shift = o.offset && (row & 1) ? 0.5f : 0.0f;
        const float x = (float(column) + shift + o.jitter * (r[0] - 0.5f)) * o.spacing;
        const float z = (float(row) + o.jitter * (r[1] - 0.5f)) * o.spacing;
        const V3f from(middle.x + cosine * x + sine * z, box.max.y + lift, middle.z - sine * x + cosine * z);
        const SurfaceHit hit = surface.intersect(from, V3f(0, -1, 0));
        if (!hit.hit) return;
        met[i] = 1;
        samples[i] = surface.sampleAt(hit.triangle, hit.u, hit.v);
    });
    std::vector<Surface::Sample> found;
    std::vector<uint64_t> ids;
    for (size_t i = 0; i < count; ++i) {
        if (!met[i]) continue;
        const int64_t row = int64_t(i / size_t(side)) - half, column = int64_t(i % size_t(side)) - half;
        found.push_back(samples[i]);
        ids.push_back(uint64_t(uint32_t(int32_t(row))) << 32 | uint32_t(int32_t(column)));
    }
    return pointsAt(surface, found, ids, o.share, o.seed, o.mask, progress);
}

std::shared_ptr<const PointSet> pointsOnMesh(const Surface& surface, const OnMeshOptions& o,
                                             Progress& progress) {
    const Mesh& mesh = surface.mesh();
    const size_t count = o.faces ? mesh.faceCount() : mesh.positions().size();
    requireMemory(double(count) * (sizeof(Surface::Sample) + 60), o.memoryLimit, double(count));
    std::vector<Surface::Sample> samples(count);
    std::vector<uint8_t> met(count, 0);
    const auto& triangles = mesh.triangles();
    for (size_t t = 0; t < triangles.size(); ++t) {  // the first triangle that has it says where it lies
        if (o.faces) {
            const uint32_t face = mesh.triangleFace(t);
            if (!met[face]) samples[face] = surface.sampleAt(uint32_t(t), 1 / 3.0f, 1 / 3.0f);
            met[face] = 1;
            continue;
        }
        for (size_t k = 0; k < 3; ++k) {
            const uint32_t p = mesh.cornerPoint[triangles[t][k]];
            if (!met[p]) samples[p] = surface.sampleAt(uint32_t(t), float(k == 1), float(k == 2));
            met[p] = 1;
        }
    }
    for (size_t f = 0; o.faces && f < count; ++f) {  // polygons: the mean of their corners
        if (!met[f] || mesh.faceStart[f + 1] - mesh.faceStart[f] < 4) continue;
        V3f sum(0.0f);
        for (uint32_t c = mesh.faceStart[f]; c < mesh.faceStart[f + 1]; ++c) sum += mesh.cornerPosition(c);
        const SurfaceHit hit = surface.closest(sum / float(mesh.faceStart[f + 1] - mesh.faceStart[f]));
        if (hit.hit) samples[f] = surface.sampleAt(hit.triangle, hit.u, hit.v);
    }
    std::vector<Surface::Sample> found;
    std::vector<uint64_t> ids;
    for (size_t i = 0; i < count; i += size_t(std::max(1, o.every)))
        if (met[i]) found.push_back(samples[i]), ids.push_back(i);
    return pointsAt(surface, found, ids, o.share, o.seed, o.mask, progress);
}

namespace {

Geometry applyGrid(const StepInput& in) {
    GridOptions o;
    o.spacing = float(in.params[kGrid.spacing]);
    o.jitter = float(in.params[kGrid.jitter]);
    o.turn = radians(float(in.params[kGrid.rotation]));
    o.offset = in.params[kGrid.offset];
    o.seed = uint64_t(in.params[kGrid.seed]);
    o.mask = in.params[kGrid.mask];
    o.share = in.share;
    o.memoryLimit = in.memoryLimit;
    return gridOnSurface(surfaceOf(in), o, in.progress);
}

Geometry applyOnMesh(const StepInput& in) {
    OnMeshOptions o;
    o.faces = in.params[kOnMesh.at] == "faces";
    o.every = int(in.params[kOnMesh.every]);
    o.seed = uint64_t(in.params[kOnMesh.seed]);
    o.mask = in.params[kOnMesh.mask];
    o.share = in.share;
    o.memoryLimit = in.memoryLimit;
    return pointsOnMesh(surfaceOf(in), o, in.progress);
}

}  // namespace

StepType gridStep() {
    return {.id = "grid",
            .title = "Lay in a grid",
            .phase = Phase::Place,
            .help = "Points in rows and columns, let down on the surface from above",
            .takes = GeometryKind::Nothing,
            .gives = GeometryKind::Points,
            .params = kGrid.specs(),
            .masked = true,
            .apply = applyGrid};
}

StepType onMeshStep() {
    return {.id = "on_mesh",
            .title = "On points or faces",
            .phase = Phase::Place,
            .help = "A point at each point or face of the surface's mesh, in their order",
            .takes = GeometryKind::Nothing,
            .gives = GeometryKind::Points,
            .params = kOnMesh.specs(),
            .masked = true,
            .apply = applyOnMesh};
}

}  // namespace ovrix::ops
