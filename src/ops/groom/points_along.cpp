#include "ops/groom/points_along.h"

#include "base/parallel.h"
#include "geo/strands/strands.h"
#include "ops/place/place_points.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct PointsAlongParams : ParamTable {
    Handle<std::string> amount =
        add(choice("amount", "Amount", "spacing", {"spacing", "count"}, "By distance, or so many each"));
    Handle<double> spacing = add(shownIf(number("spacing", "Spacing", starting(PointsAlongOptions{}.spacing),
                                                "m", 1e-6, 1e5, 0.001, 0.1, "Between points along a strand"),
                                         "amount=spacing"));
    Handle<int64_t> count = add(shownIf(
        whole("count", "Count", starting(PointsAlongOptions{}.count), 1, 1e6, 2, 200, "Of each strand"),
        "amount=count"));
    Handle<double> jitter =
        add(unitNumber("jitter", "Jitter", starting(PointsAlongOptions{}.jitter),
                       "0 is even steps, whose rows show; at 1 each may lie anywhere in its own piece"));
    Handle<int64_t> seed = add(seedSpec("Another number, other places in their pieces"));
    Handle<Varying> mask = add(maskSpec());
} kPointsAlong;

/// What points get, as far as the strands have it.
struct AlongColumns {
    std::span<V3f> p, n;
    std::span<Quatf> orient;
    std::span<uint64_t> id, strand;
    std::span<float> along, distance, length, width;
    std::span<Color> color;
    AlongColumns(AttributeSet& set, bool widths, bool colors)
        : p(set.add<V3f>("P")),
          n(set.add<V3f>("N")),
          orient(set.add<Quatf>("orient")),
          id(set.add<uint64_t>("id")),
          strand(set.add<uint64_t>("strand")),
          along(set.add<float>("along")),
          distance(set.add<float>("root_distance")),
          length(set.add<float>("strand_length")) {
        if (widths) width = set.add<float>("width");
        if (colors) color = set.add<Color>("color");
    }
};

uint64_t piecesOn(float length, const PointsAlongOptions& o) {
    if (!o.bySpacing) return std::max(1u, o.count);
    const double pieces = std::floor(double(length) / double(o.spacing) + 0.5);
    return uint64_t(std::clamp(pieces, 1.0, 1e12));
}

}  // namespace

std::shared_ptr<const PointSet> pointsAlong(const StrandSet& in, const PointsAlongOptions& o,
                                            Progress& progress) {
    if (o.bySpacing && !(o.spacing > 0.0f))
        throw Error("the spacing is no length", {}, "Set a spacing above 0");
    Progress::Task task(progress, "Points along strands");
    const auto positions = in.points.find<V3f>("P");
    const auto ids = in.strands.find<uint64_t>("id");
    const auto widths = in.points.find<float>("width");
    const auto colors = in.points.find<Color>("color");
    std::vector<float> length(in.size());
    parallelFor(in.size(), progress, [&](size_t s) { length[s] = lengthOf(pointsOf(in, positions, s)); });
    std::vector<uint64_t> first(in.size() + 1, 0);
    double all = 0.0;
    for (size_t s = 0; s < in.size(); ++s) {
        const uint64_t count = std::isfinite(length[s]) ? piecesOn(length[s], o) : 0;
        all += double(count);
        first[s + 1] = first[s] + count;
    }
    requireCount(all);
    constexpr double kBytes = 12 + 12 + 16 + 8 + 8 + 3 * 4;
    requireMemory(all * (kBytes + (widths.empty() ? 0 : 4) + (colors.empty() ? 0 : 12)), o.memoryLimit, all);
    auto set = std::make_shared<PointSet>();
    set->attributes.resize(size_t(first.back()));
    const AlongColumns out(set->attributes, !widths.empty(), !colors.empty());
    parallelFor(in.size(), progress, [&](size_t s) {
        const auto points = pointsOf(in, positions, s);
        const uint64_t count = first[s + 1] - first[s], id = ids.empty() ? s : ids[s];
        std::vector<float> t(points.size());
        alongOf(points, t);
        size_t piece = 0;
        for (uint64_t k = 0; k < count; ++k) {
            const auto i = size_t(first[s] + k);
            const uint64_t own = mixBits(id * 0x9e3779b97f4a7c15ull + k + 1);
            const float draw = random1(o.seed, own, Stream::Place);
            const float at =
                float((double(k) + 0.5 + double(o.jitter) * (double(draw) - 0.5)) / double(count));
            while (piece + 2 < points.size() && t[piece + 1] < at) ++piece;
            const float over = t[piece + 1] - t[piece];
            const float part = over > 0.0f ? std::clamp((at - t[piece]) / over, 0.0f, 1.0f) : 0.0f;
            const size_t a = in.start[s] + piece;
            const V3f way = positions[a + 1] - positions[a];
            out.p[i] = positions[a] + way * part;
            out.n[i] = way.length() > 0.0f ? way.normalized() : V3f(0, 1, 0);
            out.orient[i] = turnBetween(V3f(0, 1, 0), out.n[i]);
            out.id[i] = own, out.strand[i] = id;
            out.along[i] = at, out.distance[i] = at * length[s], out.length[i] = length[s];
            if (!out.width.empty()) out.width[i] = lerp(widths[a], widths[a + 1], part);
            if (!out.color.empty()) out.color[i] = Color(colors[a] + (colors[a + 1] - colors[a]) * part);
        }
    });
    return masked(std::move(set), o.mask, o.seed, progress);
}

StepType pointsAlongStep() {
    return {.id = "points_along",
            .title = "Strands as points",
            .phase = Phase::Shape,
            .help = "Points along each strand, with where on it they are",
            .takes = GeometryKind::Strands,
            .gives = GeometryKind::Points,
            .params = kPointsAlong.specs(),
            .apply = [](const StepInput& in) -> Geometry {
                PointsAlongOptions o;
                o.bySpacing = in.params[kPointsAlong.amount] == "spacing";
                o.spacing = float(in.params[kPointsAlong.spacing]);
                o.count = uint32_t(in.params[kPointsAlong.count]);
                o.jitter = float(in.params[kPointsAlong.jitter]);
                o.seed = uint64_t(in.params[kPointsAlong.seed]);
                o.mask = in.params[kPointsAlong.mask];
                o.memoryLimit = in.memoryLimit;
                return pointsAlong(*strandsOf(in), o, in.progress);
            }};
}

}  // namespace ovrix::ops
