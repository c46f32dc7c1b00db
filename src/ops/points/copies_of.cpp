#include "ops/points/copies_of.h"

#include "base/noise.h"
#include "base/parallel.h"
#include "ops/points/orient.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct CopiesOfParams : ParamTable {
    Handle<PrototypeMix> prototypes = add({.id = "prototypes",
                                           .title = "Prototypes",
                                           .type = ParamType::PrototypeMix,
                                           .initial = PrototypeMix{},
                                           .help = "Objects to copy, and how often each",
                                           .refKind = "object"});
    Handle<CopiesOptions::Pick> pick =
        add(choice("pick", "Pick by", "random", {"random", "field", "in turn", "clusters"},
                   "Each by chance, by a field, in the order of ids, or in patches of one kind"));
    Handle<Varying> by =
        add(shownIf(drivable(unitNumber("by", "By", starting(CopiesOptions{}.field),
                                        "0 picks the first prototype, 1 the last; give it a field")),
                    "pick=field"));
    Handle<double> cluster = add(shownIf(number("cluster", "Patch size", starting(CopiesOptions{}.cluster),
                                                "m", 1e-5, 1e5, 0.05, 3, "Width of a patch of one kind"),
                                         "pick=clusters"));
    Handle<double> mingle =
        add(shownIf(unitNumber("mingle", "Mingle", starting(CopiesOptions{}.mingle),
                               "Fraction of the elements in a patch that pick by themselves"),
                    "pick=clusters"));
    Handle<double> size = add(number("size", "Size", starting(CopiesOptions{}.size), "", 0, 1e6, 0, 3,
                                     "Factor on the size of all copies"));
    Handle<Varying> lift =
        add(drivable(number("lift", "Lift", starting(CopiesOptions{}.lift), "m", -1e6, 1e6, -0.1, 0.1,
                            "Out of the surface along the copy's up; below 0 sinks it in")));
    Handle<int64_t> seed = add(seedSpec("Another number, other picks"));
} kCopiesOf;

/// Upper ends of each prototype's part of [0, 1).
std::vector<float> cumulatedWeights(const PrototypeMix& mix) {
    double total = 0.0, sum = 0.0;
    for (const WeightedPrototype& s : mix) total += std::max(0.0, s.weight);
    std::vector<float> ends;
    for (const WeightedPrototype& s : mix) ends.push_back(float((sum += std::max(0.0, s.weight)) / total));
    for (size_t i = ends.size(); i-- > 0 && mix[i].weight <= 0.0;)
        ends[i] = 2.0f;  // rounding picks no empty one
    return ends;
}

int32_t pickPrototype(const PrototypeMix& mix, const std::vector<float>& ends, float unit) {
    for (size_t i = 0; i < ends.size(); ++i)
        if (unit < ends[i] && mix[i].weight > 0.0) return int32_t(i);
    for (size_t i = ends.size(); i-- > 0;)
        if (mix[i].weight > 0.0) return int32_t(i);
    return 0;
}

/// The number from 0 to 1 by which each element picks its prototype.
std::vector<float> picks(const CopiesOptions& o, const Samples& samples, Progress& progress) {
    const auto ids = samples.get(channel::id);
    const auto places = samples.get(channel::position);
    if (o.pick == CopiesOptions::ByField) return o.field.over(samples, progress);
    std::vector<float> unit(samples.size());
    parallelFor(unit.size(), progress, [&](size_t i) {
        const Random4 own = random4(o.seed, ids[i], Stream::Pick);
        if (o.pick == CopiesOptions::InTurn) {
            // The golden ratio's steps meet every share as evenly as can be over any run of ids.
            const double turns = double(ids[i]) * 0.6180339887498949;
            unit[i] = float(turns - std::floor(turns));
        } else if (o.pick == CopiesOptions::Clusters && own[1] >= o.mingle) {
            const V3f p = places[i] / std::max(o.cluster, 1e-6f);
            unit[i] = float(cellularNoise(p, uint32_t(o.seed)).nearest >> 8) * 0x1p-24f;
        } else {
            unit[i] = own[0];
        }
    });
    return unit;
}

