#include "field/sources.h"

namespace ovrix {

namespace {

struct Height : SourceKernel {
    M44f toLocal;
    bool local;
    float from, to;
    void evaluate(const Samples& s, std::span<float> out) const override {
        const float width = to - from;
        for (size_t i = 0; i < out.size(); ++i) {
            const float y = local ? (s.position[i] * toLocal).y : s.position[i].y;
            out[i] = width > 0.0f ? std::clamp((y - from) / width, 0.0f, 1.0f) : (y >= from ? 1.0f : 0.0f);
        }
    }
};

}  // namespace

SourceType heightSource() {
    return {.id = "height",
            .title = "Height",
            .help = "Rises from 0 to 1 between two heights; bend its curve for a band",
            .params = {{.id = "range",
                        .title = "Between",
                        .type = ParamType::Range,
                        .initial = Range{0, 1},
                        .unit = "m",
                        .hardMin = -1e6,
                        .hardMax = 1e6,
                        .softMin = -2,
                        .softMax = 2,
                        .help = "Heights that give 0 and 1"},
                       {.id = "from",
                        .title = "Measured in",
                        .type = ParamType::Choice,
                        .initial = std::string("world"),
                        .help = "The world's Y, or the surface's own",
                        .choices = {"world", "object"}}},
            .compile = [](const ResolvedParams& p, const FieldContext& context) {
                auto kernel = std::make_unique<Height>();
                kernel->toLocal = context.objectFromWorld;
                kernel->local = p.text("from") == "object";
                kernel->from = float(p.range("range").min);
                kernel->to = float(p.range("range").max);
                return kernel;
            }};
}

}  // namespace ovrix
