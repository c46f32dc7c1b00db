#include "ops/trails.h"

#include "base/parallel.h"
#include "base/specs.h"
#include "geo/nearest.h"
#include "geo/strands.h"

namespace ovrix {

using namespace specs;

namespace {

/// Places along all trails: row k is where each was k pieces ago; the length says how many hold.
struct Paths {
    std::vector<std::vector<V3f>> place;
    std::vector<size_t> length;
};

Paths pathsOf(const PointSet& now, const std::function<Geometry(double)>& at, const TrailOptions& o,
              Progress& progress) {
    const auto p = now.attributes.find<V3f>("P");
    const auto id = now.attributes.find<uint64_t>("id");
    const auto age = now.attributes.find<float>("age");
    Paths paths;
    paths.place.emplace_back(p.begin(), p.end());
    paths.length.assign(p.size(), 1);
    for (int k = 1; k <= o.pieces; ++k) {
        progress.check();
        const double ago = double(o.seconds) * k / o.pieces;
        const Geometry before = at(ago);
        const auto* points = std::get_if<std::shared_ptr<const PointSet>>(&before);
        std::vector<V3f> places = paths.place.back();
        if (points) {
            const auto q = (*points)->attributes.find<V3f>("P");
            const auto qid = (*points)->attributes.find<uint64_t>("id");
            const auto where = indexById(qid);
            for (size_t i = 0; i < p.size() && !id.empty(); ++i) {
                if (paths.length[i] != size_t(k)) continue;
                if (!age.empty() && double(age[i]) < ago) continue;  // not born yet
                const auto found = where.find(id[i]);
                if (found == where.end()) continue;
                places[i] = q[found->second];
                ++paths.length[i];
            }
        }
        paths.place.push_back(std::move(places));
    }
    return paths;
}

/// Builds the set strand by strand.
struct Drawn {
    StrandSet set;
    std::vector<V3f> points, roots;
    std::vector<float> width;
    std::vector<Color> color;
    std::vector<uint64_t> ids;

    void end(uint64_t id) {
        set.start.push_back(uint32_t(points.size()));
        roots.push_back(points[set.start[set.start.size() - 2]]);
        ids.push_back(id);
    }
};

}  // namespace

StrandsPtr trailsOf(const PointSet& now, const std::function<Geometry(double)>& at, const TrailOptions& o,
                    Progress& progress) {
    const auto id = now.attributes.find<uint64_t>("id");
    const auto scale = now.attributes.find<float>("scale");
    const auto own = now.attributes.find<Color>("color");
    Drawn d;
    if (o.seconds > 0) {
        const Paths paths = pathsOf(now, at, o, progress);
        for (size_t i = 0; i < paths.length.size(); ++i) {
            const size_t count = paths.length[i];
            float length = 0;
            for (size_t k = 1; k < count; ++k) length += (paths.place[k][i] - paths.place[k - 1][i]).length();
            if (count < 2 || !(length > 1e-7f) || !std::isfinite(length)) continue;
            const float size = scale.empty() ? 1.0f : scale[i];
            for (size_t k = 0; k < count; ++k) {
                const float t = float(k) / float(o.pieces);
                d.points.push_back(paths.place[k][i]);
                d.width.push_back(o.width * size * lerp(1.0f, o.tail, t));
                const Color base = own.empty() ? Color(1.0f) : own[i];
                d.color.push_back(Color((o.head + (o.end - o.head) * t) * base));
            }
            d.end(id.empty() ? i : id[i]);
        }
    }
    if (o.between > 0) {
        const auto p = now.attributes.find<V3f>("P");
        const NearestPoints tree(std::vector<V3f>(p.begin(), p.end()));
        for (size_t i = 0; i < p.size(); ++i) {
            if (i % 1024 == 0) progress.check();
            uint32_t near[9];
            float d2[9];
            const size_t found = tree.closestFew(p[i], 9, near, d2);
            for (size_t k = 0; k < found; ++k) {
                if (near[k] <= i || !(d2[k] < o.between * o.between) || !(d2[k] > 0)) continue;
                const float fade = 1.0f - std::sqrt(d2[k]) / o.between;
                for (const V3f& q : {p[i], p[near[k]]}) {
                    d.points.push_back(q);
                    d.width.push_back(o.width * fade);
                    d.color.push_back(o.head);
                }
                const uint64_t a = id.empty() ? i : id[i], b = id.empty() ? near[k] : id[near[k]];
                d.end(random4(a, b, Stream::Branch).word(0));
            }
        }
    }
    d.set.points.set("P", std::move(d.points));
    d.set.points.set("width", std::move(d.width));
    d.set.points.set("color", std::move(d.color));
    d.set.strands.set("P", std::move(d.roots));
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
    type.params = {number("length", "Length", 0.4, "s", 0, 1000, 0, 4, "How far back they reach"),
                   whole("pieces", "Pieces", 10, 1, 512, 2, 48, "More bend more smoothly"),
                   number("width", "Width", 2, "mm", 0, 1e6, 0.05, 20, "Across at the head, times the size"),
                   unitNumber("tail", "Tail", 0, "Width at the end, as a part of that at the head"),
                   color("head", "Colour at the head", Color(1.0f), false, "Times the particle's own"),
                   color("end", "Colour at the end", Color(1.0f), false, "Times the particle's own"),
                   number("between", "Between neighbours", 0, "m", 0, 1e5, 0, 1,
                          "Also a strand to those nearer than this; 0 is none")};
    type.apply = [](const StepInput& in) -> Geometry {
        const ResolvedParams& p = in.params;
        const auto& points = *std::get<std::shared_ptr<const PointSet>>(in.in);
        TrailOptions o;
        o.seconds = in.inAt ? float(p.number("length")) : 0.0f;
        o.pieces = int(p.integer("pieces"));
        o.width = 0.001f * float(p.number("width"));
        o.tail = float(p.number("tail"));
        o.head = p.color("head"), o.end = p.color("end");
        o.between = float(p.number("between"));
        askForMemory(double(points.size()) * (o.pieces + 1) * 40.0, in.memoryLimit, double(points.size()));
        return trailsOf(
            points, [&](double ago) { return in.inAt(in.frame - ago * in.rate); }, o, in.progress);
    };
    return type;
}

}  // namespace ovrix
