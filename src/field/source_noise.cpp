#include "base/noise.h"
#include "field/sources.h"

namespace ovrix {

namespace {

struct Noise : SourceKernel {
    float frequency, contrast;
    uint32_t seed;
    FractalOptions options;
    void evaluate(const Samples& s, std::span<float> out) const override {
        for (size_t i = 0; i < out.size(); ++i) {
            const float n = fractalNoise(s.position[i] * frequency, seed, options);
            out[i] = std::clamp(0.5f + n * contrast, 0.0f, 1.0f);
        }
    }
};

}  // namespace

SourceType noiseSource() {
    return {.id = "noise",
            .title = "Noise",
            .help = "Soft patches in space, sums of finer and finer ones",
            .params = {{.id = "size",
                        .title = "Size",
                        .initial = 0.5,
                        .unit = "m",
                        .hardMin = 1e-5,
                        .hardMax = 1e5,
                        .softMin = 0.02,
                        .softMax = 2,
                        .help = "Width of the largest patches"},
                       {.id = "octaves",
                        .title = "Octaves",
                        .type = ParamType::Int,
                        .initial = int64_t(3),
                        .hardMin = 1,
                        .hardMax = 12,
                        .softMin = 1,
                        .softMax = 8,
                        .help = "How many sizes are summed, each half the one before"},
                       {.id = "contrast",
                        .title = "Contrast",
                        .initial = 1.0,
                        .hardMin = 0,
                        .hardMax = 100,
                        .softMin = 0,
                        .softMax = 4,
                        .help = "0 is grey everywhere, high is patches with sharp borders"},
                       {.id = "ridged",
                        .title = "Ridged",
                        .type = ParamType::Bool,
                        .initial = false,
                        .help = "Sharp crests in place of soft patches"},
                       seedSpec("Another number, other patches")},
            .compile = [](const ResolvedParams& p, const FieldContext&) {
                auto kernel = std::make_unique<Noise>();
                kernel->frequency = float(1.0 / p.number("size"));
                kernel->contrast = float(p.number("contrast"));
                kernel->seed = uint32_t(p.integer("seed"));
                kernel->options = {int(p.integer("octaves")), 0.5f, 2.0f, p.flag("ridged")};
                return kernel;
            }};
}

}  // namespace ovrix
