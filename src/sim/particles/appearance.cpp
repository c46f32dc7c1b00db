#include "sim/particles/appearance.h"

#include "base/parallel.h"
#include "geo/strands/strands.h"
#include "params/param_table.h"

namespace ovrix::sim {

using namespace specs;

namespace {

const struct SizeOverLifeParams : ParamTable {
    Handle<Curve> curve = add(
        profile("curve", "Curve", {{0, 0.2f}, {0.15f, 1}, {1, 0}}, "Size by the fraction of life behind it"));
    Handle<double> vary = add(unitNumber("vary", "Varies", 0.2, "Some shrink sooner than others"));
    Handle<double> span =
        add(number("span", "Of", 5, "s", 1e-3, 1e6, 0.1, 20, "For those that live for ever"));
    Handle<int64_t> seed = add(seedSpec("Another number, others sooner"));
} kSizeOverLife;

const struct ColorOverLifeParams : ParamTable {
    Handle<Color> start = add(color("start", "At birth", Color(1.0f), false, "Colour of the youngest"));
    Handle<Color> middle =
        add(color("middle", "Half way", Color(0.4f, 0.8f, 0.9f), false, "Colour half way"));
    Handle<Color> end =
        add(color("end", "At the end", Color(0.05f, 0.15f, 0.3f), false, "Colour of the oldest"));
    Handle<double> span =
        add(number("span", "Of", 5, "s", 1e-3, 1e6, 0.1, 20, "For those that live for ever"));
} kColorOverLife;

const struct SpinParams : ParamTable {
    Handle<V3f> axis = add(vector("axis", "Axis", V3d(0, 1, 0), "", 1, "What it spins about, in the world"));
    Handle<double> rate =
        add(number("rate", "Rate", 0, "deg/s", -1e6, 1e6, -720, 720, "How fast in the end; 0 stops it"));
    Handle<Varying> strength = add(strengthOf(1, "1/s", 1e6, 0, 10, "How soon"));
    Handle<int64_t> group = add(groupSpec());
} kSpin;

const struct FacingParams : ParamTable {
    Handle<std::string> mode =
        add(choice("mode", "Alignment", "along velocity",
                   {"along velocity", "ahead, upright", "by its spin", "as its source"},
                   "Its own up along its way; its own front ahead; by the spin it was born with; or as the "
                   "source stood"));
    Handle<double> bank =
        add(shownIf(number("bank", "Banks", 1, "", 0, 10, 0, 3, "Leans into turns"), "mode=ahead, upright"));
    Handle<double> damping = add(shownIf(
        number("damping", "Damping", 0.1, "s", 0, 100, 0, 2, "How long a turn takes"), "mode!=by its spin"));
} kFacing;

/// The part of its life that each has behind it; those that live for ever go by @p span seconds.
float lifePart(float age, float life, float span) {
    const float whole = std::isfinite(life) ? life : span;
    return whole > 0 ? std::clamp(age / whole, 0.0f, 1.0f) : 1.0f;
}

struct SizeOverLife : Appearance {
    Curve curve;
    float vary, span;
    uint64_t seed;
    explicit SizeOverLife(const PartContext& c)
        : curve(c.params()[kSizeOverLife.curve]),
          vary(float(c.params()[kSizeOverLife.vary])),
          span(float(c.params()[kSizeOverLife.span])),
          seed(uint64_t(c.params()[kSizeOverLife.seed])) {}
    void apply(AttributeSet& a, float, Progress& progress) const override {
        const auto age = a.find<float>("age"), life = a.find<float>("life"), born = a.find<float>("born");
        const auto id = a.find<uint64_t>("id");
        const auto scale = a.add<float>("scale", 1.0f);
        parallelFor(a.size(), progress, [&](size_t i) {
            const float t = lifePart(age[i], life[i], span);
            // Some shrink sooner than others: by a power of the part of life.
            const float bend = std::exp2(vary * (2.0f * random1(seed, id[i], Stream::Size) - 1.0f) * 2.0f);
            scale[i] = born[i] * curve.at(vary > 0 ? std::pow(t, bend) : t);
        });
    }
};

struct ColorOverLife : Appearance {
    Color start, middle, end;
    float span;
    explicit ColorOverLife(const PartContext& c)
        : start(c.params()[kColorOverLife.start]),
          middle(c.params()[kColorOverLife.middle]),
          end(c.params()[kColorOverLife.end]),
          span(float(c.params()[kColorOverLife.span])) {}
    void apply(AttributeSet& a, float, Progress& progress) const override {
        const auto age = a.find<float>("age"), life = a.find<float>("life");
        const auto color = a.add<Color>("color", Color(1.0f));
        parallelFor(a.size(), progress, [&](size_t i) {
            const float t = 2.0f * lifePart(age[i], life[i], span);
            color[i] =
                t < 1 ? Color(start + (middle - start) * t) : Color(middle + (end - middle) * (t - 1.0f));
        });
    }
};

/// Brings spins to one, or stops them, over time.
struct Spin : Appearance {
    V3f wanted;
    Strength strength;
    explicit Spin(const PartContext& c) : strength(c.params(), kSpin.strength, kSpin.group) {
        const V3f axis = c.params()[kSpin.axis];
        wanted =
            (axis.length() > 0 ? axis.normalized() : V3f(0, 1, 0)) * radians(float(c.params()[kSpin.rate]));
    }
    void apply(AttributeSet& a, float seconds, Progress& progress) const override {
        const Samples all = samplesOf(a);
        const auto group = a.find<int32_t>("group"), state = a.find<int32_t>("state");
        const std::vector<float> s = strength.value.over(all, progress);
        const auto spin = a.add<V3f>("spin");
        parallelFor(a.size(), progress, [&](size_t i) {
            if (state[i] != int32_t(ParticleState::Free) || !strength.of(group[i])) return;
            spin[i] += (wanted - spin[i]) * (1.0f - std::exp(-std::max(0.0f, s[i]) * seconds));
        });
    }
};

/// Turns each towards where it goes; what it cannot at once it does over time.
struct Facing : Appearance {
    float damping, bank;
    std::string how;
    explicit Facing(const PartContext& c)
        : damping(float(c.params()[kFacing.damping])),
          bank(float(c.params()[kFacing.bank])),
          how(c.params()[kFacing.mode]) {}
    void apply(AttributeSet& a, float seconds, Progress& progress) const override {
        const auto velocity = a.find<V3f>("v"), normal = a.find<V3f>("N"), spin = a.find<V3f>("spin");
        const auto state = a.find<int32_t>("state");
        const auto turn = a.add<Quatf>("orient");
        const auto before = a.add<V3f>("v_before");
        parallelFor(a.size(), progress, [&](size_t i) {
            if (state[i] == int32_t(ParticleState::Stuck)) return;
            Quatf wanted = turn[i];
            const V3f& v = velocity[i];
            const float speed = v.length();
            if (how == "along velocity" && speed > 1e-4f) {
                wanted = turnBetween(V3f(0, 1, 0), v / speed);
            } else if (how == "ahead, upright" && speed > 1e-4f) {
                const V3f ahead = v / speed;
                V3f up(0, 1, 0);
                if (bank > 0 && seconds > 0) up += (v - before[i]) / (seconds * 9.81f) * bank;
                V3f x = up.cross(ahead);
                x = x.length() > 1e-4f ? x.normalized() : V3f(1, 0, 0);
                wanted = turnFromAxes(x, ahead.cross(x), ahead);
            } else if (how == "by its spin" && !spin.empty()) {
                const float rate = spin[i].length();
                Quatf by;
                if (rate > 0) by.setAxisAngle(spin[i] / rate, rate * seconds);
                wanted = by * turn[i];
            } else if (how == "as its source") {
                wanted = turnBetween(V3f(0, 1, 0), normal[i]);
            }
            before[i] = v;
            const float fraction =
                damping > 0 && how != "by its spin" ? 1.0f - std::exp(-seconds / damping) : 1.0f;
            turn[i] = fraction >= 1.0f ? wanted : Imath::slerpShortestArc(turn[i], wanted, fraction);
        });
    }
};

}  // namespace

ParticleModifier sizePart() {
    return {partType("size_over_life", "Size over life",
                     "From birth to end, as a factor on the size at birth", kSizeOverLife),
            [](const PartContext& c, ParticleParts& parts) {
                parts.appearances.push_back(std::make_unique<SizeOverLife>(c));
            }};
}

ParticleModifier colorPart() {
    return {
        partType("color_over_life", "Colour over life", "Three colours, from birth to end", kColorOverLife),
        [](const PartContext& c, ParticleParts& parts) {
            parts.appearances.push_back(std::make_unique<ColorOverLife>(c));
            parts.colours = true;
        }};
}

ParticleModifier spinPart() {
    StepType type =
        partType("spin", "Spin", "Brings what spins to an even spin over time; Facing shows it", kSpin);
    return {type, [](const PartContext& c, ParticleParts& parts) {
                parts.appearances.push_back(std::make_unique<Spin>(c));
                parts.spins = true;
            }};
}

ParticleModifier facingPart() {
    return {partType("facing", "Facing", "Where copies turn to", kFacing),
            [](const PartContext& c, ParticleParts& parts) {
                parts.appearances.push_back(std::make_unique<Facing>(c));
                parts.spins = true;
            }};
}

}  // namespace ovrix::sim
