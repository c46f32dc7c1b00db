#include "field/sources.h"

namespace ovrix {

namespace {

/// Angle between the normal and up, as a share of 180 degrees, then placed between the two limits.
struct Slope : SourceKernel {
    V3f up;
    float from, to, soft;  // radians
    void evaluate(const Samples& s, std::span<float> out) const override {
        for (size_t i = 0; i < out.size(); ++i) {
            const float angle =
                s.normal.empty() ? 0.0f : std::acos(std::clamp(s.normal[i].dot(up), -1.0f, 1.0f));
            out[i] = std::min(edge(angle - from), edge(to - angle));
        }
    }
    float edge(float inside) const {
        if (soft <= 0.0f) return inside >= 0.0f ? 1.0f : 0.0f;
        return std::clamp(inside / soft + 0.5f, 0.0f, 1.0f);
    }
};

}  // namespace

SourceType slopeSource() {
    return {
        .id = "slope",
        .title = "Slope",
        .help =
            "1 where the surface leans between two angles from up: 0 is level, 90 upright, 180 an overhang",
        .params = {{.id = "range",
                    .title = "Between",
                    .type = ParamType::Range,
                    .initial = Range{0, 35},
                    .unit = "deg",
                    .hardMin = 0,
                    .hardMax = 180,
                    .softMin = 0,
                    .softMax = 180,
                    .help = "Angles that pass"},
                   {.id = "soft",
                    .title = "Soft edge",
                    .initial = 8.0,
                    .unit = "deg",
                    .hardMin = 0,
                    .hardMax = 180,
                    .softMin = 0,
                    .softMax = 45,
                    .help = "Width of the passage from 0 to 1, half on each side of the limit"},
                   {.id = "up",
                    .title = "Up is",
                    .type = ParamType::Choice,
                    .initial = std::string("world"),
                    .help = "Measured from the world's Y or from the surface's own",
                    .choices = {"world", "object"}}},
        .compile = [](const ResolvedParams& p, const FieldContext& context) {
            auto kernel = std::make_unique<Slope>();
            kernel->up = p.text("up") == "object" ? context.objectUp : V3f(0, 1, 0);
            // A limit at an end of the scale lets everything beyond it pass, soft edge or not.
            kernel->soft = radians(float(p.number("soft")));
            const Range r = p.range("range");
            kernel->from = r.min <= 0 ? -10.0f : radians(float(r.min));
            kernel->to = r.max >= 180 ? 10.0f : radians(float(r.max));
            return kernel;
        }};
}

}  // namespace ovrix
