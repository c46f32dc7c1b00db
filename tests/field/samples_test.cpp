// Samples as named columns, and what fields read from them by name.
#include "field/samples.h"

#include "base/error.h"
#include "field/field_support.h"
#include "field/numbers.h"
#include "geo/mesh/primitives.h"
#include "geo/surface/surface.h"
#include "support.h"

using namespace ovrix::tests;

namespace {

/// Two elements that carry a column of each kind.
AttributeSet carried() {
    AttributeSet a;
    a.set("P", std::vector<V3f>{{1, 2, 3}, {4, 5, 6}});
    a.set("id", std::vector<uint64_t>{7, 8});
    a.set("heat", std::vector<float>{0.25f, 0.75f});
    a.set("kind", std::vector<int32_t>{-2, 3});
    a.set("wide name", std::vector<float>{1, 2});
    a.set("pull", std::vector<V3f>{{3, 4, 0}, {0, 0, 2}});
    a.set("paint", std::vector<Color>{{1, 0.5f, 0}, {0, 0, 0.25f}});
    a.set("label", StringColumn{{0, 0}, {"leaf"}});
    a.set("orient", std::vector<Quatf>(2));
    return a;
}

std::vector<float> valuesOf(const FieldSource& source, const AttributeSet* elements, const Samples& s) {
    FieldContext context;
    context.elements = elements;
    std::vector<float> out(s.size());
    CompiledField(Field{{source}}, context).evaluate(s, out);
    return out;
}

FieldSource formula(const std::string& text) { return with(makeSource("formula"), "formula", text); }

}  // namespace

TEST_CASE("columns of samples are found by name and type, however many there are", "[field][samples]") {
    const std::vector<V3f> p(5, V3f(1, 2, 3));
    std::vector<std::vector<float>> columns;
    for (int k = 0; k < 40; ++k) columns.push_back({float(k), float(k) + 1, float(k) + 2, 0, 0});
    const auto key = [](int k) { return ChannelKey<float>("column " + std::to_string(k)); };
    Samples s(p);
    for (int k = 0; k < 40; ++k) s.with(key(k), columns[size_t(k)]);
    for (int k = 0; k < 40; ++k) {
        REQUIRE(s.get(key(k)).size() == 5);
        REQUIRE(s.get(key(k)).data() == columns[size_t(k)].data());
        REQUIRE(s.sub(1, 2).get(key(k))[1] == float(k) + 2);
    }
    CHECK(s.sub(1, 2).size() == 2);
    CHECK(s.get(ChannelKey<int32_t>("column 3")).empty());  // of another type
    CHECK(s.get(ChannelKey<float>("none")).empty());
    // One that is set again stands for both; an empty one takes nothing away.
    s.with(key(3), columns[9]).with(key(30), columns[8]).with(key(4), {});
    CHECK(s.get(key(3)).data() == columns[9].data());
    CHECK(s.get(key(30)).data() == columns[8].data());
    CHECK(s.get(key(4)).data() == columns[4].data());
    CHECK_THROWS_AS(s.with(key(5), {columns[5].data(), 3}), std::logic_error);
    CHECK(Samples().size() == 0);
    CHECK(samplesOf(AttributeSet()).size() == 0);
}

TEST_CASE("a formula reads any attribute, whole or by component", "[field][samples]") {
    const AttributeSet a = carried();
    const Samples s = samplesOf(a);
    const auto at = [&](const std::string& text) { return valuesOf(formula(text), &a, s); };
    using Two = std::vector<float>;
    CHECK(at("heat") == Two{0.25f, 0.75f});
    CHECK(at("kind + 2*heat") == Two{-1.5f, 4.5f});
    CHECK(at("pull") == Two{5, 2});
    CHECK(at("pull.y + pull.z") == Two{4, 2});
    CHECK(at("paint.g") == Two{0.5f, 0});
    CHECK(at("paint")[1] == Approx(0.0722f * 0.25f));
    CHECK(at("P.x + x") == Two{2, 8});
    CHECK(at("id") == Two{7, 8});
    CHECK(at("along") == Two{0, 0});  // no strands: 0
    for (const char* no : {"lilac", "label", "orient", "pull.q", "heat.x", "pull.", "paint.w", "pull.x.y"}) {
        INFO(no);
        CHECK_THROWS_WITH(at(no), Catch::Contains("nothing here is called") && Catch::Contains("heat"));
    }
    CHECK_THROWS_WITH(valuesOf(formula("heat"), nullptr, s), Catch::Contains("heat"));
}

TEST_CASE("before there are elements, a name that they may carry is 0", "[field][samples]") {
    const std::vector<V3f> p(3, V3f(2, 0, 0));
    FieldContext context;
    context.anyName = true;
    std::vector<float> out(3);
    CompiledField(Field{{formula("x + heat + pull.x")}}, context).evaluate(Samples(p), out);
    CHECK(out == std::vector<float>(3, 2.0f));
    CompiledField(Field{{with(makeSource("attribute"), "name", std::string("heat"))}}, context)
        .evaluate(Samples(p), out);
    CHECK(out == std::vector<float>(3, 0.0f));
    CHECK_THROWS_AS(CompiledField(Field{{formula("x +")}}, context), Error);
}

