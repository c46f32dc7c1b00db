#include "ops/place/from_file.h"

#include "base/parallel.h"
#include "geo/surface/surface.h"
#include "ops/place/file_frames.h"
#include "ops/place/place_points.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct FromFileParams : ParamTable {
    FileFrameParams source{*this, "The points"};
    Handle<bool> onSurface = add(flag("on_surface", "On surface", starting(FromFileOptions{}.onSurface),
                                      "Moves each to the surface's nearest point"));
    Handle<int64_t> seed = add(seedSpec("Another number, another choice where the mask is between 0 and 1"));
    Handle<Varying> mask = add(maskSpec());
} kFromFile;

}  // namespace

std::shared_ptr<const PointSet> pointsFromFile(const PointSet& points, const Surface* surface,
                                               const FromFileOptions& o, Progress& progress) {
    Progress::Task task(progress, "Placing points of a file");
    const auto ids = points.attributes.find<uint64_t>("id");
    std::vector<uint32_t> kept;
    for (size_t i = 0; i < ids.size(); ++i)
        if (o.share >= 1.0 || double(random1(o.seed, ids[i], Stream::Pick)) < o.share)
            kept.push_back(uint32_t(i));
    auto out = std::make_shared<PointSet>();
    // Columns are shared with the file's points as long as all of them stay.
    out->attributes = kept.size() == points.size() ? points.attributes : points.attributes.gathered(kept);
    // What only holds where the file came from: another surface's triangles, another layer's prototypes.
    for (const char* name : {"triangle", "bary", "bary_u", "bary_v", "prototype"})
        out->attributes.remove(name);
    const bool normals = points.attributes.has("N");
    auto n = out->attributes.add<V3f>("N", V3f(0, 1, 0));
    auto p = out->attributes.add<V3f>("P");
    if (surface && o.onSurface) {
        auto triangle = out->attributes.add<int32_t>("triangle", -1);
        auto bary = out->attributes.add<V2f>("bary");
        parallelFor(p.size(), progress, [&](size_t i) {
            const SurfaceHit hit = surface->closest(p[i]);
            if (!hit.hit) return;
            p[i] = hit.position;
            n[i] = hit.normal;
            triangle[i] = int32_t(hit.triangle);
            bary[i] = V2f(hit.u, hit.v);
        });
    } else if (normals) {
        parallelFor(n.size(), progress,
                    [&](size_t i) { n[i] = n[i].length() > 0 ? n[i].normalized() : V3f(0, 1, 0); });
    }
    return masked(out, o.mask, o.seed, progress);
}

/// Between two frames: by id, and those that only the first has go on with their speed.
static std::shared_ptr<const PointSet> pointsBetween(const PointSet& from, const PointSet* to, float fraction,
                                                     double rate) {
    auto out = std::make_shared<PointSet>(from);
    const auto id = from.attributes.find<uint64_t>("id");
    const auto p = out->attributes.add<V3f>("P");
    const auto v = from.attributes.find<V3f>("v");
    const auto later =
        to ? indexById(to->attributes.find<uint64_t>("id")) : std::unordered_map<uint64_t, uint32_t>();
    const auto p1 = to ? to->attributes.find<V3f>("P") : std::span<const V3f>();
    for (size_t i = 0; i < p.size(); ++i) {
        const auto known = later.find(id[i]);
        if (known != later.end())
            p[i] += (p1[known->second] - p[i]) * fraction;
        else if (!v.empty())
            p[i] += v[i] * float(fraction / rate);
    }
    return out;
}

/// A set without any that has what points have.
static PointSet noPoints() {
    PointSet none;
    none.attributes.add<V3f>("P"), none.attributes.add<uint64_t>("id");
    return none;
}

static Geometry applyFromFile(const StepInput& in) {
    const FileFrame frame = fileFrame(in, kFromFile.source, "Choose a .ply, .csv, .usda or .vdb file");
    if (frame.file.empty()) return pointsFromFile(noPoints(), nullptr, {}, in.progress);
    FromFileOptions o;
    o.onSurface = in.params[kFromFile.onSurface];
    o.seed = uint64_t(in.params[kFromFile.seed]);
    o.mask = in.params[kFromFile.mask];
    o.share = frame.light ? 1.0 : in.share;
    auto points = in.query->points(frame.file);
    if (frame.fraction > 0) {
        const auto later = frame.later.empty() ? nullptr : in.query->points(frame.later);
        points = pointsBetween(*points, later.get(), frame.fraction, in.rate);
    }
    return pointsFromFile(*points, in.surface.get(), o, in.progress);
}

StepType fromFileStep() {
    return {.id = "from_file",
            .title = "From a file",
            .phase = Phase::Place,
            .help =
                "Points of a .ply, .csv, .usda or .vdb file, or of one for each frame, with their turns, "
                "sizes and speeds where it has some",
            .takes = GeometryKind::Nothing,
            .gives = GeometryKind::Points,
            .params = kFromFile.specs(),
            .masked = true,
            .followsDraft = [](const ParamMap& p) { return hasLight(p, kFromFile.source); },
            .apply = applyFromFile};
}

}  // namespace ovrix::ops