/// The places of what is yet to be chosen.
std::shared_ptr<const Copies> placesOf(const PointSet& points) {
    auto bare = std::make_shared<Copies>();
    bare->attributes = points.attributes;
    for (int32_t& p : bare->attributes.add<int32_t>("prototype")) p = -1;
    bare->attributes.remove("N");
    return bare;
}

}  // namespace

std::shared_ptr<const Copies> copiesOf(const PointSet& points, const CopiesOptions& o, Progress& progress) {
    const bool any = std::any_of(o.prototypes.begin(), o.prototypes.end(),
                                 [](const WeightedPrototype& s) { return s.weight > 0.0 && !s.ref.empty(); });
    if (!any) return placesOf(points);
    const std::vector<float> ends = cumulatedWeights(o.prototypes);
    Progress::Task task(progress, "Copying");
    auto out = std::make_shared<Copies>();
    for (const WeightedPrototype& s : o.prototypes) out->prototypes.push_back(s.ref);
    out->attributes = points.attributes;
    const Samples samples = samplesOf(points.attributes);
    const auto ids = samples.get(channel::id);
    const auto places = samples.get(channel::position);
    const auto normals = samples.get(channel::normal);
    const std::vector<float> unit = picks(o, samples, progress);
    const std::vector<float> lift = o.lift.over(samples, progress);
    const bool turned = points.attributes.has("orient");
    auto orient = out->attributes.add<Quatf>("orient");
    auto scale = out->attributes.add<float>("scale", 1.0f);
    auto prototype = out->attributes.add<int32_t>("prototype");
    auto position = out->attributes.add<V3f>("P");
    parallelFor(points.size(), progress, [&](size_t i) {
        prototype[i] = pickPrototype(o.prototypes, ends, unit[i]);
        const WeightedPrototype& picked = o.prototypes[size_t(prototype[i])];
        const Random4 own = random4(o.seed, ids[i], Stream::PrototypeSize);
        scale[i] *= o.size * lerp(float(picked.size.min), float(picked.size.max), own[0]);
        if (!turned && !normals.empty()) orient[i] = turnToUp(normals[i]);
        const V3f up = rotate(orient[i], V3f(0, 1, 0));
        if (picked.tilt.max != 0.0 || picked.tilt.min != 0.0)
            orient[i] = orient[i] *
                        lean(o.seed, ids[i], lerp(float(picked.tilt.min), float(picked.tilt.max), own[1]));
        position[i] = places[i] + up * lift[i];
    });
    out->attributes.remove("N");
    return out;
}

static Geometry applyCopiesOf(const StepInput& in) {
    CopiesOptions o;
    o.prototypes = in.params[kCopiesOf.prototypes];
    o.pick = in.params[kCopiesOf.pick];
    o.field = in.params[kCopiesOf.by];
    o.cluster = float(in.params[kCopiesOf.cluster]);
    o.mingle = float(in.params[kCopiesOf.mingle]);
    o.seed = uint64_t(in.params[kCopiesOf.seed]);
    o.size = float(in.params[kCopiesOf.size]);
    o.lift = in.params[kCopiesOf.lift];
    auto made = copiesOf(*std::get<std::shared_ptr<const PointSet>>(in.in), o, in.progress);
    static const std::string nothing =
        "There is nothing to copy yet: the places are shown as dots. Choose a prototype";
    if (made->prototypes.empty()) in.note(nothing);
    return made;
}

StepType copiesOfStep() {
    return {.id = "copies_of",
            .title = "Copies of",
            .phase = Phase::Look,
            .help = "Puts a copy of a prototype on each point, mixed by weights",
            .takes = GeometryKind::Points,
            .gives = GeometryKind::Copies,
            .params = kCopiesOf.specs(),
            .elementwise = true,
            .apply = applyCopiesOf};
}

}  // namespace ovrix::ops
