#include "ops/from_file.h"

#include "base/parallel.h"
#include "base/specs.h"
#include "ops/place_points.h"

namespace ovrix {

std::shared_ptr<const PointSet> pointsFromFile(const PointSet& points, const Surface* surface,
                                               const FromFileOptions& o, Progress& progress) {
    Progress::Task task(progress, "Placing points of a file");
    const auto ids = points.attributes.find<uint64_t>("id");
    std::vector<uint32_t> kept;
    for (size_t i = 0; i < ids.size(); ++i)
        if (o.share >= 1.0 || double(random1(o.seed, ids[i], Stream::Pick)) < o.share)
            kept.push_back(uint32_t(i));
    auto out = std::make_shared<PointSet>();
    out->attributes = points.attributes.gathered(kept);
    // What only holds where the file came from: another surface's triangles, another layer's prototypes.
    for (const char* name : {"triangle", "bary", "bary_u", "bary_v", "prototype"})
        out->attributes.remove(name);
    const bool normals = points.attributes.has("N");
    auto n = out->attributes.add<V3f>("N", V3f(0, 1, 0));
    auto p = out->attributes.add<V3f>("P");
    if (surface && o.onSurface) {
        auto triangle = out->attributes.add<int32_t>("triangle");
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
    return masked(out, o.keep, o.seed, progress);
}

static Geometry applyFromFile(const StepInput& in) {
    const std::string& file = in.params.text("file");
    if (file.empty())
        throw Error("no file of points is chosen", {}, "Choose a .ply, .csv, .usda or .vdb file");
    if (!in.around) throw Error("files cannot be read here");
    FromFileOptions o;
    o.onSurface = in.params.flag("on_surface");
    o.seed = uint64_t(in.params.integer("seed"));
    o.keep = in.params.driven("keep");
    o.share = in.share;
    return pointsFromFile(*in.around->points(file), in.surface.get(), o, in.progress);
}

StepType fromFileStep() {
    using namespace specs;
    return {
        .id = "from_file",
        .title = "From a file",
        .phase = Phase::Place,
        .help = "Points of a .ply, .csv, .usda or .vdb file, with their turns and sizes where it has some",
        .takes = GeometryKind::Nothing,
        .gives = GeometryKind::Points,
        .params = {file("file", "File", "The points"),
                   flag("on_surface", "On surface", false, "Moves each to the surface's nearest point"),
                   seedSpec("Another number, another choice where the mask is between 0 and 1"), keepSpec()},
        .mask = "keep",
        .apply = applyFromFile};
}

}  // namespace ovrix
