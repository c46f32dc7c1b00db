#include "ops/groom/strand_sources.h"

#include "base/error.h"
#include "geo/surface/surface.h"
#include "ops/groom/grow.h"
#include "ops/place/along.h"
#include "ops/place/file_frames.h"
#include "params/param_table.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct CurveStrandsParams : ParamTable {
    Handle<Refs> curves = add(refs("curves", "Curves", "curve", "Each becomes a strand"));
    Handle<int64_t> segments =
        add(whole("segments", "Segments", 12, 1, 4096, 2, 64, "Pieces of each strand"));
    Handle<bool> onSurface =
        add(flag("on_surface", "On surface", true, "Moves each so that its root lies on the surface"));
} kCurveStrands;

const struct StrandFileParams : ParamTable {
    FileFrameParams source{*this, "Curves in .usda, lines in .ply, points with strand ids in .vdb"};
    Handle<bool> onSurface =
        add(flag("on_surface", "On surface", true, "Moves each so that its root lies on the surface"));
    Handle<int64_t> seed = add(seedSpec("Another number, another choice in Draft"));
} kStrandFile;

}  // namespace

StrandsPtr rooted(const StrandSet& in, const Surface* surface, bool move, Progress& progress) {
    auto out = std::make_shared<StrandSet>(in);
    auto p = out->points.add<V3f>("P");
    auto root = out->strands.add<V3f>("P");
    auto normal = out->strands.add<V3f>("N", V3f(0, 1, 0));
    auto orient = out->strands.add<Quatf>("orient");
    const bool uv = surface && !surface->mesh().uvs().empty();
    auto triangle = surface ? out->strands.add<int32_t>("triangle", -1) : std::span<int32_t>();
    auto bary = surface ? out->strands.add<V2f>("bary") : std::span<V2f>();
    auto uvs = uv ? out->strands.add<V2f>("uv") : std::span<V2f>();
    parallelFor(out->size(), progress, [&](size_t s) {
        const V3f first = p[out->start[s]];
        root[s] = first;
        const SurfaceHit hit = surface ? surface->closest(first) : SurfaceHit();
        if (!hit.hit) {
            const V3f direction = p[out->start[s] + 1] - first;
            normal[s] = direction.length() > 1e-12f ? direction.normalized() : V3f(0, 1, 0);
            orient[s] = rootFrame(normal[s], V3f(1, 0, 0));
            return;
        }
        triangle[s] = int32_t(hit.triangle);
        bary[s] = V2f(hit.u, hit.v);
        normal[s] = hit.normal;
        orient[s] = rootFrame(hit.normal, edgeOf(surface->mesh(), hit.triangle));
        if (uv) uvs[s] = surface->uvAt(hit.triangle, hit.u, hit.v);
        if (!move) return;
        root[s] = hit.position;
        for (size_t i = out->start[s]; i < out->start[s + 1]; ++i) p[i] += hit.position - first;
    });
    return out;
}

StrandsPtr strandsAlong(const CurveSet& curves, const Surface* surface, int segments) {
    if (curves.size() == 0 || !(curves.totalLength() > 0))
        throw Error("the curves have no length", {}, "Draw one with two points or more");
    auto out = std::make_shared<StrandSet>();
    const size_t per = size_t(std::clamp(segments, 1, 4096)) + 1;
    std::vector<V3f> p;
    std::vector<float> width;
    std::vector<uint64_t> id;
    for (size_t c = 0; c < curves.size(); ++c) {
        const double length = curves.length(c);
        for (size_t i = 0; i < per; ++i) {
            const double t = double(i) / double(per - 1);
            p.push_back(curves.at(c, t * length).position);
            width.push_back(float(0.01 * length * (1.0 - 0.85 * t)));
        }
        out->start.push_back(uint32_t(p.size()));
        id.push_back(c);
    }
    out->points.set("P", std::move(p));
    out->points.set("width", std::move(width));
    out->strands.set("id", std::move(id));
    return rooted(*out, surface, surface != nullptr, Progress::none());
}

StepType curveStrandsStep() {
    return {.id = "curve_strands",
            .title = "Strands of curves",
            .phase = Phase::Place,
            .help = "A strand along each curve that is drawn in the view, root first",
            .takes = GeometryKind::Nothing,
            .gives = GeometryKind::Strands,
            .params = kCurveStrands.specs(),
            .apply = [](const StepInput& in) -> Geometry {
                const bool on = in.params[kCurveStrands.onSurface] && in.surface;
                return strandsAlong(*curvesOf(in, kCurveStrands.curves), on ? in.surface.get() : nullptr,
                                    int(in.params[kCurveStrands.segments]));
            }};
}

/// Between two frames of the same strands; else the first.
static StrandsPtr strandsBetween(const StrandsPtr& from, const StrandsPtr& to, float fraction) {
    if (from->start != to->start) return from;
    const auto id0 = from->strands.find<uint64_t>("id"), id1 = to->strands.find<uint64_t>("id");
    if (!std::equal(id0.begin(), id0.end(), id1.begin(), id1.end())) return from;
    auto out = std::make_shared<StrandSet>(*from);
    const auto p = out->points.add<V3f>("P");
    const auto q = to->points.find<V3f>("P");
    for (size_t i = 0; i < p.size(); ++i) p[i] += (q[i] - p[i]) * fraction;
    return out;
}

static Geometry applyStrandFile(const StepInput& in) {
    const FileFrame frame = fileFrame(in, kStrandFile.source, "Choose a .usda, .ply or .vdb file");
    if (frame.file.empty()) return std::make_shared<const StrandSet>();
    size_t dropped = 0;
    StrandsPtr all = in.query->strandFile(frame.file);
    if (!frame.later.empty()) all = strandsBetween(all, in.query->strandFile(frame.later), frame.fraction);
    all = withoutBroken(all, &dropped);
    in.note(droppedNote(dropped));
    all = std::get<StrandsPtr>(
        shareOf(all, frame.light ? 1.0 : in.share, uint64_t(in.params[kStrandFile.seed])));
    return rooted(*all, in.surface.get(), in.params[kStrandFile.onSurface], in.progress);
}

StepType strandFileStep() {
    return {.id = "strand_file",
            .title = "Strands of a file",
            .phase = Phase::Place,
            .help = "Strands of a .usda, .ply or .vdb file, or of one for each frame: guides, or all of them",
            .takes = GeometryKind::Nothing,
            .gives = GeometryKind::Strands,
            .params = kStrandFile.specs(),
            .followsDraft = [](const ParamMap& p) { return hasLight(p, kStrandFile.source); },
            .apply = applyStrandFile};
}

}  // namespace ovrix::ops
