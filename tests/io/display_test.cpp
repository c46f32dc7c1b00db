// Screens and colour configurations, against values worked by hand.
#include "base/error.h"
#include "base/files.h"
#include "base/srgb.h"
#include "io/image/color_config.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// A configuration with a display that halves the light, and one that turns red to blue.
constexpr const char* kConfig = R"(ocio_profile_version: 2
roles:
  default: lin_rec709
  scene_linear: lin_rec709
displays:
  Bench:
    - !<View> {name: Half, colorspace: half}
    - !<View> {name: Turned, colorspace: turned}
colorspaces:
  - !<ColorSpace>
    name: lin_rec709
  - !<ColorSpace>
    name: half
    from_scene_reference: !<MatrixTransform> {matrix: [0.5, 0, 0, 0, 0, 0.5, 0, 0, 0, 0, 0.5, 0, 0, 0, 0, 1]}
  - !<ColorSpace>
    name: turned
    from_scene_reference: !<MatrixTransform> {matrix: [0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 0, 0, 0, 0, 1]}
)";

V3f through(const std::shared_ptr<const DisplayTransform>& display, const V3f& light) {
    std::vector<V3f> one{light};
    display->apply(one);
    return one[0];
}

}  // namespace

TEST_CASE("screens have the numbers that their standards say", "[display]") {
    CHECK_FALSE(screenTransform("sRGB"));
    const auto p3 = screenTransform("Display P3");
    CHECK((through(p3, V3f(1.0f)) - V3f(1.0f)).length() < 1e-4f);
    CHECK((through(p3, V3f(0.18f)) - V3f(encodeSrgb(0.18f))).length() < 1e-4f);
    // The red of Rec.709 as P3 has it: 0.8225, 0.0332, 0.0171 of its primaries.
    const V3f red = through(p3, V3f(1, 0, 0));
    CHECK(red.x == Approx(encodeSrgb(0.8224621f)).epsilon(1e-4));
    CHECK(red.y == Approx(encodeSrgb(0.0331942f)).epsilon(1e-3));
    CHECK(red.z == Approx(encodeSrgb(0.0170826f)).epsilon(1e-3));
    CHECK_THROWS_AS(screenTransform("a lamp"), Error);
}

TEST_CASE("a colour configuration gives its views, and says what it has not", "[display]") {
    const TemporaryFolder folder;
    writeFile(folder / "own.ocio", kConfig);
    const auto config = ColorConfig::open(folder / "own.ocio");
    CHECK(config->displays() == std::vector<std::string>{"Bench"});
    CHECK(config->views("Bench") == std::vector<std::string>{"Half", "Turned"});
    CHECK((through(config->view("", ""), V3f(0.4f, 0.2f, 3.0f)) - V3f(0.2f, 0.1f, 1.5f)).length() < 1e-5f);
    CHECK((through(config->view("Bench", "Turned"), V3f(0.4f, 0.2f, 3)) - V3f(3, 0.2f, 0.4f)).length() <
          1e-5f);
    try {
        config->view("Bench", "Sepia");
        FAIL("there is none");
    } catch (const Error& e) {
        CHECK(e.remedy().find("Turned") != std::string::npos);
    }
    CHECK_THROWS_AS(config->view("Cinema", ""), Error);
    for (const char* bad : {"", "no: configuration", "ocio_profile_version: 99\n", "\x80\x01\x02"}) {
        writeFile(folder / "bad.ocio", bad);
        try {
            ColorConfig::open(folder / "bad.ocio");
            FAIL("it is none: " << bad);
        } catch (const Error& e) {
            CHECK(e.where().find("bad.ocio") != std::string::npos);
        }
    }
    CHECK_THROWS_AS(ColorConfig::open(folder / "missing.ocio"), Error);
}

TEST_CASE("a configuration without our space is met in the one that all share", "[display]") {
    const TemporaryFolder folder;
    writeFile(folder / "wide.ocio", R"(ocio_profile_version: 2
roles:
  default: wide
  scene_linear: wide
  aces_interchange: wide
displays:
  Bench:
    - !<View> {name: As it is, colorspace: wide}
colorspaces:
  - !<ColorSpace>
    name: wide
)");
    const auto view = ColorConfig::open(folder / "wide.ocio")->view("", "");
    CHECK((through(view, V3f(1.0f)) - V3f(1.0f)).length() < 1e-5f);  // white stays white
    // The red of Rec.709 by the chromaticities of both, with Bradford's adaptation between their whites.
    CHECK((through(view, V3f(1, 0, 0)) - V3f(0.43963f, 0.08978f, 0.01754f)).length() < 1e-4f);
}

TEST_CASE("film responses keep middle grey, rise, and whiten what is bright", "[display][finish]") {
    for (const FilmResponse& r : {kSoft, kPunchy, FilmResponse{}}) {
        const FinishOptions o{0, r};
        CHECK(finished(V3f(0.18f), o).x == Approx(0.18f).epsilon(1e-4));
        float last = -1;
        for (float x = 0; x < 20; x += 0.02f) {
            const float y = finished(V3f(x), o).x;
            CHECK(y >= last);
            CHECK(y <= 1.0f);
            last = y;
        }
        CHECK(finished(V3f(-1, 0, 0), o) == V3f(0.0f));
    }
    const V3f soft = finished(V3f(8, 0.2f, 0.2f), {0, kSoft}), hard = finished(V3f(8, 0.2f, 0.2f), {0, {}});
    CHECK(soft.y > 2 * hard.y);
    CHECK(finished(V3f(0.05f), {0, kPunchy}).x < 0.04f);
    CHECK(finished(V3f(4.0f), {.exposure = 1, .asItIs = true}).x == 8.0f);
    // A screen's bytes and a file's numbers are the same.
    std::vector<V3f> light{V3f(0.1f, 0.5f, 3.0f)};
    std::vector<uint32_t> screen;
    for (const auto& display : {screenTransform("sRGB"), screenTransform("Display P3")}) {
        const FinishOptions o{0, kPunchy, display};
        toScreen(light, o, screen);
        std::vector<V3f> numbers = light;
        toDisplay(numbers, o);
        for (int k = 0; k < 3; ++k)
            CHECK(std::abs(float(screen[0] >> (16 - 8 * k) & 255) - 255.0f * numbers[0][k]) < 1.01f);
    }
}
