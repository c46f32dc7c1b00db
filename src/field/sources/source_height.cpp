#include "field/band.h"
#include "field/sources.h"
#include "params/specs.h"

namespace ovrix::field {

using namespace specs;

namespace {

struct Height : SourceKernel {
    M44f toLocal;
    bool local, isBand;
    Band band;
    void evaluate(const Samples& s, std::span<float> out) const override {
        const auto p = s.get(channel::position);
        const auto toObject = s.get(channel::toObject);
        for (size_t i = 0; i < out.size(); ++i) {
            const M44f& own = toObject.empty() ? toLocal : toObject[i];
            const float y = local ? (p[i] * own).y : p[i].y;
            out[i] = isBand ? band.at(y) : rise(band.from, band.to, y);
        }
    }
};

}  // namespace

SourceType heightSource() {
    return {.id = "height",
            .title = "Height",
            .help = "Rises from 0 to 1 between two heights, or is 1 in the band between them",
            .params = {range("range", "Between", Range{0, 1}, "m", -1e6, 1e6, -2, 2,
                             "Heights that give 0 and 1, or the limits of the band"),
                       choice("form", "Form", "rise", {"rise", "band"},
                              "From 0 to 1 between the heights, or 1 between them and 0 outside"),
                       shownIf(number("soft", "Soft edge", 0.1, "m", 0, 1e6, 0, 1,
                                      "Width of the passage from 0 to 1, half on each side of the limit"),
                               "form=band"),
                       choice("from", "Measured in", "world", {"world", "object"},
                              "The world's Y, or the surface's own")},
            .compile = [](const ResolvedParams& p, const FieldContext& context) {
                auto kernel = std::make_unique<Height>();
                kernel->toLocal = context.objectFromWorld;
                kernel->local = p.text("from") == "object";
                kernel->isBand = p.text("form") == "band";
                kernel->band = {float(p.range("range").min), float(p.range("range").max),
                                float(p.number("soft"))};
                return kernel;
            }};
}

}  // namespace ovrix::field
