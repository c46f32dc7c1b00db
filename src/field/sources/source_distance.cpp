#include "base/error.h"
#include "base/noise.h"
#include "field/band.h"
#include "field/sources.h"
#include "geo/points/curve_set.h"
#include "geo/points/nearest.h"
#include "geo/surface/surface.h"
#include "params/param_table.h"

namespace ovrix::field {

using namespace specs;

namespace {

enum class Within { Alike, Depth, Zero };

const struct DistanceParams : ParamTable {
    Handle<Refs> to = add(refs("to", "To", "object or layer or curve", "The nearest of these counts"));
    Handle<Range> range = add(
        specs::range("range", "Between", Range{0, 0.5}, "m", 0, 1e6, 0, 2, "Distances that give 0 and 1"));
    Handle<Within> inside =
        add(choice("inside", "Inside objects", "alike", {"alike", "depth", "zero"},
                   "To their surface as outside; by depth alone, 0 outside; or 0 within what is closed"));
    Handle<double> uneven =
        add(number("uneven", "Uneven", 0, "m", 0, 1e6, 0, 1, "How far noise moves the border in and out"));
    Handle<double> unevenSize = add(detailOf("uneven", "Size",
                                             number("uneven_size", "Uneven size", 0.2, "m", 1e-6, 1e6, 0.01,
                                                    2, "Of the bays and tongues of that border")));
} kDistance;

struct Distance : SourceKernel {
    std::vector<SurfacePtr> surfaces;
    std::vector<std::shared_ptr<const NearestPoints>> clouds;
    std::vector<std::shared_ptr<const CurveSet>> curves;
    float from = 0, to = 1;
    Within inside = Within::Alike;
    float uneven = 0, unevenSize = 1;

    void evaluate(const Samples& s, std::span<float> out) const override {
        const auto p = s.get(channel::position);
        for (size_t i = 0; i < out.size(); ++i) out[i] = rise(from, to, at(p[i]));
    }
    float at(const V3f& p) const {
        const float shift = uneven > 0 ? uneven * fractalNoise(p / unevenSize, 0, {.octaves = 3}) : 0.0f;
        if (inside == Within::Alike) return distance(p, to + uneven) + shift;
        const bool within =
            std::any_of(surfaces.begin(), surfaces.end(), [&](const SurfacePtr& s) { return s->inside(p); });
        if (within == (inside == Within::Zero)) return 0.0f;
        return distance(p, to + uneven) + shift;
    }
    /// To the nearest of all; no further than @p best.
    float distance(const V3f& p, float best) const {
        for (const SurfacePtr& surface : surfaces)
            if (const SurfaceHit hit = surface->closest(p, best); hit.hit)
                best = std::min(best, hit.distance);
        for (const auto& cloud : clouds) best = std::min(best, cloud->distance(p, best));
        for (const auto& set : curves)
            if (const auto near = set->closest(p, best)) best = std::min(best, near->distance);
        return best;
    }
};

std::unique_ptr<SourceKernel> compileDistance(const ResolvedParams& p, const FieldContext& context) {
    auto kernel = std::make_unique<Distance>();
    for (const std::string& id : p[kDistance.to]) {
        if (id.empty()) continue;
        SceneQuery& query = sceneQueryFor(context, "distance");
        const SceneQuery::Kind kind = query.kindOf(id);
        if (kind == SceneQuery::Kind::Layer)
            kernel->clouds.push_back(cloudOf(query.elements(id)));
        else if (kind == SceneQuery::Kind::Curve)
            kernel->curves.push_back(query.curves(id));
        else
            kernel->surfaces.push_back(query.surface(id));
    }
    if (kernel->clouds.empty() && kernel->surfaces.empty() && kernel->curves.empty())
        throw Error("the distance source has nothing to measure to", {},
                    "Choose an object, a layer or a curve");
    kernel->from = float(p[kDistance.range].min);
    kernel->to = float(p[kDistance.range].max);
    kernel->inside = p[kDistance.inside];
    kernel->uneven = float(p[kDistance.uneven]);
    kernel->unevenSize = float(p[kDistance.unevenSize]);
    return kernel;
}

}  // namespace

SourceType distanceSource() {
    return {.id = "distance",
            .title = "Distance",
            .help = "Rises from 0 to 1 with the distance to objects, curves, or the elements of layers",
            .params = kDistance.specs(),
            .compile = compileDistance};
}

}  // namespace ovrix::field
