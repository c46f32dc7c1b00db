#include "field/sources.h"

#include "geo/surface/surface.h"
#include "params/param_table.h"

namespace ovrix::field {

using namespace specs;

namespace {

const struct InsideParams : ParamTable {
    Handle<std::string> object = add(ref("object", "Object", "object", "A closed one"));
    Handle<double> soft = add(number("soft", "Soft edge", 0, "m", 0, 1e6, 0, 1, "Fades to 0 so far outside"));
} kInside;

struct Inside : SourceKernel {
    SurfacePtr volume;
    float soft;
    void evaluate(const Samples& s, std::span<float> out) const override {
        const auto p = s.get(channel::position);
        for (size_t i = 0; i < out.size(); ++i) out[i] = at(p[i]);
    }
    float at(const V3f& p) const {
        if (volume->inside(p)) return 1.0f;
        if (!(soft > 0)) return 0.0f;
        const SurfaceHit near = volume->closest(p, soft);
        return near.hit ? std::max(0.0f, 1.0f - near.distance / soft) : 0.0f;
    }
};

}  // namespace

SourceType insideSource() {
    return {.id = "inside",
            .title = "Inside an object",
            .help = "1 within a closed object, 0 outside: limits a force, or anything else, to a room",
            .params = kInside.specs(),
            .compile = [](const ResolvedParams& p, const FieldContext& context) {
                auto kernel = std::make_unique<Inside>();
                kernel->volume =
                    closedVolumeOf(sceneQueryFor(context, "inside an object"), p[kInside.object]);
                kernel->soft = float(p[kInside.soft]);
                return kernel;
            }};
}

}  // namespace ovrix::field
