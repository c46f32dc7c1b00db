#include "ops/groom/sweep.h"

#include "base/hash.h"
#include "geo/mesh/sides.h"
#include "params/param_table.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct SweepParams : ParamTable {
    Handle<int64_t> sides = add(whole("sides", "Sides", 6, 3, 256, 3, 24, "Faces around a tube"));
    Handle<double> width =
        add(number("width", "Width", 1, "mm", 0, 1e6, 0.01, 20, "Across, where strands have none"));
} kSweep;

const struct UniqueParams : ParamTable { } kUnique; }  // namespace

StepType sweepStep() {
    return {.id = "sweep",
            .title = "Sweep to tubes",
            .phase = Phase::Look,
            .help = "Makes one mesh of all strands",
            .takes = GeometryKind::Strands,
            .gives = GeometryKind::Mesh,
            .params = kSweep.specs(),
            .apply = [](const StepInput& in) -> Geometry {
                const auto strands = strandsOf(in);
                const double points = double(strands->pointCount());
                const double sides = double(in.params[kSweep.sides]);
                requireMemory(points * sides * 90.0, in.memoryLimit, points * sides);
                if (points * sides > 1e9)
                    throw Error("the tubes would have more corners than a mesh can hold", {},
                                "Fewer sides, points or strands");
                return tubesOf(*strands, int(sides), 0.001f * float(in.params[kSweep.width]));
            }};
}

/// The first strand and the first point of each copy, and behind them the end of all. Throws Error where that
/// is too many.
template <class PrototypeOf>
static std::pair<std::vector<size_t>, std::vector<size_t>> firstOfCopies(size_t copies,
                                                                         const PrototypeOf& prototypeOf,
                                                                         size_t memoryLimit) {
    std::vector<size_t> strand(copies + 1), point(copies + 1);
    for (size_t c = 0; c < copies; ++c) {
        const StrandSet* p = prototypeOf(c);
        strand[c + 1] = strand[c] + (p ? p->size() : 0);
        point[c + 1] = point[c] + (p ? p->pointCount() : 0);
    }
    requireMemory(100.0 * double(strand.back()) + 40.0 * double(point.back()), memoryLimit,
                  double(strand.back()));
    if (point.back() > UINT32_MAX)
        throw Error("the strands would have more points than one layer can hold", {},
                    "Lower the number of copies");
    return {std::move(strand), std::move(point)};
}

/// The points of a copy's strands, and where each ends. @param first  of its points
static void placePoints(const StrandSet& from, const M44f& matrix, float size, size_t first, size_t strand,
                        StrandSet& out, std::span<V3f> p, std::span<float> width) {
    const auto place = from.points.find<V3f>("P");
    const auto wide = from.points.find<float>("width");
    for (size_t i = 0; i < place.size(); ++i) {
        p[first + i] = place[i] * matrix;
        width[first + i] = (wide.empty() ? 0.001f : wide[i]) * size;
    }
    for (size_t k = 0; k < from.size(); ++k) out.start[strand + k + 1] = uint32_t(first + from.start[k + 1]);
}

StrandsPtr strandsOfCopies(const Copies& copies, const std::vector<StrandsPtr>& prototypes,
                           size_t memoryLimit, Progress& progress) {
    Progress::Task task(progress, "Making strands unique");
    const auto which = copies.attributes.find<int32_t>("prototype");
    const auto copyId = copies.attributes.find<uint64_t>("id");
    const auto triangle = copies.attributes.find<int32_t>("triangle");
    const auto bary = copies.attributes.find<V2f>("bary");
    const auto uv = copies.attributes.find<V2f>("uv");
    const ElementPlaces places(copies.attributes);
    const auto prototypeOf = [&](size_t c) {
        return which[c] >= 0 && size_t(which[c]) < prototypes.size() ? prototypes[size_t(which[c])].get()
                                                                     : nullptr;
    };
    const auto first = firstOfCopies(which.size(), prototypeOf, memoryLimit);
    const std::vector<size_t>&strand = first.first, &point = first.second;
    auto out = std::make_shared<StrandSet>();
    for (const StrandsPtr& p : prototypes)
        if (p) out->round = p->round;
    out->start.resize(strand.back() + 1);
    out->points.set("P", std::vector<V3f>(point.back()));
    out->points.set("width", std::vector<float>(point.back()));
    out->strands.set("id", std::vector<uint64_t>(strand.back()));
    auto p = out->points.add<V3f>("P");
    auto width = out->points.add<float>("width");
    auto id = out->strands.add<uint64_t>("id");
    auto root = out->strands.add<V3f>("P"), normal = out->strands.add<V3f>("N");
    auto orient = out->strands.add<Quatf>("orient");
    auto clump = out->strands.add<int32_t>("clump");
    const bool on = !triangle.empty() && !bary.empty();
    auto triangles = on ? out->strands.add<int32_t>("triangle") : std::span<int32_t>();
    auto barys = on ? out->strands.add<V2f>("bary") : std::span<V2f>();
    auto uvs = uv.empty() ? std::span<V2f>() : out->strands.add<V2f>("uv");
    parallelRanges(which.size(), 64, progress, [&](size_t begin, size_t end) {
        for (size_t c = begin; c < end; ++c) {
            const StrandSet* from = prototypeOf(c);
            if (!from) continue;
            const M44f m = places.matrix(c);
            const Quatf turn = places.orient.empty() ? Quatf() : places.orient[c];
            const float size = places.scale.empty() ? 1.0f : places.scale[c];
            placePoints(*from, m, size, point[c], strand[c], *out, p, width);
            for (size_t k = 0; k < from->size(); ++k) {
                const size_t s = strand[c] + k;
                id[s] = mixBits(copyId[c] * 0x9e3779b97f4a7c15ull + k) >> 2;
                root[s] = p[point[c] + from->start[k]];
                normal[s] = rotate(turn, V3f(0, 1, 0));
                orient[s] = turn;
                clump[s] = int32_t(mixBits(copyId[c]) & 0x7fffffff);
                if (on) triangles[s] = triangle[c], barys[s] = bary[c];
                if (!uvs.empty()) uvs[s] = uv[c];
            }
        }
    });
    return out;
}

StepType uniqueStep() {
    return {.id = "unique",
            .title = "Make unique",
            .phase = Phase::Shape,
            .help = "Turns copies of tufts into strands, so that what follows shapes each by itself",
            .takes = GeometryKind::Copies,
            .gives = GeometryKind::Strands,
            .params = kUnique.specs(),
            .apply = [](const StepInput& in) -> Geometry {
                const auto& copies = *std::get<std::shared_ptr<const Copies>>(in.in);
                if (!in.query) throw Error("tufts cannot be seen here");
                std::vector<StrandsPtr> prototypes;
                bool any = false;
                for (const std::string& id : copies.prototypes) {
                    prototypes.push_back(in.query->strands(id));
                    any = any || prototypes.back();
                }
                if (!any) throw Error("no prototype is made of strands", {}, "Copy a tuft");
                return strandsOfCopies(copies, prototypes, in.memoryLimit, in.progress);
            }};
}

}  // namespace ovrix::ops
