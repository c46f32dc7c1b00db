#include "ops/time/trails.h"

#include <memory>
#include <tuple>

#include "base/error.h"
#include "base/parallel.h"
#include "geo/points/nearest.h"
#include "geo/strands/strands.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct TrailsParams : ParamTable {
    Handle<double> length = add(number("length", "Length", starting(TrailOptions{}.seconds), "s", 0, 1000, 0,
                                       4, "How far back they reach"));
    Handle<int64_t> pieces = add(
        whole("pieces", "Pieces", starting(TrailOptions{}.pieces), 1, 512, 2, 48, "More bend more smoothly"));
    Handle<double> width = add(number("width", "Width", startingMillimetres(TrailOptions{}.width), "mm", 0,
                                      1e6, 0.05, 20, "Across at the head, times the size"));
    Handle<double> tail = add(unitNumber("tail", "Tail", starting(TrailOptions{}.tail),
                                         "Width at the end, as a fraction of that at the head"));
    Handle<Color> head = add(color("head", "Colour at the head", starting(TrailOptions{}.head), false,
                                   "Times the particle's own"));
    Handle<Color> end = add(
        color("end", "Colour at the end", starting(TrailOptions{}.end), false, "Times the particle's own"));
    Handle<double> between =
        add(number("between", "Between neighbours", starting(TrailOptions{}.between), "m", 0, 1e5, 0, 1,
                   "Also a strand to those nearer than this; 0 is none"));
} kTrails;

/// Places along all trails: row k is where each was k pieces ago; the length says how many hold.
struct Paths {
    std::vector<std::unique_ptr<V3f[]>> position;
    std::vector<size_t> length;
};

Paths pathsOf(const PointSet& now, const std::function<Geometry(double)>& at, const TrailOptions& o,
              Progress& progress) {
    const auto p = now.attributes.find<V3f>("P");
    const auto id = now.attributes.find<uint64_t>("id");
    const auto age = now.attributes.find<float>("age");
    Paths paths;
    paths.position.resize(size_t(o.pieces) + 1);
    const auto row = [&] { return std::make_unique_for_overwrite<V3f[]>(p.size()); };
    std::copy(p.begin(), p.end(), (paths.position[0] = row()).get());
    paths.length.assign(p.size(), 1);
    const V3f nowhere(std::numeric_limits<float>::quiet_NaN());
    // From the oldest on: a simulation that has to be worked out again goes forward once.
    for (int k = o.pieces; k >= 1; --k) {
        progress.check();
        const double ago = double(o.seconds) * k / o.pieces;
        const Geometry before = at(ago);
        V3f* positions = (paths.position[size_t(k)] = row()).get();
        const auto* points = std::get_if<std::shared_ptr<const PointSet>>(&before);
        if (!points || id.empty()) {
            std::fill_n(positions, p.size(), nowhere);
            continue;
        }
        const auto q = (*points)->attributes.find<V3f>("P");
        const auto qid = (*points)->attributes.find<uint64_t>("id");
        const bool alike = qid.size() == id.size() && std::equal(id.begin(), id.end(), qid.begin());
        const auto where = alike ? std::unordered_map<uint64_t, uint32_t>() : indexById(qid);
        parallelFor(p.size(), progress, [&](size_t i) {
            positions[i] = nowhere;
            if (!age.empty() && double(age[i]) < ago) return;  // not born yet
            if (alike) {
                positions[i] = q[i];
            } else if (const auto found = where.find(id[i]); found != where.end()) {
                positions[i] = q[found->second];
            }
        });
    }
    parallelFor(p.size(), progress, [&](size_t i) {
        size_t& length = paths.length[i];
        while (length < paths.position.size() && isFinite(paths.position[length][i])) ++length;
    });
    return paths;
}

/// Strands and their columns, while they are laid one after the other.
struct Drawn {
    StrandSet set;
    std::vector<V3f> points;
    std::vector<float> width;
    std::vector<Color> color;
    std::vector<uint64_t> ids;

