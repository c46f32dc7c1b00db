#include "field/sources.h"

#include "geo/surface/surface.h"
#include "params/param_table.h"

namespace ovrix::field {

using namespace specs;

namespace {

const struct CurvatureParams : ParamTable {
    Handle<std::string> side = add(choice("side", "Find", "hollows", {"hollows", "ridges", "both"},
                                          "Both gives 0 in hollows, half where it is flat, 1 on ridges"));
    Handle<double> size = add(number("size", "Size", 0.1, "m", 1e-6, 1e6, 0.01, 1,
                                     "Radius of a bend that gives 1; larger finds gentler bends"));
    Handle<int64_t> smooth = add(whole("smooth", "Smooth", 2, 0, 200, 0, 20,
                                       "Times that each point takes the mean of its neighbours"));
} kCurvature;

struct Bend : SourceKernel {
    SurfacePtr surface;
    std::shared_ptr<const std::vector<float>> perPoint;
    float size;
    std::string side;

    float shape(float curvature) const {
        const float x = curvature * size;
        if (side == "ridges") return std::clamp(x, 0.0f, 1.0f);
        if (side == "hollows") return std::clamp(-x, 0.0f, 1.0f);
        return std::clamp(0.5f + 0.5f * x, 0.0f, 1.0f);
    }
    void evaluate(const Samples& s, std::span<float> out) const override {
        const PlacesOn places(*surface, s);
        const auto toObject = s.get(channel::toObject);
        for (size_t i = 0; i < out.size(); ++i) {
            const SurfaceHit hit = places[i];
            if (!hit.hit) {
                out[i] = 0.0f;
                continue;
            }
            const float bend = surface->between(*perPoint, hit.triangle, hit.u, hit.v);
            // What is twice as large bends half as much.
            out[i] = shape(toObject.empty() ? bend : bend * std::cbrt(std::abs(toObject[i].determinant())));
        }
    }
};

}  // namespace

SourceType curvatureSource() {
    return {.id = "curvature",
            .title = "Curvature",
            .help = "Finds ridges, where edges are worn, or hollows, where things gather",
            .params = kCurvature.specs(),
            .compile = [](const ResolvedParams& p, const FieldContext& context) {
                auto kernel = std::make_unique<Bend>();
                kernel->surface = context.surface;
                kernel->size = float(p[kCurvature.size]);
                kernel->side = p[kCurvature.side];
                kernel->perPoint =
                    pointCurvature(surfaceFor(context, "curvature"), int(p[kCurvature.smooth]));
                return kernel;
            }};
}

}  // namespace ovrix::field
