#include "ops/style/twist.h"

#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct TwistParams : ParamTable {
    Handle<Varying> turns = add(drivable(number("turns", "Turns", starting(TwistOptions{}.turns), "", -1e4,
                                                1e4, -10, 10, "From root to tip")));
    EffectParams effect{*this, {{0, 0}, {1, 1}}, {}};
} kTwist;

/// Middle lines of all clumps, as many points as the longest strand of each has.
struct Middles {
    std::vector<uint32_t> of;  // of each strand
    std::vector<std::vector<V3f>> line;
    std::vector<V3f> normal;
};

Middles middlesOf(const StrandSet& in) {
    Middles m;
    const auto clump = in.strands.find<int32_t>("clump");
    const auto p = in.points.find<V3f>("P");
    if (clump.empty()) return m;
    std::map<int32_t, uint32_t> known;
    std::vector<std::vector<uint32_t>> counts;
    m.of.resize(in.size());
    for (size_t s = 0; s < in.size(); ++s) {
        const auto [it, isNew] = known.try_emplace(clump[s], uint32_t(m.line.size()));
        if (isNew) m.line.emplace_back(), counts.emplace_back();
        m.of[s] = it->second;
        auto& line = m.line[it->second];
        auto& count = counts[it->second];
        if (line.size() < in.pointsOf(s)) line.resize(in.pointsOf(s), V3f(0.0f)), count.resize(line.size());
        for (size_t i = 0; i < in.pointsOf(s); ++i) line[i] += p[in.start[s] + i], ++count[i];
    }
    for (size_t c = 0; c < m.line.size(); ++c)
        for (size_t i = 0; i < m.line[c].size(); ++i) m.line[c][i] /= float(counts[c][i]);
    return m;
}

}  // namespace

StrandsPtr twist(const StrandSet& in, const TwistOptions& o, Progress& progress) {
    Progress::Task task(progress, "Twisting");
    const Samples samples = samplesOf(in);
    const auto strength = o.effect.strength.over(samples, progress), turns = o.turns.over(samples, progress);
    const AlongTable along(o.effect.along);
    const Middles middles = middlesOf(in);
    return reshaped(in, progress,
                    [&](size_t s, std::span<const V3f> from, std::span<V3f> to, StrandScratch& x) {
                        alongOf(from, x.t);
                        std::span<V3f> axis(x.place.data(), from.size());
                        if (!middles.of.empty()) {
                            const auto& line = middles.line[middles.of[s]];
                            std::copy_n(line.begin(), from.size(), axis.begin());
                        } else {
                            const V3f chord = (from.back() - from.front()).normalized();
                            for (size_t i = 0; i < from.size(); ++i)
                                axis[i] = from.front() + chord * (from[i] - from.front()).dot(chord);
                        }
                        const std::span tangent = std::span(x.tangent).first(from.size());
                        tangentsOf(axis, tangent);
                        for (size_t i = 1; i < from.size(); ++i) {
                            const float half = kPi * turns[s] * strength[s] * along.at(x.t[i]);
                            const Quatf turn(std::cos(half), tangent[i] * std::sin(half));
                            to[i] = axis[i] + rotate(turn, from[i] - axis[i]);
                        }
                    });
}

static Geometry applyTwist(const StepInput& in) {
    TwistOptions o;
    o.effect = effectOf(in, kTwist.effect);
    o.turns = in.params[kTwist.turns];
    return twist(*strandsOf(in), o, in.progress);
}

StepType twistStep() {
    return {.id = "twist",
            .title = "Twist",
            .phase = Phase::Shape,
            .help = "Turns strands about the middle of their clump or bundle, as in a rope",
            .takes = GeometryKind::Strands,
            .gives = GeometryKind::Strands,
            .params = kTwist.specs(),
            .apply = applyTwist};
}

}  // namespace ovrix::ops
