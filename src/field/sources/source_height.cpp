#include "field/band.h"
#include "field/sources.h"
#include "params/param_table.h"

namespace ovrix::field {

using namespace specs;

namespace {

const struct HeightParams : ParamTable {
    Handle<Range> range = add(specs::range("range", "Between", Range{0, 1}, "m", -1e6, 1e6, -2, 2,
                                           "Heights that give 0 and 1, or the limits of the band"));
    Handle<std::string> form =
        add(choice("form", "Form", "rise", {"rise", "band"},
                   "From 0 to 1 between the heights, or 1 between them and 0 outside"));
    Handle<double> soft =
        add(shownIf(number("soft", "Soft edge", 0.1, "m", 0, 1e6, 0, 1,
                           "Width of the passage from 0 to 1, half on each side of the limit"),
                    "form=band"));
    Handle<std::string> from = add(
        choice("from", "Measured in", "world", {"world", "object"}, "The world's Y, or the surface's own"));
} kHeight;

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
    return {
        .id = "height",
        .title = "Height",
        .help = "Rises from 0 to 1 between two heights, or is 1 in the band between them",
        .params = kHeight.specs(),
        .compile = [](const ResolvedParams& p, const FieldContext& context) {
            auto kernel = std::make_unique<Height>();
            kernel->toLocal = context.objectFromWorld;
            kernel->local = p[kHeight.from] == "object";
            kernel->isBand = p[kHeight.form] == "band";
            kernel->band = {float(p[kHeight.range].min), float(p[kHeight.range].max), float(p[kHeight.soft])};
            return kernel;
        }};
}

}  // namespace ovrix::field
