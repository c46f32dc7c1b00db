// Particles that keep a distance from each other.
#include <algorithm>
#include <cmath>
#include <map>
#include <optional>

#include "base/parallel.h"
#include "geo/points/nearest.h"
#include "params/param_table.h"
#include "sim/collide/collide.h"

namespace ovrix::sim {

using namespace specs;

namespace {

const struct SpacingParams : ParamTable {
    Handle<double> radius =
        add(number("radius", "Radius", 0.02, "m", 0, 1e5, 0, 0.5, "Of each, times its size"));
    Handle<double> bounce = add(unitNumber("bounce", "Bounce", 0.2, "Fraction of the speed that comes back"));
    Handle<double> friction = add(number("friction", "Friction", 0.3, "", 0, 100, 0, 1.5,
                                         "Holds heaps flatter than the angle whose tangent it is"));
    Handle<int64_t> rounds =
        add(whole("rounds", "Rounds", 3, 1, 64, 1, 10, "More packs tighter without overlaps"));
} kSpacing;

/// Each moves apart from those that are too near, by half of what is missing; what all did is added up by
/// number, so no order of threads counts. Jakobsen, "Advanced Character Physics", GDC 2001, as a relaxation
/// of all at once. Velocities then follow from what touches, not from how far it was moved: bounce by
/// Newton's law and friction by Coulomb's, as in Mueller, Macklin, Chentanez, Jeschke, Kim, "Detailed Rigid
/// Body Simulation with Extended Position Based Dynamics", Computer Graphics Forum 39(8), 2020, section 3.6.
class KeepApart : public Spacing {
  public:
    explicit KeepApart(const PartContext& c)
        : radius_(float(c.params()[kSpacing.radius])),
          bounce_(float(c.params()[kSpacing.bounce])),
          friction_(float(c.params()[kSpacing.friction])),
          rounds_(int(c.params()[kSpacing.rounds])) {}

    void part(const View& v, Progress& progress) const override {
        if (!(radius_ > 0)) return;
        for (int round = 0; round < rounds_; ++round)
            forEach(v, v.position, 1.0f, progress, [](const Pair& k) {
                return k.wanted > k.distance
                           ? std::optional(k.direction * ((k.wanted - k.distance) * k.share))
                           : std::nullopt;
            });
    }

    void rub(const View& v, Progress& progress) const override {
        if (!(radius_ > 0)) return;
        const std::vector<V3f> before(v.velocity.begin(), v.velocity.end());
        // Those that were just moved apart touch, but for rounding and what the rounds left.
        forEach(v, v.velocity, 1.02f, progress, [&](const Pair& k) -> std::optional<V3f> {
            const V3f relative = before[k.one] - before[k.other];
            const float towards = -relative.dot(k.direction);
            if (!(towards > 0)) return std::nullopt;
            const V3f along = relative + k.direction * towards;
            const float speed = along.length(),
                        lost = std::min(speed, friction_ * (1.0f + bounce_) * towards);
            const float share = k.share == 0.5f && !v.weight.empty()
                                    ? v.weight[k.other] / (v.weight[k.one] + v.weight[k.other])
                                    : k.share;
            V3f gain = k.direction * ((1.0f + bounce_) * towards);
            if (speed > 0) gain -= along * (lost / speed);
            return gain * share;
        });
    }

  private:
    /// One and another that is near it.
    struct Pair {
        size_t one, other;
        V3f direction;  ///< unit, to the one
        float distance, wanted;
        float share;  ///< of what has to be done that the one does
    };
    /// Those of like size, none more than twice another, that can be met.
    struct Sized {
        std::vector<uint32_t> who;
        std::unique_ptr<NearestPoints> tree;
        float largest = 0;
    };
    /// In a heap of thousands at one place each looks at so many of like size: more than can touch it once
    /// they lie apart, which are 12 of its own size (Schuette and van der Waerden, Mathematische Annalen 125,
    /// 1953). Many small ones around a large one never hide the large ones: each size is looked for by
    /// itself.
    static constexpr size_t kMost = 32;

