#include "field/sources.h"

#include "params/param_table.h"

namespace ovrix::field {

using namespace specs;

namespace {

const struct RandomParams : ParamTable {
    Handle<int64_t> seed = add(seedSpec("Another number, another draw"));
} kRandom;

struct PerElement : SourceKernel {
    uint64_t seed;
    explicit PerElement(uint64_t s) : seed(s) {}
    void evaluate(const Samples& s, std::span<float> out) const override {
        const auto id = s.get(channel::id);
        for (size_t i = 0; i < out.size(); ++i)
            out[i] = id.empty() ? 0.5f : random1(seed, id[i], Stream::Field);
    }
};

}  // namespace

SourceType randomSource() {
    return {.id = "random",
            .title = "Random per element",
            .help = "Another number between 0 and 1 for each element, that stays with it",
            .params = kRandom.specs(),
            .compile = [](const ResolvedParams& p, const FieldContext&) {
                return std::make_unique<PerElement>(uint64_t(p[kRandom.seed]));
            }};
}

}  // namespace ovrix::field
