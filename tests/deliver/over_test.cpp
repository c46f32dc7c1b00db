// Materials that lie over others.
#include "deliver/studio.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// A ball in even light that wears one of two materials, with the other over it.
struct Dressed : Studio {
    std::string lower = add("surface"), upper = add("surface");
    Dressed() {
        set(add("dome") + "/exposure", "0");
        set(ball + "/radius", "1");
        set(lower + "/base_color", "0.8,0.2,0.1");
        set(upper + "/base_color", "0.1,0.3,0.7");
        for (const std::string& m : {lower, upper}) set(m + "/specular_weight", "0");
        wear(lower);
    }
    V3f seen() { return meanOf(render(16, 16), 7, 9, 7, 9); }
    std::vector<std::string> problems() {
        RenderSceneBuilder builder(evaluator);
        return builder.build(document, {}, Progress::none()).problems;
    }
};

}  // namespace

TEST_CASE("a material over another covers it by its coverage", "[translate][over]") {
    Dressed s;
    const V3f bare = s.seen();
    s.set(s.lower + "/over", s.upper);
    const V3f covered = s.seen();
    CHECK(bare.x > 2 * bare.z);
    CHECK(covered.z > 2 * covered.x);
    s.set(s.lower + "/over_weight", "0");
    const V3f none = s.seen();
    for (int k = 0; k < 3; ++k) CHECK(none[k] == bare[k]);  // to the bit: it costs nothing, too
    s.set(s.lower + "/over_weight", "0.5");
    const V3f half = s.seen();
    for (int k = 0; k < 3; ++k) CHECK(half[k] == Approx(0.5f * (bare[k] + covered[k])).epsilon(0.03));
    // By a field: the upper half of the ball is covered.
    FieldSource above = makeSource("formula");
    above.params["formula"].value = std::string("y > 0");
    s.set(s.lower + "/over_weight", "1");
    s.document = withField(s.document, {s.lower, "", "over_weight"}, std::make_shared<Field>(Field{{above}}));
    const Film film = s.render(16, 16);
    const V3f top = meanOf(film, 7, 9, 6, 7), bottom = meanOf(film, 7, 9, 9, 10);
    CHECK(top.z > 2 * top.x);
    CHECK(bottom.x > 2 * bottom.z);
}

TEST_CASE("what lies over may glow, cut out, be metal or clear, and have another over it",
          "[translate][over]") {
    Dressed s;
    s.set(s.lower + "/over", s.upper);
    const V3f plain = s.seen();
    s.set(s.upper + "/emission_luminance", "1790");
    CHECK(s.seen().x == Approx(plain.x + 10).epsilon(0.02));
    s.set(s.upper + "/emission_luminance", "0");
    s.set(s.upper + "/geometry_opacity", "0");
    CHECK(s.seen().x == Approx(1.0f).epsilon(0.02));  // the even sky behind
    s.set(s.upper + "/geometry_opacity", "1");
    s.set(s.upper + "/transmission_weight", "1");
    s.set(s.upper + "/specular_ior", "1");
    CHECK(s.seen().x == Approx(1.0f).epsilon(0.03));
    s.set(s.upper + "/transmission_weight", "0");
    const std::string third = s.add("surface");
    s.set(third + "/base_color", "0,1,0");
    s.set(s.upper + "/over", third);
    CHECK(s.seen().y > 5 * s.seen().x);
}

TEST_CASE("materials that lie over themselves are named, and lie over nothing",
          "[translate][over][damaged]") {
    Dressed s;
    CHECK(s.problems().empty());
    s.set(s.lower + "/over", s.lower);
    REQUIRE(s.problems().size() == 1);
    CHECK(s.problems()[0].find("lies over itself") != std::string::npos);
    s.set(s.lower + "/over", s.upper);
    s.set(s.upper + "/over", s.lower);
    REQUIRE(s.problems().size() == 1);
    CHECK(s.problems()[0].find(s.document.get(s.upper).name) != std::string::npos);
    const std::string hair = s.add("fibre");
    s.set(s.upper + "/over", "");
    s.set(s.lower + "/over", hair);
    REQUIRE(s.problems().size() == 1);
    CHECK(s.problems()[0].find("strands") != std::string::npos);
    // As many as there may be, and more.
    std::string last = s.lower;
    for (int i = 0; i < 40; ++i) {
        const std::string next = s.add("surface");
        s.set(last + "/over", next);
        last = next;
    }
    REQUIRE(s.problems().size() == 1);
    CHECK(s.problems()[0].find("more than 16") != std::string::npos);
}