    /// Room for strands of @p counts points, behind those that are there; none for a count of 0. Gives where
    /// each begins.
    std::vector<uint32_t> add(const std::vector<uint32_t>& counts) {
        std::vector<uint32_t> first(counts.size());
        uint32_t end = set.start.back();
        for (size_t i = 0; i < counts.size(); ++i) {
            first[i] = end;
            if (counts[i]) set.start.push_back(end += counts[i]);
        }
        points.resize(end), width.resize(end), color.resize(end);
        return first;
    }
};

/// How many points each trail has; 0 for those that went nowhere.
std::vector<uint32_t> countsOf(const Paths& paths, Progress& progress) {
    std::vector<uint32_t> counts(paths.length.size());
    parallelFor(counts.size(), progress, [&](size_t i) {
        const size_t count = paths.length[i];
        float length = 0;
        for (size_t k = 1; k < count; ++k)
            length += (paths.position[k][i] - paths.position[k - 1][i]).length();
        if (count > 1 && length > 1e-7f && std::isfinite(length)) counts[i] = uint32_t(count);
    });
    return counts;
}

void drawPaths(const PointSet& now, const Paths& paths, const TrailOptions& o, Drawn& d, Progress& progress) {
    const auto id = now.attributes.find<uint64_t>("id");
    const auto scale = now.attributes.find<float>("scale");
    const auto own = now.attributes.find<Color>("color");
    const std::vector<uint32_t> counts = countsOf(paths, progress), first = d.add(counts);
    parallelFor(counts.size(), progress, [&](size_t i) {
        const float size = scale.empty() ? 1.0f : scale[i];
        const Color base = own.empty() ? Color(1.0f) : own[i];
        for (uint32_t k = 0; k < counts[i]; ++k) {
            const float t = float(k) / float(o.pieces);
            d.points[first[i] + k] = paths.position[k][i];
            d.width[first[i] + k] = o.width * size * lerp(1.0f, o.tail, t);
            d.color[first[i] + k] = Color((o.head + (o.end - o.head) * t) * base);
        }
    });
    for (size_t i = 0; i < counts.size(); ++i)
        if (counts[i]) d.ids.push_back(id.empty() ? i : id[i]);
}

/// Pairs that are linked: each with its eight nearest within a distance, whichever of both sees the other.
/// Which they are, and which end is first, follows from places and ids alone.
template <class IdOf>
std::vector<std::pair<size_t, size_t>> links(std::span<const V3f> p, const IdOf& idOf, float within,
                                             Progress& progress) {
    constexpr size_t kNearest = 8;
    const NearestPoints tree(std::vector<V3f>(p.begin(), p.end()));
    using Pairs = std::vector<std::pair<size_t, size_t>>;
    const auto linksOf = [&](size_t i, Pairs& pairs) {
        uint32_t near[32];
        float d2[32];
        const size_t found = tree.closestFew(p[i], 32, near, d2);
        std::vector<std::tuple<float, uint64_t, size_t>> seen;  // of those equally far the lower id
        for (size_t k = 0; k < found; ++k)
            if (near[k] != i && d2[k] < within * within && d2[k] > 0)
                seen.emplace_back(d2[k], idOf(near[k]), near[k]);
        std::sort(seen.begin(), seen.end());
        for (size_t k = 0; k < std::min(kNearest, seen.size()); ++k) {
            const size_t other = std::get<2>(seen[k]);
            pairs.push_back(idOf(i) < idOf(other) ? std::pair(i, other) : std::pair(other, i));
        }
    };
    constexpr size_t kPiece = 1024;
    std::vector<Pairs> pieces((p.size() + kPiece - 1) / kPiece);
    parallelEach(pieces.size(), progress, [&](size_t piece) {
        for (size_t i = piece * kPiece; i < std::min(p.size(), (piece + 1) * kPiece); ++i)
            linksOf(i, pieces[piece]);
    });
    Pairs pairs;
    for (const Pairs& piece : pieces) pairs.insert(pairs.end(), piece.begin(), piece.end());
    const auto byId = [&](const auto& a, const auto& b) {
        return std::tuple(idOf(a.first), idOf(a.second)) < std::tuple(idOf(b.first), idOf(b.second));
    };
    std::sort(pairs.begin(), pairs.end(), byId);
    pairs.erase(std::unique(pairs.begin(), pairs.end()), pairs.end());
    return pairs;
}

