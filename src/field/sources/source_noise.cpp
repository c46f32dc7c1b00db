#include "base/noise.h"
#include "field/sources.h"
#include "params/param_table.h"

namespace ovrix::field {

using namespace specs;

namespace {

const struct NoiseParams : ParamTable {
    Handle<std::string> kind =
        add(choice("kind", "Kind", "soft", {"soft", "ridged", "cells", "cracks"},
                   "Soft patches, sharp crests, bumps around points, or the borders between cells"));
    Handle<double> size =
        add(number("size", "Size", 0.5, "m", 1e-5, 1e5, 0.02, 2, "Width of the largest patches"));
    Handle<int64_t> octaves = add(
        whole("octaves", "Octaves", 3, 1, 12, 1, 8, "How many sizes are summed, each half the one before"));
    Handle<double> contrast = add(number("contrast", "Contrast", 1, "", 0, 100, 0, 4,
                                         "0 is grey everywhere, high is patches with sharp borders"));
    Handle<std::string> space =
        add(choice("space", "Space", "on the object", {"on the object", "in the world"},
                   "They go with what moves, or it moves through them"));
    Handle<V3f> offset =
        add(vector("offset", "Offset", V3d(0), "m", 2, "Moves the patches; add motion by keys"));
    Handle<int64_t> seed = add(seedSpec("Another number, other patches"));
} kNoise;

struct Noise : SourceKernel {
    float frequency, contrast;
    V3f offset;
    uint32_t seed;
    FractalOptions options;
    bool local, plain;  ///< plain: the surface is not moved
    M44f toLocal;
    void evaluate(const Samples& s, std::span<float> out) const override {
        const auto p = s.get(channel::position);
        const auto toObject = s.get(channel::toObject);
        const auto id = s.get(channel::id);
        const auto place = [&](size_t i) {
            if (!local) return p[i];
            if (toObject.empty()) return plain ? p[i] : p[i] * toLocal;
            return p[i] * toObject[i] + (id.empty() ? V3f(0.0f) : moveOf(id[i]));
        };
        const auto seen = s.get(channel::width);
        V3f positions[64];
        for (size_t begin = 0; begin < out.size(); begin += std::size(positions)) {
            const std::span<float> some =
                out.subspan(begin, std::min(std::size(positions), out.size() - begin));
            for (size_t i = 0; i < some.size(); ++i) positions[i] = (place(begin + i) + offset) * frequency;
            const float own = local && !toObject.empty()
                                  ? std::cbrt(std::abs(toObject[begin].determinant()))
                                  : 1.0f;  // metres of the object by those of the world
            fractalNoise({positions, some.size()}, seed, seen.empty() ? options : coarser(seen[begin] * own),
                         some);
            for (float& x : some) x = std::clamp(0.5f + x * contrast, 0.0f, 1.0f);
        }
    }
    /// Without octaves whose patches are less than half as wide as what is seen: of soft ones the eye has the
    /// mean, which is nothing. Renders ask at one place at a time.
    FractalOptions coarser(float width) const {
        FractalOptions o = options;
        if (o.kind != NoiseKind::Soft) return o;
        o.counted = o.octaves;
        while (o.octaves > 1 && std::ldexp(1.0f, 1 - o.octaves) / frequency < 0.5f * width) --o.octaves;
        return o;
    }
    /// Copies have patches of their own, or they would all look alike.
    V3f moveOf(uint64_t id) const {
        if (id == 0) return V3f(0.0f);
        const Random4 r = random4(seed, id, Stream::Place);
        return V3f(r[0], r[1], r[2]) * (50.0f / frequency);
    }
};

NoiseKind kindNamed(const std::string& name) {
    if (name == "ridged") return NoiseKind::Ridged;
    if (name == "cells") return NoiseKind::Cells;
    if (name == "cracks") return NoiseKind::Cracks;
    return NoiseKind::Soft;
}

}  // namespace

SourceType noiseSource() {
    return {.id = "noise",
            .title = "Noise",
            .help = "Patches in space, sums of finer and finer ones",
            .params = kNoise.specs(),
            .compile = [](const ResolvedParams& p, const FieldContext& context) {
                auto kernel = std::make_unique<Noise>();
                kernel->local = p[kNoise.space] == "on the object";
                kernel->toLocal = context.objectFromWorld;
                kernel->plain = kernel->toLocal == M44f();
                kernel->frequency = float(1.0 / p[kNoise.size]);
                kernel->contrast = float(p[kNoise.contrast]);
                kernel->offset = p[kNoise.offset];
                kernel->seed = uint32_t(p[kNoise.seed]);
                kernel->options = {int(p[kNoise.octaves]), 0.5f, 2.0f, kindNamed(p[kNoise.kind])};
                return kernel;
            }};
}

}  // namespace ovrix::field
