#include "ops/copies_of.h"

#include "base/parallel.h"
#include "ops/orient.h"

namespace ovrix {

namespace {

/// Upper ends of each prototype's part of [0, 1).
std::vector<float> cumulatedShares(const Shares& shares) {
    double total = 0.0, sum = 0.0;
    for (const Share& s : shares) total += std::max(0.0, s.share);
    if (!(total > 0.0)) throw Error("there is nothing to copy", {}, "Add a prototype with a share above 0");
    std::vector<float> ends;
    for (const Share& s : shares) ends.push_back(float((sum += std::max(0.0, s.share)) / total));
    for (size_t i = ends.size(); i-- > 0 && shares[i].share <= 0.0;)
        ends[i] = 2.0f;  // rounding picks no empty one
    return ends;
}

int32_t pickPrototype(const Shares& shares, const std::vector<float>& ends, float unit) {
    for (size_t i = 0; i < ends.size(); ++i)
        if (unit < ends[i] && shares[i].share > 0.0) return int32_t(i);
    for (size_t i = ends.size(); i-- > 0;)
        if (shares[i].share > 0.0) return int32_t(i);
    return 0;
}

}  // namespace

std::shared_ptr<const Copies> copiesOf(const PointSet& points, const CopiesOptions& o, Progress& progress) {
    const std::vector<float> ends = cumulatedShares(o.prototypes);
    Progress::Task task(progress, "Copying");
    auto out = std::make_shared<Copies>();
    for (const Share& s : o.prototypes) out->prototypes.push_back(s.ref);
    out->attributes = points.attributes;
    const Samples samples = samplesOf(points.attributes);
    const bool turned = points.attributes.has("orient");
    auto orient = out->attributes.add<Quatf>("orient");
    auto scale = out->attributes.add<float>("scale", 1.0f);
    auto prototype = out->attributes.add<int32_t>("prototype");
    auto position = out->attributes.add<V3f>("P");
    parallelFor(points.size(), progress, [&](size_t i) {
        prototype[i] = pickPrototype(o.prototypes, ends, random1(o.seed, samples.id[i], Stream::Pick));
        scale[i] *= o.size;
        if (!turned && !samples.normal.empty()) orient[i] = turnToUp(samples.normal[i]);
        const V3f up = rotate(orient[i], V3f(0, 1, 0));
        position[i] = samples.position[i] + up * o.lift;
    });
    out->attributes.remove("N");
    return out;
}

static Geometry applyCopiesOf(const StepInput& in) {
    CopiesOptions o;
    o.prototypes = in.params.shares("prototypes");
    o.seed = uint64_t(in.params.integer("seed"));
    o.size = float(in.params.number("size"));
    o.lift = float(in.params.number("lift"));
    return copiesOf(*std::get<std::shared_ptr<const PointSet>>(in.in), o, in.progress);
}

StepType copiesOfStep() {
    return {.id = "copies_of",
            .title = "Copies of",
            .phase = Phase::Look,
            .help = "Puts a copy of a prototype on each point, mixed by shares",
            .takes = GeometryKind::Points,
            .gives = GeometryKind::Copies,
            .params = {{.id = "prototypes",
                        .title = "Prototypes",
                        .type = ParamType::Shares,
                        .initial = Shares{},
                        .help = "Objects to copy, and how often each",
                        .refKind = "object"},
                       {.id = "size",
                        .title = "Size",
                        .initial = 1.0,
                        .hardMin = 0,
                        .hardMax = 1e6,
                        .softMin = 0,
                        .softMax = 3,
                        .help = "Factor on the size of all copies"},
                       {.id = "lift",
                        .title = "Lift",
                        .initial = 0.0,
                        .unit = "m",
                        .hardMin = -1e6,
                        .hardMax = 1e6,
                        .softMin = -0.1,
                        .softMax = 0.1,
                        .help = "Out of the surface along the copy's up; below 0 sinks it in"},
                       seedSpec("Another number, other picks")},
            .apply = applyCopiesOf};
}

}  // namespace ovrix
