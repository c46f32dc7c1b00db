#include <muParser.h>
#include <tbb/enumerable_thread_specific.h>

#include "base/error.h"
#include "base/specs.h"
#include "field/sources.h"

namespace ovrix {

using namespace specs;

namespace {

enum Name { kX, kY, kZ, kNx, kNy, kNz, kU, kV, kSlope, kScale, kRandom, kId, kFrame, kNames };
const char* const kNameTexts[kNames] = {"x", "y",     "z",     "nx",     "ny", "nz",   "u",
                                        "v", "slope", "scale", "random", "id", "frame"};

/// One parser with its own variables: the library's are not made for several threads.
struct Machine {
    std::array<double, kNames> values{};
    mu::Parser parser;
    std::array<bool, kNames> used{};

    explicit Machine(const std::string& text) {
        for (size_t i = 0; i < kNames; ++i) parser.DefineVar(kNameTexts[i], &values[i]);
        parser.SetExpr(text);
        parser.Eval();  // throws on a name that is none; the next call would not
        for (const auto& [name, place] : parser.GetUsedVar()) used[size_t(place - values.data())] = true;
    }
    double at(const Samples& s, size_t i) {
        const V3f& p = s.position[i];
        values[kX] = double(p.x), values[kY] = double(p.y), values[kZ] = double(p.z);
        if (!s.normal.empty()) {
            const V3f& n = s.normal[i];
            values[kNx] = double(n.x), values[kNy] = double(n.y), values[kNz] = double(n.z);
            if (used[kSlope]) values[kSlope] = double(degrees(std::acos(std::clamp(n.y, -1.0f, 1.0f))));
        }
        if (!s.uv.empty()) values[kU] = double(s.uv[i].x), values[kV] = double(s.uv[i].y);
        values[kScale] = s.scale.empty() ? 1.0 : double(s.scale[i]);
        if (!s.id.empty()) {
            values[kId] = double(s.id[i]);
            if (used[kRandom]) values[kRandom] = double(random1(0, s.id[i], Stream::Field));
        }
        return parser.Eval();
    }
};

struct Formula : SourceKernel {
    std::string text;
    double frame;
    mutable tbb::enumerable_thread_specific<std::unique_ptr<Machine>> machines;

    void evaluate(const Samples& s, std::span<float> out) const override {
        auto& machine = machines.local();
        if (!machine) machine = std::make_unique<Machine>(text);
        machine->values[kFrame] = frame;
        for (size_t i = 0; i < out.size(); ++i) out[i] = float(machine->at(s, i));
    }
};

std::string namesText() {
    std::string all;
    for (const char* name : kNameTexts) all += (all.empty() ? "" : ", ") + std::string(name);
    return all;
}

std::unique_ptr<SourceKernel> compileFormula(const ResolvedParams& p, const FieldContext& context) {
    auto kernel = std::make_unique<Formula>();
    kernel->text = p.text("formula");
    kernel->frame = context.frame;
    try {
        const Machine trial(kernel->text);
    } catch (const mu::Parser::exception_type& e) {
        std::string reason = e.GetMsg();
        while (!reason.empty() && (reason.back() == '.' || reason.back() == '\n')) reason.pop_back();
        throw Error(e.GetPos() >= 0 && size_t(e.GetPos()) <= kernel->text.size()
                        ? fmt::format("formula, character {}: {}", e.GetPos() + 1, reason)
                        : "formula: " + reason,
                    {}, "It may use " + namesText());
    }
    return kernel;
}

}  // namespace

SourceType formulaSource() {
    return {.id = "formula",
            .title = "Formula",
            .help =
                "A number worked out from the place and the element: x y z, nx ny nz, u v, slope, scale, "
                "random, id, frame",
            .params = {text("formula", "Formula", "0.5 + 0.5 * sin(8 * x)",
                            "Names: x y z and nx ny nz in the world, u v, slope in degrees, scale, random "
                            "(0 to 1 per element), id, frame")},
            .compile = compileFormula};
}

}  // namespace ovrix