TEST_CASE("attributes drive numbers between two limits, and colours as they are", "[field][samples]") {
    const AttributeSet a = carried();
    const Samples s = samplesOf(a);
    const auto source = [](const std::string& name, Range range = {0, 1}) {
        return with(with(makeSource("attribute"), "name", name), "range", range);
    };
    using Two = std::vector<float>;
    CHECK(valuesOf(source("heat"), &a, s) == Two{0.25f, 0.75f});
    CHECK(valuesOf(source("heat", {0.5, 1}), &a, s) == Two{0, 0.5f});
    CHECK(valuesOf(source("wide name", {0, 4}), &a, s) == Two{0.25f, 0.5f});
    CHECK(valuesOf(source("pull.x", {0, 6}), &a, s) == Two{0.5f, 0});
    FieldContext context;
    context.elements = &a;
    std::vector<V3f> colors(2);
    CompiledField(Field{{source("paint")}}, context).evaluateColor(s, colors);
    CHECK(colors == std::vector<V3f>{{1, 0.5f, 0}, {0, 0, 0.25f}});
    CompiledField(Field{{source("heat")}}, context).evaluateColor(s, colors);
    CHECK(colors == std::vector<V3f>{V3f(0.25f), V3f(0.75f)});
    // A name that stands for a number is that number, and no vector that is called so.
    AttributeSet moving = carried();
    moving.set("v", std::vector<V3f>{{1, 2, 3}, {4, 5, 6}});
    FieldContext other;
    other.elements = &moving;
    CompiledField(Field{{source("v")}}, other).evaluateColor(samplesOf(moving), colors);
    CHECK(colors == std::vector<V3f>(2, V3f(0.0f)));  // the texture place's, of which there is none
    CompiledField(Field{{source("v.z", {0, 6})}}, other).evaluateColor(samplesOf(moving), colors);
    CHECK(colors == std::vector<V3f>{V3f(0.5f), V3f(1.0f)});
    CHECK(valuesOf(source("time", {0, 24}), &a, s)[0] == 0.0f);
    FieldContext later;
    later.frame = 48;
    std::vector<float> at(2);
    CompiledField(Field{{source("frame", {0, 96})}}, later).evaluate(s, at);
    CHECK(at[1] == 0.5f);
    CHECK_THROWS_WITH(CompiledField(Field{{source("gone")}}, context),
                      Catch::Contains("attribute") && Catch::Contains("gone") && Catch::Contains("heat"));
    CHECK_THROWS_WITH(CompiledField(Field{{source("")}}, context), Catch::Contains("no name"));
    // Numbers that are none count as 0.
    AttributeSet broken = carried();
    broken.set("heat", std::vector<float>{NAN, INFINITY});
    CHECK(valuesOf(source("heat"), &broken, samplesOf(broken))[0] == 0.0f);
}

TEST_CASE("curvature by name is that of the surface", "[field][samples]") {
    const auto ball = std::make_shared<const Surface>(makeSphere(0.5f, 48));
    FieldContext context;
    const std::vector<V3f> p{{0.5f, 0, 0}, {0.3f, 0.4f, 0}};
    std::vector<float> out(2);
    CHECK_THROWS_WITH(CompiledField(Field{{formula("curvature")}}, context), Catch::Contains("surface"));
    context.surface = ball;
    CompiledField(Field{{formula("curvature")}}, context).evaluate(Samples(p), out);
    for (float x : out) CHECK(x == Approx(2).epsilon(0.02));  // 1/r, by a mesh of 48 segments
}

