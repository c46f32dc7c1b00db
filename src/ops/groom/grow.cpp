#include "ops/groom/grow.h"

#include "geo/surface/surface.h"
#include "params/param_table.h"
#include "params/starting.h"

#include <fmt/format.h>

namespace ovrix::ops {

using namespace specs;

namespace {

const struct GrowParams : ParamTable {
    Handle<VaryingRange> length =
        add(drivable(range("length", "Length", starting(GrowOptions{}.length), "m", 0, 1e4, 0, 1,
                           "Each strand picks one between; a field walks from the first to the second")));
    Handle<int64_t> segments = add(whole("segments", "Segments", starting(GrowOptions{}.segments), 1, 1000, 2,
                                         32, "Pieces of each strand: more bend finer"));
    Handle<Varying> lean = add(
        drivable(number("lean", "Lean", 20, "deg", 0, 180, 0, 90, "Off the surface's normal at the root")));
    Handle<Varying> bend = add(drivable(number("bend", "Bend", 25, "deg", -720, 720, -90, 180,
                                               "How much further the tip is turned than the root")));
    Handle<V3f> toward = add(vector("toward", "Toward", starting(GrowOptions{}.toward), "", 1,
                                    "The way to lean, in the world; it is laid along the surface"));
    Handle<double> scatter = add(unitNumber("scatter", "Scatter", 0.2, "0 all lean one way, 1 each its own"));
    Handle<int64_t> seed = add(seedSpec("Another number, other lengths and leans"));
} kGrow;

}  // namespace

double bytesPerStrand(size_t points) { return 100.0 + 40.0 * double(points); }

std::string droppedNote(size_t n) {
    if (n == 0) return {};
    return fmt::format("{} {} left out: without a length, or where a place or a field gives no number", n,
                       n == 1 ? "strand was" : "strands were");
}

namespace {

/// The way a strand leans: along the surface, towards the option's direction or the strand's own.
V3f sideways(const V3f& n, const GrowOptions& o, uint64_t id) {
    V3f a, b;
    basis(n, a, b);
    const float angle = 2.0f * kPi * random1(o.seed, id, Stream::Lean);
    const V3f own = a * std::cos(angle) + b * std::sin(angle);
    V3f to = o.toward - n * o.toward.dot(n);
    to = to.length() > 1e-4f ? to.normalized() : own;
    const V3f mixed = to * (1.0f - o.scatter) + own * o.scatter;
    const V3f flat = mixed - n * mixed.dot(n);
    return flat.length() > 1e-6f ? flat.normalized() : own;
}

}  // namespace

void breakUnusable(StrandSet& strands, const Samples& roots,
                   const std::vector<std::shared_ptr<const CompiledField>>& fields) {
    auto p = strands.points.add<V3f>("P");
    for (const auto& field : fields) {
        if (!field) continue;
        const auto bad = field->unusable(roots);
        for (size_t s = 0; s < bad.size(); ++s)
            if (bad[s]) p[strands.start[s]].x = std::numeric_limits<float>::quiet_NaN();
    }
}

StrandsPtr grow(const PointSet& points, const Surface* surface, const GrowOptions& o, Progress& progress,
                size_t* dropped) {
    Progress::Task task(progress, "Growing strands");
    const size_t count = points.size(), per = size_t(std::clamp(o.segments, 1, 1000)) + 1;
    requireMemory(bytesPerStrand(per) * double(count), o.memoryLimit, double(count));
    if (double(count) * double(per) > 4e9)
        throw Error("the strands would have more points than one layer can hold", {},
                    "Lower the count or the segments");
    const Samples samples = samplesOf(points.attributes);
    const auto ids = samples.get(channel::id);
    const auto places = samples.get(channel::position);
    const auto triangles = samples.get(channel::triangle);
    const auto length = o.length.over(samples, o.seed, Stream::Length, progress);
    const auto lean = o.lean.over(samples, progress), bend = o.bend.over(samples, progress);
    auto out = std::make_shared<StrandSet>();
    out->strands = points.attributes;
    out->strands.remove("orient");
    out->strands.remove("stretch");
    const auto scale = points.attributes.find<float>("scale");
    auto normal = out->strands.add<V3f>("N", V3f(0, 1, 0));
    auto orient = out->strands.add<Quatf>("orient");
    out->start.resize(count + 1);
    out->points.set("P", std::vector<V3f>(count * per));
    out->points.set("width", std::vector<float>(count * per));
    auto p = out->points.add<V3f>("P");
    auto width = out->points.add<float>("width");
    parallelRanges(count, 256, progress, [&](size_t begin, size_t end) {
        for (size_t s = begin; s < end; ++s) {
            out->start[s + 1] = uint32_t((s + 1) * per);
            V3f n = normal[s];
            n = n.length() > 1e-6f ? n.normalized() : V3f(0, 1, 0);
            normal[s] = n;
            const bool on = surface && !triangles.empty() && triangles[s] >= 0 &&
                            size_t(triangles[s]) < surface->mesh().triangles().size();
            orient[s] = rootFrame(n, on ? edgeOf(surface->mesh(), uint32_t(triangles[s])) : V3f(1, 0, 0));
            const V3f side = sideways(n, o, ids[s]);
            const float step = length[s] * (scale.empty() ? 1.0f : scale[s]) / float(per - 1);
            V3f at = places[s];
            for (size_t i = 0; i < per; ++i) {
                p[s * per + i] = at;
                const float fraction = float(i) / float(per - 1);
                const float angle = lean[s] + bend[s] * ((float(i) + 0.5f) / float(per - 1));
                at += (n * std::cos(angle) + side * std::sin(angle)) * step;
                width[s * per + i] = 0.01f * std::abs(length[s]) * (1.0f - 0.85f * fraction);
            }
        }
    });
    out->strands.remove("scale");
    breakUnusable(*out, samples, {o.length.field, o.lean.field, o.bend.field});
    return withoutBroken(out, dropped);
}

static Geometry applyGrow(const StepInput& in) {
    GrowOptions o;
    o.length = in.params[kGrow.length];
    o.segments = int(in.params[kGrow.segments]);
    o.lean = in.params[kGrow.lean];
    o.bend = in.params[kGrow.bend];
    for (Varying* d : {&o.lean, &o.bend}) d->low = radians(d->low), d->high = radians(d->high);
    o.scatter = float(in.params[kGrow.scatter]);
    o.toward = in.params[kGrow.toward];
    o.seed = uint64_t(in.params[kGrow.seed]);
    o.memoryLimit = in.memoryLimit;
    size_t dropped = 0;
    const auto made =
        grow(*std::get<std::shared_ptr<const PointSet>>(in.in), in.surface.get(), o, in.progress, &dropped);
    in.note(droppedNote(dropped));
    return made;
}

StepType growStep() {
    return {.id = "grow",
            .title = "Grow strands",
            .phase = Phase::Place,
            .help = "A strand on each point, off the surface: guides for Fill, or all strands at once",
            .takes = GeometryKind::Points,
            .gives = GeometryKind::Strands,
            .params = kGrow.specs(),
            .longest = [](const ParamMap& p) { return valueIn(p, kGrow.length).max; },
            .apply = applyGrow};
}

}  // namespace ovrix::ops
