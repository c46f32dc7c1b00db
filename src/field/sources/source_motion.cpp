// What elements that move are asked: how old they are, how fast they go.
#include "field/band.h"
#include "field/sources.h"
#include "params/param_table.h"

namespace ovrix::field {

using namespace specs;

namespace {

const struct AgeParams : ParamTable {
    Handle<std::string> measure =
        add(choice("measure", "Measured", "in seconds", {"in seconds", "as a fraction of life"},
                   "Since birth; those that live for ever are at 0 of their life"));
    Handle<Range> between =
        add(range("range", "Between", Range{0, 1}, "", 0, 1e6, 0, 10, "Ages that give 0 and 1"));
} kAge;

const struct SpeedParams : ParamTable {
    Handle<Range> between =
        add(range("range", "Between", Range{0, 5}, "m/s", 0, 1e6, 0, 20, "Speeds that give 0 and 1"));
} kSpeed;

struct Age : SourceKernel {
    float from, to;
    bool ofLife;
    void evaluate(const Samples& s, std::span<float> out) const override {
        const auto ages = s.get(channel::age), lives = s.get(channel::life);
        for (size_t i = 0; i < out.size(); ++i) {
            float age = ages.empty() ? 0.0f : ages[i];
            if (ofLife) age = lives.empty() || !(lives[i] > 0) ? 0.0f : age / lives[i];
            out[i] = rise(from, to, age);
        }
    }
    bool readsElements() const override { return true; }
};

struct Speed : SourceKernel {
    float from, to;
    void evaluate(const Samples& s, std::span<float> out) const override {
        const auto velocity = s.get(channel::velocity);
        for (size_t i = 0; i < out.size(); ++i)
            out[i] = rise(from, to, velocity.empty() ? 0.0f : velocity[i].length());
    }
    bool readsElements() const override { return true; }
};

template <class Kernel>
std::unique_ptr<Kernel> between(const Range& ends) {
    auto kernel = std::make_unique<Kernel>();
    kernel->from = float(ends.min), kernel->to = float(ends.max);
    return kernel;
}

}  // namespace

SourceType ageSource() {
    return {.id = "age",
            .title = "Age",
            .help = "Rises from 0 to 1 with the age of particles; what has no age is 0 old",
            .params = kAge.specs(),
            .compile = [](const ResolvedParams& p, const FieldContext&) {
                auto kernel = between<Age>(p[kAge.between]);
                kernel->ofLife = p[kAge.measure] != "in seconds";
                return kernel;
            }};
}

SourceType speedSource() {
    return {.id = "speed",
            .title = "Speed",
            .help = "Rises from 0 to 1 with the speed of what moves",
            .params = kSpeed.specs(),
            .compile = [](const ResolvedParams& p, const FieldContext&) {
                return between<Speed>(p[kSpeed.between]);
            }};
}

}  // namespace ovrix::field