void drawLinks(const PointSet& now, const TrailOptions& o, Drawn& d, Progress& progress) {
    const auto p = now.attributes.find<V3f>("P");
    const auto id = now.attributes.find<uint64_t>("id");
    const auto own = now.attributes.find<Color>("color");
    const auto idOf = [&](size_t i) { return id.empty() ? uint64_t(i) : id[i]; };
    const auto pairs = links(p, idOf, o.between, progress);
    const std::vector<uint32_t> first = d.add(std::vector<uint32_t>(pairs.size(), 2));
    for (size_t l = 0; l < pairs.size(); ++l) {
        const auto [i, k] = pairs[l];
        const float fade = 1.0f - (p[i] - p[k]).length() / o.between;
        uint32_t at = first[l];
        for (const size_t end : {i, k}) {
            d.points[at] = p[end];
            d.width[at] = o.width * fade;
            d.color[at++] = Color(o.head * (own.empty() ? Color(1.0f) : own[end]));
        }
        d.ids.push_back(random4(idOf(i), idOf(k), Stream::Branch).word(0));
    }
}

}  // namespace

StrandsPtr trailsOf(const PointSet& now, const std::function<Geometry(double)>& at, const TrailOptions& o,
                    Progress& progress) {
    Drawn d;
    if (o.seconds > 0) drawPaths(now, pathsOf(now, at, o, progress), o, d, progress);
    if (o.between > 0) drawLinks(now, o, d, progress);
    std::vector<V3f> roots(d.set.size());
    for (size_t s = 0; s < roots.size(); ++s) roots[s] = d.points[d.set.start[s]];
    d.set.points.set("P", std::move(d.points));
    d.set.points.set("width", std::move(d.width));
    d.set.points.set("color", std::move(d.color));
    d.set.strands.set("P", std::move(roots));
    d.set.strands.set("id", std::move(d.ids));
    d.set.strands.add<V3f>("N", V3f(0, 1, 0));
    d.set.strands.add<Quatf>("orient");
    d.set.round = true;
    return std::make_shared<const StrandSet>(std::move(d.set));
}

StepType trailsStep() {
    StepType type;
    type.id = "trails", type.title = "Trails", type.phase = Phase::Move;
    type.help = "Strands behind particles, as long as they went in a time; also between neighbours";
    type.takes = GeometryKind::Points, type.gives = GeometryKind::Strands;
    type.overTime = true;
    type.params = kTrails.specs();
    type.apply = [](const StepInput& in) -> Geometry {
        const ResolvedParams& p = in.params;
        const auto& points = *std::get<std::shared_ptr<const PointSet>>(in.in);
        TrailOptions o;
        o.seconds = in.inAt ? float(p[kTrails.length]) : 0.0f;
        o.pieces = int(p[kTrails.pieces]);
        o.width = 0.001f * float(p[kTrails.width]);
        o.tail = float(p[kTrails.tail]);
        o.head = p[kTrails.head], o.end = p[kTrails.end];
        o.between = float(p[kTrails.between]);
        const double most = double(points.size()) * (o.pieces + 1);
        requireMemory(most * 40.0, in.memoryLimit, double(points.size()));
        if (most > double(UINT32_MAX))
            throw Error("the trails would have more points than one layer can hold", {},
                        "Fewer pieces or particles");
        return trailsOf(
            points, [&](double ago) { return in.inAt(in.frame - ago * in.rate); }, o, in.progress);
    };
    return type;
}

}  // namespace ovrix::ops
