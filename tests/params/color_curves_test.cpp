// Colours changed by their hue, saturation and value: in exact numbers, in files, and by fields.
#include "params/color_curves.h"

#include "base/hash.h"
#include "base/srgb.h"
#include "document/edits/paste.h"
#include "params/sunset.h"

using namespace ovrix::document;
using namespace ovrix::tests;

namespace {

Curve levelAt(float y) { return {{{0.0f, y}, {1.0f, y}}, false}; }

void checkNear(const Color& a, const Color& b) {
    CHECK((a - b).length() < 2e-5f * std::max(1.0f, b.length()));
}

ColorCurves hueTurned(float wheel) {
    ColorCurves c;
    c.hue = levelAt(0.5f + wheel);
    return c;
}

}  // namespace

TEST_CASE("curves that are straight change no colour", "[color-curves]") {
    const ColorCurves none;
    CHECK(none.isIdentity());
    for (const Color& c : {Color(0.0f), Color(1.0f), Color(0.2f, 0.5f, 0.9f), Color(0.9f, 0.1f, 0.1f),
                           Color(0.001f, 0.4f, 0.39f), Color(7.0f, 0.0f, 3.0f)})
        checkNear(none.at(c), c);
    checkNear(none.at(Color(-1.0f, 0.5f, 0.0f)), Color(0.0f, 0.5f, 0.0f));
    CHECK(std::isnan(none.at(Color(NAN, 0.5f, 0.0f)).x));
}

TEST_CASE("hues turn by what their place of the curve says", "[color-curves]") {
    const float third = 1.0f / 3.0f;
    checkNear(hueTurned(third).at(Color(1, 0, 0)), Color(0, 1, 0));
    checkNear(hueTurned(third).at(Color(0, 0, 1)), Color(1, 0, 0));
    checkNear(hueTurned(-third).at(Color(1, 0, 0)), Color(0, 0, 1));
    checkNear(hueTurned(0.5f).at(Color(1, 0, 0)), Color(0, 1, 1));
    checkNear(hueTurned(-0.5f).at(Color(4, 4, 0)), Color(0, 0, 4));
    checkNear(hueTurned(0.2f).at(Color(0.3f)), Color(0.3f));  // grey has none
    // Greens alone.
    ColorCurves c;
    c.hue = {{{0.25f, 0.5f}, {third, 0.5f + third}, {0.4f, 0.5f}}, false};
    checkNear(c.at(Color(0, 1, 0)), Color(0, 0, 1));
    checkNear(c.at(Color(1, 0, 0)), Color(1, 0, 0));
    checkNear(c.at(Color(0, 0, 1)), Color(0, 0, 1));
    CHECK(!c.isIdentity());
}

TEST_CASE("saturation and value go by their curves, and what is brighter than white stays so",
          "[color-curves]") {
    ColorCurves grey;
    grey.saturation = levelAt(0);
    checkNear(grey.at(Color(0.2f, 0.7f, 0.1f)), Color(0.7f));
    ColorCurves half;
    half.value.points = {{0, 0}, {1, 0.5f}};
    for (const float light : {0.03f, 0.4f, 1.0f, 9.0f})
        CHECK(half.at(Color(light, 0, 0)).x == Approx(decodeSrgb(0.5f * encodeSrgb(light))).epsilon(1e-4));
    ColorCurves pure;
    pure.saturation = levelAt(1);
    const Color c = pure.at(Color(0.5f, 0.4f, 0.3f));
    CHECK(c.x == Approx(0.5f).epsilon(1e-4));
    CHECK(c.z == 0.0f);
    checkNear(pure.at(Color(0.4f)), Color(0.4f, 0, 0));  // grey becomes the wheel's first
}

TEST_CASE("fields give curved colours, one at a time and many, and files keep them",
          "[color-curves][scene-file]") {
    const Sunset s;
    for (const bool ramp : {false, true}) {
        Param p = s.byHeight(Color(0.1f, 0.2f, 0.3f), Color(0.9f, 0.5f, 0.1f));
        if (ramp) p.ramp = std::make_shared<Ramp>(Ramp{.stops = {{0.5f, Color(0, 1, 0)}}});
        const Param bare = p;
        ColorCurves curves = hueTurned(0.25f);
        curves.value.points = {{0, 0.1f}, {0.6f, 0.8f}, {1, 1}};
        p.curves = std::make_shared<ColorCurves>(curves);
        CHECK(!(p == bare));
        const Document d = withParam(s.document, s.path, p);
        const Document again = readScene(writeScene(d), "again");
        CHECK(again == d);
        CHECK(*paramAt(again, s.path).curves == curves);
        const auto hashOf = [&](const Param& param) {
            Hasher h;
            addParamsToHash(h, kSunset.specs(), {{"base_color", param}}, 1, {});
            return h.value();
        };
        CHECK(hashOf(p) != hashOf(bare));

        const ResolvedParams plain(kSunset.specs(), {{"base_color", bare}}, FieldContext()),
            curved(kSunset.specs(), again.get(s.path.node).params, FieldContext());
        const Heights many(100);
        const std::vector<Color> before = plain[kSunset.color].over(many.samples),
                                 after = curved[kSunset.color].over(many.samples);
        for (size_t i = 0; i < 100; ++i) {
            checkNear(after[i], curves.at(before[i]));
            const Samples one = many.samples.sub(i, 1);
            checkNear(FieldsAt(one).of(curved[kSunset.color]), curves.at(before[i]));
        }
        const ParamSpec fixed = specs::color("c", "C", Color(0.0f), false, "");
        CHECK(!pasted(p, kSunset.specs()[0], fixed).curves);
    }
}

TEST_CASE("curves in a file that are none are refused with their place", "[color-curves][damaged]") {
    const Sunset s;
    Param p = s.byHeight(Color(0.0f), Color(1.0f));
    p.curves = std::make_shared<ColorCurves>(hueTurned(0.1f));
    const std::string file = s.fileWith(p);
    for (const char* bad : {"3", "[]", "{\"hue\": 5}", "{\"value\": {\"points\": [[0]]}}"}) {
        INFO(bad);
        CHECK_THROWS_AS(readScene(Sunset::damaged(file, "curves", bad), "bad"), Error);
    }
    // Without all three, the others are straight.
    CHECK(paramAt(readScene(Sunset::damaged(file, "curves", "{}"), "some"), s.path).curves->isIdentity());
}
