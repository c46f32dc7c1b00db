// Handles of parameters: what they are declared as, and what they read.
#include "params/param_table.h"

#include "document/model/step_registry.h"
#include "document/model/values.h"
#include "field/field.h"
#include "params/starting.h"
#include "support.h"

using namespace ovrix::params;
using namespace ovrix::field;
using ovrix::base::V3d;
using ovrix::base::V3f;

namespace {

enum class Size { Small, Large };

struct TestParams : ParamTable {
    Handle<double> length = add(specs::number("length", "Length", 2.5, "m", 0, 10, 0, 5, ""));
    Handle<Varying> lift = add(specs::drivable(specs::unitNumber("lift", "Lift", 0.25, "")));
    Handle<V3f> axis = add(specs::vector("axis", "Axis", V3d(0, 1, 0), "", 1, ""));
    Handle<Size> size = add(specs::choice("size", "Size", "large", {"small", "large"}, ""));
};

}  // namespace

TEST_CASE("handles read what a map holds, and what it does not as declared", "[params]") {
    const TestParams p;
    const ResolvedParams bare(p.specs(), {}, {});
    CHECK(bare[p.length] == 2.5);
    CHECK(bare[p.lift].high == 0.25f);
    CHECK(bare.uniform(p.lift) == 0.25);
    CHECK(bare[p.axis] == V3f(0, 1, 0));
    CHECK(bare[p.size] == Size::Large);
    const auto holding = [](const Value& length, const char* size) {
        ParamMap map;
        map["length"].value = length, map["size"].value = std::string(size);
        return map;
    };
    const ParamMap set = holding(4.0, "small");
    const ResolvedParams own(p.specs(), set, {});
    CHECK(own[p.length] == 4.0);
    CHECK(own[p.size] == Size::Small);
    CHECK(valueIn(set, p.length) == 4.0);
    CHECK(valueIn({}, p.length) == 2.5);
    // A file may hold another type, or a choice that is none.
    const ParamMap odd = holding(std::string("long"), "huge");
    CHECK(valueIn(odd, p.length) == 2.5);
    CHECK(ResolvedParams(p.specs(), odd, {})[p.length] == 2.5);
    CHECK(ResolvedParams(p.specs(), odd, {})[p.size] == Size::Large);
}

TEST_CASE("a handle that is declared as something else is refused", "[params]") {
    const ParamSpec number = specs::number("x", "X", 1, "", 0, 1, 0, 1, "");
    CHECK_NOTHROW(Handle<double>(number));
    CHECK_THROWS_AS(Handle<int64_t>(number), std::logic_error);
    CHECK_THROWS_AS(Handle<Varying>(number), std::logic_error);
    CHECK_THROWS_AS(Handle<double>(specs::drivable(number)), std::logic_error);
    CHECK_THROWS_AS(Handle<Size>(specs::text("x", "X", "small", "")), std::logic_error);
    ParamTable table;
    table.add(number);
    CHECK_THROWS_AS(table.add(number), std::logic_error);
    const TestParams p;
    const std::vector<ParamSpec> none;
    CHECK_THROWS_AS(ResolvedParams(none, {}, {})[p.length], std::logic_error);
}

TEST_CASE("what a parameter starts with is the short decimal of an option", "[params]") {
    CHECK(starting(0.1f) == 0.1);
    CHECK(starting(0.0015f) == 0.0015);
    CHECK(starting(1e-7f) == 1e-7);
    CHECK(starting(-3.0f) == -3.0);
    CHECK(startingDegrees(ovrix::base::radians(35.0f)) == 35.0);
    CHECK(startingMillimetres(0.00005f) == 0.05);
    CHECK(starting(Varying{0, 0.2f, {}}) == 0.2);
    CHECK(starting(VaryingRange{0.85f, 1.1f, {}}) == Range{0.85, 1.1});
}

// What a condition of being shown names must be there: it is the one place where ids are text.
TEST_CASE("conditions name parameters of the same type, and values that they may have", "[params]") {
    const auto check = [](const std::string& type, const std::vector<ParamSpec>& all) {
        for (const ParamSpec& spec : all) {
            const size_t equals = spec.showIf.find('=');
            if (equals == std::string::npos) continue;
            const bool unlike = spec.showIf[equals - 1] == '!';
            std::string other = spec.showIf.substr(0, equals - size_t(unlike));
            const bool kind = other.ends_with(".kind");  // of what it refers to
            if (kind) other.resize(other.size() - std::string(".kind").size());
            if (other == "makes") continue;  // what the layer makes
            INFO(type << "/" << spec.id << ": " << spec.showIf);
            const auto it =
                std::find_if(all.begin(), all.end(), [&](const ParamSpec& s) { return s.id == other; });
            REQUIRE(it != all.end());
            if (kind) CHECK(it->type == ParamType::Ref);
            if (it->type != ParamType::Choice && !kind) continue;
            for (size_t at = equals + 1; at <= spec.showIf.size();) {
                const size_t end = std::min(spec.showIf.find('|', at), spec.showIf.size());
                const std::string value = spec.showIf.substr(at, end - at);
                if (kind)
                    CHECK(it->refKind.find(value) != std::string::npos);
                else
                    CHECK(std::count(it->choices.begin(), it->choices.end(), value) == 1);
                at = end + 1;
            }
        }
    };
    for (const auto& type : ovrix::document::stepTypes()) check(type.id, type.params);
    for (const auto& type : sourceTypes()) check(type.id, type.params);
    for (const auto& type : ovrix::document::nodeTypes()) check(type.id, type.params);
}

TEST_CASE("a value for a parameter that is none, or of another type, is refused", "[params]") {
    using namespace ovrix::document;
    const Document document = Document::fresh();
    Node sun = makeNode(document, "sun");
    setValue(sun, "elevation", 12.0);
    CHECK(std::get<double>(sun.params.at("elevation").value) == 12.0);
    CHECK_THROWS_AS(setValue(sun, "elevatoin", 12.0), std::logic_error);
    CHECK_THROWS_AS(setValue(sun, "elevation", std::string("high")), std::logic_error);
    CHECK(sun.params.count("elevatoin") == 0);
    CHECK(std::get<double>(sun.params.at("elevation").value) == 12.0);
    Step scatter = makeStep("scatter", makeNode(document, "layer"));
    setValue(scatter, "count", int64_t(7));
    CHECK(std::get<int64_t>(scatter.params.at("count").value) == 7);
    CHECK_THROWS_AS(setValue(scatter, "count", 7.0), std::logic_error);
}
