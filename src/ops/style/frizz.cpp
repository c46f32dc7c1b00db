#include "ops/style/frizz.h"

#include "base/hash.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct FrizzParams : ParamTable {
    Handle<Varying> amplitude =
        add(drivable(number("amplitude", "Amplitude", starting(FrizzOptions{}.amplitude), "m", 0, 1e4, 0,
                            0.02, "How far points leave their strand")));
    Handle<Varying> bends = add(drivable(number("bends", "Bends", starting(FrizzOptions{}.bends), "", 0, 1e4,
                                                0, 30, "Irregular bends from root to tip")));
    Handle<int64_t> octaves = add(whole("octaves", "Octaves", starting(FrizzOptions{}.octaves), 1, 8, 1, 4,
                                        "Finer bends over the coarse ones"));
    EffectParams effect{*this, {{0, 0}, {0.3f, 0.4f}, {1, 1}}, "Another number, other bends"};
} kFrizz;

/// Slopes at a whole place, -1 to 1.
V3f slopesAt(uint64_t key, int64_t place) {
    const uint64_t h = mixBits(key + uint64_t(place) * 0x9e3779b97f4a7c15ull);
    constexpr float kUnit = 1.0f / 1048576.0f;
    return V3f(float(h & 0x1fffff), float(h >> 21 & 0x1fffff), float(h >> 42 & 0x1fffff)) * kUnit - V3f(1.0f);
}

/// Walks along one line: slopes are made once for each whole place.
class LineNoise {
  public:
    explicit LineNoise(uint64_t key) : key_(key) {}
    V3f at(float x) {
        const float whole = std::floor(x), f = x - whole;
        const int64_t i = int64_t(whole);
        if (i != place_) {
            low_ = i == place_ + 1 ? high_ : slopesAt(key_, i);
            high_ = slopesAt(key_, i + 1);
            place_ = i;
        }
        const float w = f * f * f * (f * (f * 6.0f - 15.0f) + 10.0f);
        // A single slope reaches half as far as the sum may: doubled, most values fill -1 to 1.
        return (low_ * (f * (1.0f - w)) + high_ * ((f - 1.0f) * w)) * 2.0f;
    }

  private:
    uint64_t key_;
    int64_t place_ = std::numeric_limits<int64_t>::min() / 2;
    V3f low_{0, 0, 0}, high_{0, 0, 0};
};

}  // namespace

V3f lineNoise(uint64_t key, float x) { return std::isfinite(x) ? LineNoise(key).at(x) : V3f(0.0f); }

StrandsPtr frizz(const StrandSet& in, const FrizzOptions& o, Progress& progress) {
    Progress::Task task(progress, "Frizzing");
    const Samples samples = samplesOf(in);
    const auto ids = samples.get(channel::id);
    const auto strength = o.effect.strength.over(samples, progress);
    const auto amplitude = o.amplitude.over(samples, progress), bends = o.bends.over(samples, progress);
    const AlongTable along(o.effect.along);
    return reshaped(in, progress,
                    [&](size_t s, std::span<const V3f> from, std::span<V3f> to, StrandScratch& x) {
                        float size = amplitude[s] * strength[s], many = bends[s];
                        if (size == 0.0f) return;
                        alongOf(from, x.t);
                        const uint64_t key = random4(o.effect.seed, ids[s], Stream::Frizz).word(0);
                        for (int k = 0; k < std::clamp(o.octaves, 1, 8); ++k) {
                            LineNoise noise(mixBits(key + uint64_t(k)));
                            for (size_t i = 0; i < from.size(); ++i)
                                to[i] += noise.at(x.t[i] * many + 0.37f) * (size * along.at(x.t[i]));
                            size *= 0.5f, many *= 2.0f;
                        }
                    });
}

static Geometry applyFrizz(const StepInput& in) {
    FrizzOptions o;
    o.effect = effectOf(in, kFrizz.effect);
    o.amplitude = in.params[kFrizz.amplitude];
    o.bends = in.params[kFrizz.bends];
    o.octaves = int(in.params[kFrizz.octaves]);
    return frizz(*strandsOf(in), o, in.progress);
}

StepType frizzStep() {
    return {.id = "frizz",
            .title = "Frizz",
            .phase = Phase::Shape,
            .help = "Irregular bends, each strand by itself",
            .takes = GeometryKind::Strands,
            .gives = GeometryKind::Strands,
            .params = kFrizz.specs(),
            .apply = applyFrizz};
}

}  // namespace ovrix::ops
