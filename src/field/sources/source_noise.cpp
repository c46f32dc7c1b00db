#include "base/noise.h"
#include "field/sources.h"
#include "params/specs.h"

namespace ovrix::field {

using namespace specs;

namespace {

struct Noise : SourceKernel {
    float frequency, contrast;
    V3f offset;
    uint32_t seed;
    FractalOptions options;
    bool local;
    M44f toLocal;
    V3f placeOf(const Samples& s, size_t i) const {
        if (!local) return s.position[i];
        if (s.toObject.empty()) return s.position[i] * toLocal;
        V3f p = s.position[i] * s.toObject[i];
        if (!s.id.empty() &&
            s.id[i] != 0) {  // copies have patches of their own, or they would all look alike
            const Random4 r = random4(seed, s.id[i], Stream::Place);
            p += V3f(r[0], r[1], r[2]) * (50.0f / frequency);
        }
        return p;
    }
    void evaluate(const Samples& s, std::span<float> out) const override {
        for (size_t i = 0; i < out.size(); ++i) {
            const float n = fractalNoise((placeOf(s, i) + offset) * frequency, seed, options);
            out[i] = std::clamp(0.5f + n * contrast, 0.0f, 1.0f);
        }
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
    return {
        .id = "noise",
        .title = "Noise",
        .help = "Patches in space, sums of finer and finer ones",
        .params = {choice("kind", "Kind", "soft", {"soft", "ridged", "cells", "cracks"},
                          "Soft patches, sharp crests, bumps around points, or the borders between cells"),
                   number("size", "Size", 0.5, "m", 1e-5, 1e5, 0.02, 2, "Width of the largest patches"),
                   whole("octaves", "Octaves", 3, 1, 12, 1, 8,
                         "How many sizes are summed, each half the one before"),
                   number("contrast", "Contrast", 1, "", 0, 100, 0, 4,
                          "0 is grey everywhere, high is patches with sharp borders"),
                   choice("space", "Space", "on the object", {"on the object", "in the world"},
                          "They go with what moves, or it moves through them"),
                   vector("offset", "Offset", V3d(0), "m", 2, "Moves the patches; add motion by keys"),
                   seedSpec("Another number, other patches")},
        .compile = [](const ResolvedParams& p, const FieldContext& context) {
            auto kernel = std::make_unique<Noise>();
            kernel->local = p.text("space") == "on the object";
            kernel->toLocal = context.objectFromWorld;
            kernel->frequency = float(1.0 / p.number("size"));
            kernel->contrast = float(p.number("contrast"));
            kernel->offset = p.vector("offset");
            kernel->seed = uint32_t(p.integer("seed"));
            kernel->options = {int(p.integer("octaves")), 0.5f, 2.0f, kindNamed(p.text("kind"))};
            return kernel;
        }};
}

}  // namespace ovrix::field
