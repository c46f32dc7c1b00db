#include "sim/particles/particles_between.h"

#include "base/parallel.h"
#include "geo/strands/strands.h"
#include "sim/particle_parts.h"

namespace ovrix::sim {

namespace {

/// A cubic through both places with both velocities; straight where something threw it off that way between.
V3f placeBetween(const V3f& a, const V3f& va, const V3f& b, const V3f& vb, float t, float seconds) {
    const V3f chord = b - a, mean = (va + vb) * (0.5f * seconds);
    if ((chord - mean).length() > 0.25f * (chord.length() + mean.length())) return a + chord * t;
    return hermite(a, b, va * seconds, vb * seconds, t);
}

/// Those that are there at both times, as places in @p to and @p from, and behind them the newborn that are
/// there @p left seconds before @p to.
void pair(const AttributeSet& from, const AttributeSet& to, float left, std::vector<uint32_t>& shown,
          std::vector<uint32_t>& was) {
    const auto id0 = from.find<uint64_t>("id"), id1 = to.find<uint64_t>("id");
    const auto age = to.find<float>("age");
    const auto state = to.find<int32_t>("state");
    // Both lists are in the same order, the newborn at the end; those that waited for it come from anywhere.
    size_t j = 0;
    shown.reserve(id1.size()), was.reserve(id0.size());
    for (size_t i = 0; i < id0.size(); ++i)
        if (j < id1.size() && id1[j] == id0[i]) shown.push_back(uint32_t(j++)), was.push_back(uint32_t(i));
    const auto before = j < id1.size() && !from.find<int32_t>("state").empty() &&
                                from.find<int32_t>("state").back() == int32_t(ParticleState::Unborn)
                            ? indexById(id0)
                            : std::unordered_map<uint64_t, uint32_t>();
    std::vector<uint32_t> fresh;
    for (; j < id1.size(); ++j) {
        if (const auto known = before.find(id1[j]); known != before.end())
            shown.push_back(uint32_t(j)), was.push_back(known->second);
        else if (age[j] > left || state[j] == int32_t(ParticleState::Unborn))
            fresh.push_back(uint32_t(j));
    }
    shown.insert(shown.end(), fresh.begin(), fresh.end());
}

}  // namespace

Geometry particlesBetween(const SolverState& a, const SolverState& b, double fraction, double rate) {
    if (fraction <= 0.0 || &a == &b) return a.geometry;
    if (fraction >= 1.0) return b.geometry;
    const auto columnsOf = [](const SolverState& s) -> const AttributeSet& {
        return std::get<std::shared_ptr<const PointSet>>(s.geometry)->attributes;
    };
    const AttributeSet &from = columnsOf(a), &to = columnsOf(b);
    const float t = float(fraction), seconds = float((b.frame - a.frame) / rate);
    const float left = (1.0f - t) * seconds;
    std::vector<uint32_t> shown, was;
    pair(from, to, left, shown, was);
    // Where all are shown, in their order, columns that stay as they are need no copy.
    const bool all = shown.size() == to.size() && std::is_sorted(shown.begin(), shown.end());
    PointSet out{all ? to : to.gathered(shown)};
    AttributeSet& o = out.attributes;
    const auto p0 = from.find<V3f>("P"), v0 = from.find<V3f>("v");
    const auto p = o.add<V3f>("P"), v = o.add<V3f>("v");
    const auto ages = o.add<float>("age"), scale = o.add<float>("scale");
    const auto scale0 = from.find<float>("scale");
    const auto turn0 = from.find<Quatf>("orient");
    const std::span<Quatf> turn = turn0.empty() ? std::span<Quatf>() : o.add<Quatf>("orient");
    const auto state0 = from.find<int32_t>("state"), state1 = to.find<int32_t>("state");
    parallelFor(shown.size(), Progress::none(), [&](size_t i) {
        const float age = ages[i] - left;
        ages[i] = std::max(0.0f, age);
        const bool waited = i < was.size() && state0[was[i]] == int32_t(ParticleState::Unborn);
        if (i >= was.size() || (waited && age > 0)) {
            p[i] -= v[i] * left;
            return;
        }
        const size_t k = was[i];
        p[i] = waited && state1[shown[i]] != int32_t(ParticleState::Unborn)
                   ? p0[k]  // until its birth
                   : placeBetween(p0[k], v0[k], p[i], v[i], t, seconds);
        v[i] = v0[k] + (v[i] - v0[k]) * t;
        scale[i] = lerp(scale0[k], scale[i], t);
        if (!turn.empty()) turn[i] = Imath::slerpShortestArc(turn0[k], turn[i], t);
    });
    return std::make_shared<const PointSet>(std::move(out));
}

}  // namespace ovrix::sim
