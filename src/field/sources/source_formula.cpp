#include <fmt/format.h>
#include <muParser.h>
#include <tbb/enumerable_thread_specific.h>

#include "base/error.h"
#include "field/sources.h"
#include "params/specs.h"

namespace ovrix::field {

using namespace specs;

namespace {

enum Name {
    kX,
    kY,
    kZ,
    kNx,
    kNy,
    kNz,
    kU,
    kV,
    kSlope,
    kScale,
    kRandom,
    kId,
    kAge,
    kLife,
    kSpeed,
    kFrame,
    kTime,
    kNames
};
const char* const kNameTexts[kNames] = {"x",   "y",    "z",     "nx",    "ny",     "nz",
                                        "u",   "v",    "slope", "scale", "random", "id",
                                        "age", "life", "speed", "frame", "time"};

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
        values[kAge] = s.age.empty() ? 0.0 : double(s.age[i]);
        values[kLife] = s.life.empty() ? 0.0 : double(s.life[i]);
        values[kSpeed] = s.velocity.empty() ? 0.0 : double(s.velocity[i].length());
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
    double frame, time;
    mutable tbb::enumerable_thread_specific<std::unique_ptr<Machine>> machines;

    void evaluate(const Samples& s, std::span<float> out) const override {
        auto& machine = machines.local();
        if (!machine) machine = std::make_unique<Machine>(text);
        machine->values[kFrame] = frame, machine->values[kTime] = time;
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
    kernel->frame = context.frame, kernel->time = context.frame / context.rate;
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
                "random, id; of what moves age, life and speed; frame, time",
            .params = {text(
                "formula", "Formula", "0.5 + 0.5 * sin(8 * x)",
                "Names: x y z and nx ny nz in the world, u v, slope in degrees, scale, random "
                "(0 to 1 per element), id; of what moves age and life in seconds, speed in m/s; frame, "
                "and time in seconds")},
            .compile = compileFormula,
            .followsTime = [](const ParamMap& p) {
                const auto it = p.find("formula");
                const auto* text = it == p.end() ? nullptr : std::get_if<std::string>(&it->second.value);
                return text && (text->find(kNameTexts[kFrame]) != std::string::npos ||
                                text->find(kNameTexts[kTime]) != std::string::npos);
            }};
}

}  // namespace ovrix::field
