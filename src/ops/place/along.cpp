#include "ops/place/along.h"

#include <bit>

#include "base/parallel.h"
#include "geo/surface/surface.h"
#include "ops/place/place_points.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct AlongParams : ParamTable {
    Handle<Refs> curves = add(refs("curves", "Curves", "curve", "All of them are followed"));
    Handle<std::string> amount =
        add(choice("amount", "Amount by", "spacing", {"spacing", "count"},
                   "A fixed distance between neighbours, or a number over all curves"));
    Handle<double> spacing = add(shownIf(
        number("spacing", "Spacing", 0.1, "m", 1e-5, 1e5, 0.01, 2, "Between neighbours, along the curve"),
        "amount=spacing"));
    Handle<int64_t> count =
        add(shownIf(whole("count", "Count", starting(AlongOptions{}.count), 0, 1e12, 0, 10000,
                          "Elements before the mask; raising it keeps those that are there"),
                    "amount=count"));
    Handle<double> jitter = add(unitNumber("jitter", "Jitter", starting(AlongOptions{}.jitter),
                                           "How far each may slide along the curve"));
    Handle<double> width = add(number("width", "Strip", starting(AlongOptions{}.width), "m", 0, 1e5, 0, 2,
                                      "Width of the strip around the curve in which they lie"));
    Handle<bool> onSurface = add(flag("on_surface", "On surface", starting(AlongOptions{}.onSurface),
                                      "On the surface's nearest point"));
    Handle<int64_t> seed = add(seedSpec("Another number, another arrangement"));
    Handle<Varying> mask = add(maskSpec());
} kAlong;

double vanDerCorput(uint64_t i) {
    double x = 0, part = 0.5;
    for (; i; i >>= 1, part *= 0.5) x += (i & 1) ? part : 0.0;
    return x;
}

struct Stop {
    uint64_t id;
    CurveSet::Place place;
};

/// By count: the sequence begins where the seed says, and goes round.
std::vector<Stop> stopsByCount(const CurveSet& curves, const AlongOptions& o) {
    const size_t count = size_t(std::ceil(double(o.count) * std::clamp(o.share, 0.0, 1.0)));
    const double begin = random1(o.seed, 0, Stream::Place), total = curves.totalLength();
    std::vector<Stop> stops(count);
    for (size_t i = 0; i < count; ++i) {
        // By the gap that it was put into, so that raising the count moves it no further.
        const double gap = std::ldexp(1.0, -int(std::bit_width(uint64_t(i))) - 1);
        const double slide = double(o.jitter) * (random1(o.seed, i, Stream::Lift) - 0.5) * gap;
        const double x = begin + vanDerCorput(i) + slide;
        stops[i] = {i, curves.at((x - std::floor(x)) * total)};
    }
    return stops;
}

std::vector<Stop> stopsBySpacing(const CurveSet& curves, const AlongOptions& o) {
    std::vector<Stop> stops;
    for (size_t c = 0; c < curves.size(); ++c)
        for (uint64_t i = 0; double(i) * o.spacing <= curves.length(c); ++i) {
            const uint64_t id = uint64_t(c) << 32 | i;
            if (o.share < 1.0 && double(random1(o.seed, id, Stream::Show)) >= o.share) continue;
            const double slide = double(o.jitter) * (random1(o.seed, id, Stream::Lift) - 0.5);
            stops.push_back({id, curves.at(c, (double(i) + slide) * o.spacing)});
        }
    return stops;
}

/// Up as far as the curve lets it.
V3f uprightOn(const V3f& tangent) {
    const V3f up = V3f(0, 1, 0) - tangent * tangent.y;
    if (up.length() > 1e-4f) return up.normalized();
    V3f a, b;
    basis(tangent, a, b);
    return a;
}

}  // namespace

std::shared_ptr<const PointSet> pointsAlong(const CurveSet& curves, const Surface* surface,
                                            const AlongOptions& o, Progress& progress) {
    if (curves.size() == 0 || !(curves.totalLength() > 0))
        throw Error("the curves have no length", {}, "Draw one with two points or more");
    const bool spaced = o.spacing > 0;
    const double wanted =
        std::clamp(o.share, 0.0, 1.0) * (spaced ? curves.totalLength() / o.spacing : double(o.count)) +
        double(curves.size());
    requireCount(wanted);
    requireMemory(wanted * (bytesPerPoint(true) + sizeof(Stop)), o.memoryLimit, wanted);
    Progress::Task task(progress, "Placing along curves");
    const std::vector<Stop> stops = spaced ? stopsBySpacing(curves, o) : stopsByCount(curves, o);
    const bool lies = o.onSurface && surface;
    const bool uv = lies && !surface->mesh().uvs().empty();
    auto points = std::make_shared<PointSet>();
    const PointColumns columns = makePointColumns(points->attributes, stops.size(), uv);
    parallelFor(stops.size(), progress, [&](size_t i) {
        const CurveSet::Place& at = stops[i].place;
        V3f normal = uprightOn(at.tangent);
        const float across = o.width * (random1(o.seed, stops[i].id, Stream::Width) - 0.5f);
        const V3f p = at.position + at.tangent.cross(normal) * across;
        columns.put(i, stops[i].id, {p, normal, kNoTriangle, 0.0f, 0.0f});
        if (!lies) return;
        const SurfaceHit hit = surface->closest(p);
        if (!hit.hit) return;
        const Surface::Sample sample = surface->sampleAt(hit.triangle, hit.u, hit.v);
        columns.put(i, stops[i].id, sample);
        if (uv) columns.putUv(i, *surface, sample);
    });
    if (!lies)
        for (const char* name : {"triangle", "bary"}) points->attributes.remove(name);
    return masked(points, o.mask, o.seed, progress);
}

std::shared_ptr<const CurveSet> curvesOf(const StepInput& in, const Handle<Refs>& curves) {
    std::vector<std::vector<V3f>> lines;
    for (const std::string& id : in.params[curves]) {
        if (id.empty()) continue;
        if (!in.query) throw Error("curves cannot be seen here");
        const auto one = in.query->curves(id);
        for (size_t c = 0; c < one->size(); ++c) lines.push_back(one->line(c));
    }
    if (lines.empty()) throw Error("has no curve", {}, "Choose one, or draw one in the view (key 6)");
    return std::make_shared<const CurveSet>(std::move(lines));
}

static Geometry applyAlong(const StepInput& in) {
    AlongOptions o;
    o.count = size_t(in.params[kAlong.count]);
    o.spacing = in.params[kAlong.amount] == "spacing" ? in.params[kAlong.spacing] : 0.0;
    o.jitter = float(in.params[kAlong.jitter]);
    o.width = float(in.params[kAlong.width]);
    o.onSurface = in.params[kAlong.onSurface];
    o.seed = uint64_t(in.params[kAlong.seed]);
    o.mask = in.params[kAlong.mask];
    o.share = in.share;
    o.memoryLimit = in.memoryLimit;
    if (o.onSurface) surfaceOf(in);
    return pointsAlong(*curvesOf(in, kAlong.curves), in.surface.get(), o, in.progress);
}

StepType alongStep() {
    return {.id = "along",
            .title = "Along curves",
            .phase = Phase::Place,
            .help = "Points along curves that are drawn in the view, or in a strip around them",
            .takes = GeometryKind::Nothing,
            .gives = GeometryKind::Points,
            .params = kAlong.specs(),
            .masked = true,
            .apply = applyAlong};
}

}  // namespace ovrix::ops
