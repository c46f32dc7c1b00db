// Inputs that are copied.
#include "document/edits/paste.h"

#include "base/error.h"
#include "document/edits/edits.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

TEST_CASE("an input that is pasted keeps what the other may have", "[documents][paste]") {
    Document d = Document::fresh();
    const Node rock = makeNode(d, "surface"), ink = makeNode(d, "line_art", "Ink");
    d.put(rock), d.put(ink);
    const auto spec = [&](const std::string& path) { return specAt(d, ParamPath::parse(d, path)); };
    Param driven = paramAt(d, {rock.id, "", "base_color"});
    driven.field = std::make_shared<Field>(Field{{makeSource("noise")}});
    driven.low = Color(0.1f), driven.value = Color(0.9f);
    driven.ramp = std::make_shared<Ramp>(Ramp{.stops = {{0.5f, Color(1, 0, 0)}}});
    const Param into = pasted(driven, spec(rock.id + "/base_color"), spec(ink.id + "/light_color"));
    CHECK(into == driven);
    // A light's colour takes no field: the colour alone.
    const Param plain = pasted(driven, spec(rock.id + "/base_color"), spec("sun/color"));
    CHECK_FALSE(plain.field);
    CHECK_FALSE(plain.ramp);
    CHECK(std::get<Color>(plain.value) == Color(0.9f));
    // Within its limits, keys too.
    Param number = paramAt(d, {"camera", "", "focal"});
    number.value = 300.0;
    number.keys = {{1, 300.0, KeyEase::Linear}, {5, 0.5, KeyEase::Linear}};
    const Param rough = pasted(number, spec("camera/focal"), spec(rock.id + "/specular_roughness"));
    CHECK(std::get<double>(rough.value) == 1.0);
    CHECK(std::get<double>(rough.keys[0].value) == 1.0);
    CHECK(std::get<double>(rough.keys[1].value) == 0.5);
    CHECK_THROWS_AS(pasted(number, spec("camera/focal"), spec("sun/color")), Error);
    CHECK_THROWS_AS(
        pasted(paramAt(d, {"finish", "", "response"}), spec("finish/response"), spec("render/filter")),
        Error);
    CHECK_THROWS_AS(
        pasted(paramAt(d, {"render", "", "camera"}), spec("render/camera"), spec(rock.id + "/over")), Error);
}
