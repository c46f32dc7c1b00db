#include "field/sources.h"

namespace ovrix::field {

namespace {

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
            .params = {seedSpec("Another number, another draw")},
            .compile = [](const ResolvedParams& p, const FieldContext&) {
                return std::make_unique<PerElement>(uint64_t(p.integer("seed")));
            }};
}

}  // namespace ovrix::field
