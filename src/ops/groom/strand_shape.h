// What steps that shape strands have in common: how strongly each strand takes part, how that goes along it,
// and the loop over strands.
#pragma once
#include <array>
#include <optional>

#include "base/parallel.h"
#include "geo/strands/strands.h"
#include "ops/step.h"
#include "params/param_table.h"

namespace ovrix::ops {

/// A curve over 0 to 1 that is asked for every point of every strand: read from a table of 256 pieces, so it
/// differs from the curve by less than 1e-4 where that is smooth.
class AlongTable {
  public:
    explicit AlongTable(const Curve& curve);
    float at(float t) const {
        const float x = std::clamp(t, 0.0f, 1.0f) * 256.0f;
        const size_t i = std::min<size_t>(size_t(x), 255);
        return values_[i] + (values_[i + 1] - values_[i]) * (x - float(i));
    }

  private:
    std::array<float, 257> values_;
};

/// How much a strand takes part, and how that goes from root to tip.
struct StrandEffect {
    Varying strength = {0, 1, {}};
    Curve along;
    uint64_t seed = 1;
};

/// The strength, the profile and the seed, as every step has them.
struct EffectParams {
    /// @param seedHelp  empty for a step without chance, which has no seed
    EffectParams(ParamTable& table, std::vector<V2f> along, const std::string& seedHelp);
    Handle<Varying> strength;
    Handle<Curve> along;
    std::optional<Handle<int64_t>> seed;
};
StrandEffect effectOf(const StepInput& in, const EffectParams& params);

/// What the step is given.
StrandsPtr strandsOf(const StepInput& in);

/// Scratch space of one thread's loop.
struct StrandScratch {
    std::vector<float> t;
    std::vector<V3f> tangent, normal, place;
    void fit(size_t points);
};

/// Calls @p body with each strand, its points and scratch space, on all threads.
template <class Body>
void eachStrand(const StrandSet& in, Progress& progress, const Body& body) {
    const auto p = in.points.find<V3f>("P");
    parallelRanges(in.size(), 512, progress, [&](size_t begin, size_t end) {
        StrandScratch scratch;
        for (size_t s = begin; s < end; ++s) {
            const auto line = pointsOf(in, p, s);
            scratch.fit(line.size());
            body(s, line, scratch);
        }
    });
}

/// The same strands with points that @p body moves: it gets the strand, its points as they were, where to put
/// the new ones (already filled with the old), and scratch space. Strands are worked on by all threads.
template <class Body>
StrandsPtr reshaped(const StrandSet& in, Progress& progress, const Body& body) {
    auto out = std::make_shared<StrandSet>(in);
    const auto from = in.points.find<V3f>("P");
    out->points.set("P", std::vector<V3f>(from.size()));
    const auto to = out->points.add<V3f>("P");
    eachStrand(in, progress, [&](size_t s, std::span<const V3f> old, StrandScratch& scratch) {
        const auto made = to.subspan(in.start[s], old.size());
        std::copy(old.begin(), old.end(), made.begin());
        body(s, old, made, scratch);
    });
    return out;
}

/// Tangents, normals carried from the root's frame, and parts of the length, into the scratch space.
/// @param orient  the roots' frames, or empty
void framesOf(std::span<const Quatf> orient, size_t s, std::span<const V3f> points, StrandScratch& scratch);

/// The number of a strand's own: uniform in [0, 1).
inline float ownNumber(const StrandSet& set, size_t s, uint64_t seed, Stream stream) {
    return random1(seed, set.strands.find<uint64_t>("id")[s], stream);
}

}  // namespace ovrix::ops
