#include <fmt/format.h>
#include <muParser.h>
#include <tbb/enumerable_thread_specific.h>

#include <deque>

#include "base/error.h"
#include "field/numbers.h"
#include "field/sources.h"
#include "params/param_table.h"

namespace ovrix::field {

using namespace specs;

namespace {

const struct FormulaParams : ParamTable {
    Handle<std::string> formula =
        add(text("formula", "Formula", "0.5 + 0.5 * sin(8 * x)",
                 "Names: x y z and nx ny nz in the world, u v, slope in degrees, curvature in 1/m, scale, "
                 "random (0 to 1 per element), id; along, 0 at a strand's root and 1 at its tip; of "
                 "what moves age and life in seconds, speed in m/s; attributes, as heat, or v.x and "
                 "Cd.r; frame, and time in seconds"));
} kFormula;

/// One parser with its own variables, one for each name that the text has: the library's are not made for
/// several threads.
struct Machine {
    std::deque<double> values;  // which keep their addresses
    std::vector<std::string> names;
    std::vector<double> columns;  // kFew numbers of each name
    mu::Parser parser;

    explicit Machine(const std::string& text) {
        parser.DefineNameChars("0123456789_.abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ");
        parser.SetVarFactory(
            [](const char* name, void* own) {
                auto* machine = static_cast<Machine*>(own);
                machine->names.push_back(name);
                return &machine->values.emplace_back(0.0);
            },
            this);
        parser.SetExpr(text);
        parser.Eval();  // throws where it is no formula
        columns.resize(kFew * names.size());
    }
    Machine(const Machine&) = delete;

    static constexpr size_t kFew = 32;
};

struct Formula : SourceKernel {
    std::string text;
    std::vector<NumberReader> readers;  ///< of its names, in the order in which any machine meets them
    mutable tbb::enumerable_thread_specific<std::unique_ptr<Machine>> machines;

    void evaluate(const Samples& s, std::span<float> out) const override {
        auto& machine = machines.local();
        if (!machine) machine = std::make_unique<Machine>(text);
        for (size_t begin = 0; begin < out.size(); begin += Machine::kFew)
            some(*machine, s, begin, out.subspan(begin, std::min(Machine::kFew, out.size() - begin)));
    }
    void some(Machine& m, const Samples& s, size_t begin, std::span<float> out) const {
        for (size_t k = 0; k < readers.size(); ++k)
            readers[k].read(s, begin, {&m.columns[k * Machine::kFew], out.size()});
        for (size_t i = 0; i < out.size(); ++i) {
            for (size_t k = 0; k < readers.size(); ++k) m.values[k] = m.columns[k * Machine::kFew + i];
            out[i] = float(m.parser.Eval());
        }
    }
    bool readsLight() const override {
        return std::any_of(readers.begin(), readers.end(), [](const auto& r) { return r.ofLight; });
    }
    bool readsElements() const override {
        return std::any_of(readers.begin(), readers.end(), [](const auto& r) { return r.ofElement; });
    }
};

std::unique_ptr<SourceKernel> compileFormula(const ResolvedParams& p, const FieldContext& context) {
    auto kernel = std::make_unique<Formula>();
    kernel->text = p[kFormula.formula];
    try {
        const Machine trial(kernel->text);
        for (const std::string& name : trial.names)
            kernel->readers.push_back(numberNamed(
                fmt::format("formula, character {}: ", kernel->text.find(name) + 1), name, context));
    } catch (const mu::Parser::exception_type& e) {
        std::string reason = e.GetMsg();
        while (!reason.empty() && (reason.back() == '.' || reason.back() == '\n')) reason.pop_back();
        throw Error(e.GetPos() >= 0 && size_t(e.GetPos()) <= kernel->text.size()
                        ? fmt::format("formula, character {}: {}", e.GetPos() + 1, reason)
                        : "formula: " + reason,
                    {}, fmt::format("It may use {}", fmt::join(numberNames(), ", ")));
    }
    return kernel;
}

}  // namespace

SourceType formulaSource() {
    return {
        .id = "formula",
        .title = "Formula",
        .help =
            "A number worked out from the place and the element: x y z, nx ny nz, u v, slope, curvature, "
            "scale, random, id; along of strands; of what moves age, life and speed; any attribute by its "
            "name; frame, time",
        .params = kFormula.specs(),
        .compile = compileFormula,
        .followsTime = [](const ParamMap& p) {
            const std::string text = valueIn(p, kFormula.formula);
            return text.find("frame") != std::string::npos || text.find("time") != std::string::npos;
        }};
}

}  // namespace ovrix::field