    static std::vector<Sized> bySize(const View& v) {
        float largest = 0;
        for (float s : v.scale) largest = std::max(largest, s);
        const int most = largest > 0 ? std::ilogb(largest) : 0;
        std::map<int, Sized> sizes;
        std::pair<int, Sized*> last{0, nullptr};  // most often all are alike
        for (size_t i = 0; i < v.position.size(); ++i) {
            if (v.state[i] == int32_t(ParticleState::Ended) || v.state[i] == int32_t(ParticleState::Unborn))
                continue;
            const int size = v.scale[i] > 0 ? std::max(std::ilogb(v.scale[i]), most - 12) : most - 12;
            if (!last.second || last.first != size) last = {size, &sizes[size]};
            last.second->who.push_back(uint32_t(i));
            last.second->largest = std::max(last.second->largest, v.scale[i]);
        }
        std::vector<Sized> out;
        for (auto& [size, own] : sizes) {
            std::vector<V3f> positions;
            positions.reserve(own.who.size());
            for (uint32_t i : own.who) positions.push_back(v.position[i]);
            own.tree = std::make_unique<NearestPoints>(std::move(positions));
            out.push_back(std::move(own));
        }
        return out;
    }

    /// Adds to each of @p values what it gets from those nearer than @p slack times what is wanted.
    template <class Gain>
    void forEach(const View& v, std::span<V3f> values, float slack, Progress& progress,
                 const Gain& gain) const {
        const std::vector<Sized> sizes = bySize(v);
        const std::vector<V3f> positions(v.position.begin(), v.position.end());
        const auto fromOfSize = [&](size_t i, const Sized& other, std::vector<uint32_t>& near) {
            near.clear();
            other.tree->withinMost(positions[i], slack * radius_ * (v.scale[i] + other.largest),
                                   mostOf(v.scale[i], other.largest), near);
            V3f sum(0.0f);
            int count = 0;
            for (uint32_t k : near) {
                const std::optional<V3f> own = between(v, positions, i, other.who[k], slack, gain);
                if (own) sum += *own, ++count;
            }
            // Many at once push less each, or they would throw it past all.
            return count > 2 ? sum / (0.5f * float(count)) : sum;
        };
        parallelRanges(v.position.size(), 512, progress, [&](size_t begin, size_t end) {
            std::vector<uint32_t> near;
            for (size_t i = begin; i < end; ++i) {
                if (v.state[i] != 0) continue;
                V3f whole(0.0f);
                for (const Sized& other : sizes) whole += fromOfSize(i, other, near);
                values[i] += whole;
            }
        });
    }

    /// More of those have room around one that is larger than they.
    static size_t mostOf(float own, float others) {
        const float ratio = own > others ? std::min(own / others, 4.0f) : 1.0f;  // also for what is no number
        return size_t(float(kMost) * ratio * ratio);
    }

    template <class Gain>
    std::optional<V3f> between(const View& v, const std::vector<V3f>& positions, size_t i, size_t k,
                               float slack, const Gain& gain) const {
        if (k == i) return std::nullopt;
        Pair pair{.one = i,
                  .other = k,
                  .direction = positions[i] - positions[k],
                  .distance = 0,
                  .wanted = radius_ * (v.scale[i] + v.scale[k]),
                  .share = v.state[k] == 0 ? 0.5f : 1.0f};
        pair.distance = pair.direction.length();
        if (!(pair.distance < slack * pair.wanted)) return std::nullopt;
        pair.direction = pair.distance > 1e-9f ? pair.direction / pair.distance : apartBy(v.id[k], v.id[i]);
        return gain(pair);
    }

    float radius_, bounce_, friction_;
    int rounds_;
};

}  // namespace

ParticleModifier spacingPart() {
    StepType type = partType("spacing", "Keep apart", "Particles collide with each other", kSpacing);
    return {type, [](const PartContext& c, ParticleParts& parts) {
                parts.spacings.push_back(std::make_unique<KeepApart>(c));
            }};
}

}  // namespace ovrix::sim
