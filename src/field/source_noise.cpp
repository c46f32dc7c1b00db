#include "base/noise.h"
#include "base/specs.h"
#include "field/sources.h"

namespace ovrix {

using namespace specs;

namespace {

struct Noise : SourceKernel {
    float frequency, contrast;
    V3f offset;
    uint32_t seed;
    FractalOptions options;
    void evaluate(const Samples& s, std::span<float> out) const override {
        for (size_t i = 0; i < out.size(); ++i) {
            const float n = fractalNoise((s.position[i] + offset) * frequency, seed, options);
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
                   vector("offset", "Offset", V3d(0), "m", 2, "Moves the patches; add motion by keys"),
                   seedSpec("Another number, other patches")},
        .compile = [](const ResolvedParams& p, const FieldContext&) {
            auto kernel = std::make_unique<Noise>();
            kernel->frequency = float(1.0 / p.number("size"));
            kernel->contrast = float(p.number("contrast"));
            kernel->offset = p.vector("offset");
            kernel->seed = uint32_t(p.integer("seed"));
            kernel->options = {int(p.integer("octaves")), 0.5f, 2.0f, kindNamed(p.text("kind"))};
            return kernel;
        }};
}

}  // namespace ovrix
