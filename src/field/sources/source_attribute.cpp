#include "base/error.h"
#include "field/band.h"
#include "field/numbers.h"
#include "field/sources.h"
#include "params/param_table.h"

namespace ovrix::field {

using namespace specs;

namespace {

const struct AttributeParams : ParamTable {
    Handle<std::string> name =
        add(text("name", "Name", "random",
                 "Of an attribute, as heat, or of one component, as v.x or Cd.r. Of a vector its "
                 "length counts, of a colour its luminance; where a colour is driven they are one"));
    Handle<Range> range = add(
        specs::range("range", "Between", Range{0, 1}, "", -1e9, 1e9, -1, 10, "Numbers that give 0 and 1"));
} kAttribute;

/// Any number by its name, between two limits; a colour or a vector as a colour.
struct Attribute : SourceKernel {
    NumberReader number;
    float from, to;
    ChannelKey<Color> color;
    ChannelKey<V3f> vector;
    Attribute(const std::string& name, const Range& range, const FieldContext& context)
        : number(numberNamed("attribute: ", name, context)),
          from(float(range.min)),
          to(float(range.max)),
          color(name),
          vector(name) {}

    void evaluate(const Samples& s, std::span<float> out) const override {
        double few[64];
        for (size_t begin = 0; begin < out.size(); begin += std::size(few)) {
            const size_t n = std::min(std::size(few), out.size() - begin);
            number.read(s, begin, {few, n});
            for (size_t i = 0; i < n; ++i) out[begin + i] = rise(from, to, float(few[i]));
        }
    }
    bool colored() const override { return number.colored; }
    void evaluateColor(const Samples& s, std::span<V3f> out) const override {
        const auto colors = s.get(color);
        const auto vectors = s.get(vector);
        for (size_t i = 0; i < out.size(); ++i)
            out[i] = !colors.empty() ? V3f(colors[i]) : !vectors.empty() ? vectors[i] : V3f(0.0f);
    }
    bool readsElements() const override { return number.ofElement; }
    bool readsLight() const override { return number.ofLight; }
};

}  // namespace

SourceType attributeSource() {
    return {
        .id = "attribute",
        .title = "Attribute",
        .help = "A number that elements carry: from their file, from steps before, or worked out",
        .params = kAttribute.specs(),
        .compile = [](const ResolvedParams& p, const FieldContext& context) -> std::unique_ptr<SourceKernel> {
            const std::string& name = p[kAttribute.name];
            if (name.empty())
                throw Error("the attribute source has no name", {}, "Give it that of an attribute");
            return std::make_unique<Attribute>(name, p[kAttribute.range], context);
        },
        .followsTime = [](const ParamMap& p) { return namesTime(valueIn(p, kAttribute.name)); }};
}

}  // namespace ovrix::field
