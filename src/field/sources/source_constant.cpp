#include "field/sources.h"

#include "params/param_table.h"

namespace ovrix::field {

using namespace specs;

namespace {

const struct ConstantParams : ParamTable {
    Handle<double> value = add({.id = "value",
                                .title = "Value",
                                .initial = 1.0,
                                .hardMin = -1e6,
                                .hardMax = 1e6,
                                .help = "The number"});
} kConstant;

struct Constant : SourceKernel {
    float value;
    explicit Constant(float v) : value(v) {}
    void evaluate(const Samples&, std::span<float> out) const override {
        std::fill(out.begin(), out.end(), value);
    }
};

}  // namespace

SourceType constantSource() {
    return {.id = "constant",
            .title = "Constant",
            .help = "The same number everywhere",
            .params = kConstant.specs(),
            .compile = [](const ResolvedParams& p, const FieldContext&) {
                return std::make_unique<Constant>(float(p[kConstant.value]));
            }};
}

}  // namespace ovrix::field