TEST_CASE("one sample and many give the same bits, whatever the source", "[field][samples]") {
    constexpr size_t kCount = 1500;  // more than a block
    std::vector<V3f> p(kCount), n(kCount);
    std::vector<V2f> uv(kCount);
    std::vector<uint64_t> id(kCount);
    for (size_t i = 0; i < kCount; ++i) {
        const Random4 r = random4(5, i, Stream::Place);
        p[i] = V3f(r[0], r[1], r[2]) * 3.0f - V3f(1.5f), n[i] = p[i].normalized();
        uv[i] = V2f(r[1], r[3]), id[i] = i * 7;
    }
    Samples s(p);
    s.with(channel::normal, n).with(channel::uv, uv).with(channel::id, id);
    FieldContext context;
    context.surface = std::make_shared<const Surface>(makeSphere(1, 24));
    Field field;
    for (const SourceType& type : sourceTypes()) {
        // These need a file, or something to measure to or to be inside of.
        if (type.id == "image" || type.id == "distance" || type.id == "inside") continue;
        FieldSource source = makeSource(type.id);
        source.blend = Blend::Add;
        source.strength.value = 0.5;
        field.sources.push_back(source);
    }
    for (const char* kind : {"ridged", "cells", "cracks"})
        field.sources.push_back(with(makeSource("noise"), "kind", std::string(kind)));
    field.sources.push_back(field.sources.back());  // the same one twice
    field.sources.back().blend = Blend::Multiply;
    const CompiledField compiled(field, context);
    std::vector<float> many(kCount), one(kCount), some(kCount);
    std::vector<V3f> colors(kCount);
    compiled.evaluate(s, many);
    compiled.evaluateColor(s, colors);
    for (size_t i = 0; i < kCount; ++i) compiled.evaluate(s.sub(i, 1), {&one[i], 1});
    for (size_t i = 0; i < kCount; i += 3) compiled.evaluate(s.sub(i, 3), {&some[i], 3});
    CHECK(many == one);
    CHECK(many == some);
    const Varying varying{0, 1, std::make_shared<const CompiledField>(field, context)};
    FieldsOver over(s);
    for (size_t i = 0; i < kCount; i += 50) {
        const Samples at = s.sub(i, 1);
        CHECK(FieldsAt(at).of(varying) == many[i]);
        CHECK(FieldsAt(over, i).of(varying) == many[i]);
        CHECK(colors[i] == V3f(many[i]));  // grey: nothing here has colours
    }
}

TEST_CASE("angles that need not be known give what known ones give", "[field][samples]") {
    // The passage, worked out from each angle.
    const auto passed = [](float angle, float from, float to, float soft) {
        const auto edge = [&](float inside) {
            return soft > 0 ? std::clamp(inside / soft + 0.5f, 0.0f, 1.0f) : inside >= 0 ? 1.0f : 0.0f;
        };
        return std::min(from <= 0 ? 1.0f : edge(angle - radians(from)),
                        to >= 180 ? 1.0f : edge(radians(to) - angle));
    };
    std::vector<V3f> n;
    for (int i = 0; i <= 3600; ++i) {
        const float a = radians(0.05f * float(i));
        n.push_back(V3f(std::sin(a), std::cos(a), 0));
    }
    n.push_back(V3f(0, 7, 0)), n.push_back(V3f(0, -7, 0));  // of no unit length
    for (const auto& [from, to, soft] : std::vector<std::array<float, 3>>{{0, 35, 8},
                                                                          {20, 90, 0},
                                                                          {0, 180, 30},
                                                                          {10, 170, 40},
                                                                          {50, 60, 90},
                                                                          {0, 0, 0},
                                                                          {180, 180, 0},
                                                                          {0, 1, 5}}) {
        INFO(from << " to " << to << ", soft " << soft);
        const FieldSource slope =
            with(with(makeSource("slope"), "range", Range{double(from), double(to)}), "soft", double(soft));
        std::vector<float> out(n.size());
        CompiledField(Field{{slope}}, {}).evaluate(Samples(n).with(channel::normal, n), out);
        for (size_t i = 0; i < n.size(); ++i) {
            const float angle = std::acos(std::clamp(n[i].y, -1.0f, 1.0f));
            REQUIRE(out[i] == passed(angle, from, to, radians(soft)));
        }
    }
}

TEST_CASE("what several fields have alike is compiled once", "[field][samples]") {
    SharedSources shared;
    const FieldSource noise = makeSource("noise");
    FieldSource shaped = noise;
    shaped.remap.points = {{0, 0}, {0.5f, 1}, {1, 0}};
    shaped.invert = true;
    shaped.strength.value = 0.3;
    CHECK(shared.compile(noise, {}) == 0);
    CHECK(shared.compile(shaped, {}) == 0);  // what follows is each field's own
    CHECK(shared.compile(with(noise, "seed", int64_t(5)), {}) == 1);
    CHECK(shared.compile(makeSource("slope"), {}) == 2);
    CHECK(shared.all().size() == 3);
    // At one place, fields of one set of parameters and those of another do not mix.
    const std::vector<V3f> p{{0.3f, 0.7f, 0.1f}};
    const Samples s(p);
    SharedSources other;
    const auto field = [](SharedSources& of, int64_t seed) {
        return Varying{0, 1,
                       std::make_shared<const CompiledField>(Field{{with(makeSource("noise"), "seed", seed)}},
                                                             FieldContext(), of)};
    };
    const Varying a = field(shared, 11), b = field(other, 12), c = field(shared, 13);
    FieldsAt at(s);
    FieldsOver over(s);
    for (int k = 0; k < 2; ++k)
        for (const Varying& v : {a, b, c}) {
            CHECK(at.of(v) == v.over(s)[0]);
            CHECK(FieldsAt(over, 0).of(v) == v.over(s)[0]);
        }
    // More sources than are kept.
    SharedSources many;
    std::vector<Varying> all;
    for (int64_t k = 0; k < 80; ++k) all.push_back(field(many, k));
    FieldsAt crowded(s);
    for (int k = 0; k < 2; ++k)
        for (const Varying& v : all) CHECK(crowded.of(v) == v.over(s)[0]);
}
