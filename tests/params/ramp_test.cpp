// Ramps: colours between stops, in files, and what fields make of them.
#include "params/ramp.h"

#include "params/oklab.h"
#include "params/sunset.h"

using namespace ovrix::document;
using namespace ovrix::tests;

namespace {

const Color kLow(0.0f), kHigh(1.0f, 0.5f, 0.25f);

Ramp redAtQuarter(Ramp::Kind kind = Ramp::Kind::Linear) {
    return {.stops = {{0.25f, Color(1, 0, 0)}, {0.75f, Color(0, 0, 1)}}, .kind = kind};
}

}  // namespace

TEST_CASE("a ramp without stops goes from end to end", "[ramp]") {
    const Ramp none;
    for (const float t : {0.0f, 0.3f, 1.0f}) CHECK((none.at(kLow, kHigh, t) - kHigh * t).length() < 1e-6f);
    CHECK(none.at(kLow, kHigh, -3) == kLow);
    CHECK(none.at(kLow, kHigh, 7) == kHigh);
    CHECK(none.at(kLow, kHigh, NAN) == kLow);
}

TEST_CASE("stops are met, and colours between them go straight, softly or in steps", "[ramp]") {
    const auto at = [](Ramp::Kind kind, float t) { return redAtQuarter(kind).at(kLow, kHigh, t); };
    using Kind = Ramp::Kind;
    for (const Kind kind : {Kind::Linear, Kind::Smooth}) {
        CHECK(at(kind, 0.25f) == Color(1, 0, 0));
        CHECK(at(kind, 0.75f) == Color(0, 0, 1));
        CHECK((at(kind, 0.5f) - Color(0.5f, 0, 0.5f)).length() < 1e-6f);
        CHECK(at(kind, 1) == kHigh);
    }
    CHECK(at(Kind::Linear, 0.375f).x == Approx(0.75f));
    CHECK(at(Kind::Smooth, 0.375f).x == Approx(1 - 0.15625f));  // 3/16 - 2/64
    CHECK(at(Kind::Steps, 0.2499f) == kLow);
    CHECK(at(Kind::Steps, 0.25f) == Color(1, 0, 0));
    CHECK(at(Kind::Steps, 0.7f) == Color(1, 0, 0));
    CHECK(at(Kind::Steps, 0.99f) == Color(0, 0, 1));
    CHECK(at(Kind::Steps, 1) == kHigh);
}

TEST_CASE("as the eye sees it, what lies between is of even lightness", "[ramp]") {
    for (const V3f& c : {V3f(0.2f, 0.5f, 0.9f), V3f(0, 0, 0), V3f(1, 1, 1), V3f(3, 0.01f, 0)})
        CHECK((fromOklab(toOklab(c)) - c).length() < 1e-4f * std::max(1.0f, c.length()));
    CHECK(toOklab(V3f(1.0f)).x == Approx(1).margin(1e-4));
    Ramp even;
    even.perceptual = true;
    const Color middle = even.at(Color(0.0f), Color(1.0f), 0.5f);
    CHECK(middle.x == Approx(0.125f).epsilon(0.01));  // half as light to the eye is an eighth of the light
    const Color blueToYellow = even.at(Color(0, 0, 1), Color(1, 1, 0), 0.5f);
    const float lightness = toOklab(V3f(blueToYellow)).x;
    CHECK(lightness == Approx(0.5f * (toOklab(V3f(0, 0, 1)).x + toOklab(V3f(1, 1, 0)).x)).epsilon(0.01));
    for (int k = 0; k < 3; ++k) CHECK(blueToYellow[k] >= 0);
}

TEST_CASE("a ramp is made tidy: in order, within, of numbers, not endless", "[ramp][damaged]") {
    Ramp r{.stops = {{0.9f, Color(1.0f)}, {NAN, Color(1.0f)}, {-2, Color(0.5f)}, {0.1f, Color(NAN, 0, 0)}}};
    r.tidy();
    REQUIRE(r.stops.size() == 2);
    CHECK(r.stops[0].at == 0);
    CHECK(r.stops[1].at == 0.9f);
    r.stops.assign(100000, RampStop());
    r.tidy();
    CHECK(r.stops.size() == 256);
}

TEST_CASE("fields walk through ramps, one at a time and many, and files keep them", "[ramp][scene-file]") {
    const Sunset s;
    Param p = s.byHeight(kLow, kHigh);
    p.ramp = std::make_shared<Ramp>(redAtQuarter());
    const Document d = withParam(s.document, s.path, p);
    const Document again = readScene(writeScene(d), "again");
    CHECK(again == d);
    CHECK(*paramAt(again, s.path).ramp == redAtQuarter());
    CHECK(writeScene(again) == writeScene(d));

    const ResolvedParams resolved(kSunset.specs(), again.get(s.path.node).params, FieldContext());
    const VaryingColor base = resolved[kSunset.color];
    const Heights many(200);
    const std::vector<Color> all = base.over(many.samples);
    for (size_t i = 0; i < 200; ++i) {
        const Color wanted = redAtQuarter().at(kLow, kHigh, many.places[i].y);
        CHECK((all[i] - wanted).length() < 1e-5f);
        const Samples one = many.samples.sub(i, 1);
        CHECK((FieldsAt(one).of(base) - wanted).length() < 1e-5f);
    }
}

TEST_CASE("a ramp in a file that is none is refused with its place", "[ramp][damaged]") {
    const Sunset s;
    Param p = s.byHeight(kLow, kHigh);
    p.ramp = std::make_shared<Ramp>(redAtQuarter());
    for (const char* bad : {"3", "[[]]", "[[0.1, 5]]", "[[null, [0, 0, 0]]]"}) {
        INFO(bad);
        CHECK_THROWS_AS(readScene(Sunset::damaged(s.fileWith(p), "stops", bad), "bad"), Error);
    }
}

TEST_CASE("blends of sources: screen, overlay, subtract, difference", "[field][ramp]") {
    const auto blended = [](Blend blend, float above, float x) {
        FieldSource a = makeSource("constant"), b = makeSource("constant");
        a.params["value"].value = double(above), b.params["value"].value = double(x);
        a.blend = Blend::Replace, b.blend = blend;
        const CompiledField field(Field{{a, b}}, FieldContext());
        float out = 0;
        const V3f place(0.0f);
        Samples one(1);
        one.with(channel::position, {&place, 1});
        field.evaluate(one, {&out, 1});
        return out;
    };
    CHECK(blended(Blend::Screen, 0.5f, 0.5f) == Approx(0.75f));
    CHECK(blended(Blend::Overlay, 0.25f, 0.5f) == Approx(0.25f));
    CHECK(blended(Blend::Overlay, 0.75f, 0.75f) == Approx(0.875f));
    CHECK(blended(Blend::Subtract, 0.75f, 0.5f) == Approx(0.25f));
    CHECK(blended(Blend::Difference, 0.25f, 0.75f) == Approx(0.5f));
    for (const Blend b : {Blend::Subtract, Blend::Screen, Blend::Overlay, Blend::Difference})
        CHECK(blendFromName(blendName(b)) == b);
}
