// What parameters could be.
#include "deliver/variations.h"
#include "base/error.h"
#include "document/model/step_registry.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

TEST_CASE("numbers go evenly over their range, within what they may be", "[variations]") {
    const ParamSpec spec = specs::number("x", "X", 2, "m", 0, 10, 0, 5, "");
    const Range usual = usualRange(spec, Value(2.0));
    CHECK(usual == Range{1, 3});
    CHECK(usualRange(spec, Value(0.0)) == Range{0, 5});
    const auto values = variedValues(spec, Value(2.0), {1, 3}, 5);
    CHECK(values == std::vector<Value>{1.0, 1.5, 2.0, 2.5, 3.0});
    CHECK(variedValues(spec, Value(2.0), {-5, 50}, 3) == std::vector<Value>{0.0, 10.0});  // each once
    CHECK(variedValues(spec, Value(2.0), {1, 3}, 1) == std::vector<Value>{2.0});
    CHECK(rangeAround({1, 3}, 2.75) == Range{2, 3});
    CHECK(rangeAround({1, 3}, 2) == Range{1.5, 2.5});
    const ParamSpec whole = specs::whole("n", "N", 3, 0, 9, 0, 9, "");
    CHECK(variedValues(whole, Value(int64_t(3)), {2, 4}, 9) ==
          std::vector<Value>{int64_t(2), int64_t(3), int64_t(4)});
    CHECK(textOfValue(spec, Value(0.25)) == "0.25 m");
}

TEST_CASE("seeds, flags, choices and colours are varied each in their way", "[variations]") {
    const ParamSpec seed = seedSpec("");
    const auto first = variedValues(seed, Value(int64_t(7)), {}, 9),
               then = variedValues(seed, Value(int64_t(7)), {}, 9, 1);
    CHECK(first.size() == 9);
    CHECK(first[0] == Value(int64_t(7)));
    CHECK(first != then);
    CHECK(first == variedValues(seed, Value(int64_t(7)), {}, 9));
    CHECK(variedValues(specs::flag("f", "F", true, ""), Value(true), {}, 9).size() == 2);
    const ParamSpec choice = specs::choice("c", "C", "a", {"a", "b", "c"}, "");
    CHECK(variedValues(choice, Value(std::string("b")), {}, 9).size() == 3);
    const Color red(0.6f, 0.1f, 0.08f);
    const auto hues = variedValues(specs::color("h", "H", red, true, ""), Value(red), {}, 6);
    REQUIRE(hues.size() == 6);
    CHECK(std::get<Color>(hues[0]) == red);
    for (const Value& v : hues)
        for (int k = 0; k < 3; ++k) CHECK((std::get<Color>(v)[k] >= 0 && std::get<Color>(v)[k] <= 1));
    const ParamSpec range = specs::range("r", "R", {1, 2}, "", 0, 3, 0, 3, "");
    CHECK(variedValues(range, Value(Range{1, 2}), {0.5, 1.5}, 3) ==
          std::vector<Value>{Range{0.5, 1}, Range{1, 2}, Range{1.5, 3}});
    CHECK_FALSE(canVary(specs::text("t", "T", "", "")));
}

TEST_CASE("everything that is declared can be varied or says that it cannot", "[variations][declared]") {
    Document d = Document::fresh();
    size_t varies = 0;
    for (const NodeType& type : nodeTypes()) {
        Node node = makeNode(d, type.id);
        d.put(node);
        for (const ParamSpec& spec : type.params) {
            if (!canVary(spec)) continue;
            const ParamPath path{node.id, {}, spec.id};
            const Value now = paramAt(d, path).value;
            for (const Value& v : variedValues(spec, now, usualRange(spec, now), 5)) {
                CHECK(holdsType(spec.type, v));
                CHECK(clampToSpec(spec, v) == v);
                CHECK_NOTHROW(varied(d, {{path, v}}));
                ++varies;
            }
        }
    }
    CHECK(varies > 500);
}

TEST_CASE("all seeds of a recipe are found, those of its fields too", "[variations]") {
    std::string layer;
    Document d = Document::fresh();
    d.put(makeNode(d, "plane", "Ground"));
    d = withLayer(d, "ground", {}, &layer);
    const size_t before = seedsOf(d, layer).size();
    CHECK(before > 1);
    Field field;
    field.sources.push_back(makeSource("noise"));
    d = withField(d, {layer, "scatter", "mask"}, std::make_shared<const Field>(field));
    const auto seeds = seedsOf(d, layer);
    CHECK(seeds.size() == before + 1);
    Variation all;
    for (const ParamPath& path : seeds) all.emplace_back(path, Value(int64_t(4711)));
    const Document other = varied(d, all);
    for (const ParamPath& path : seeds) CHECK(paramAt(other, path).value == Value(int64_t(4711)));
    CHECK_THROWS_AS(varied(d, {{{"nobody", {}, "seed"}, Value(int64_t(1))}}), Error);
}
