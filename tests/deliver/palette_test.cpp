// Main colours of pictures.
#include "params/palette.h"

#include "base/error.h"
#include "base/files.h"
#include "deliver/shutter.h"
#include "document/edits/edits.h"
#include "document/edits/mirror.h"
#include "document/library/palette_edit.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;
using namespace ovrix::params;

namespace {

/// A picture of bands of one colour each.
Image bands(const std::vector<std::pair<Color, int>>& all, int width = 20) {
    Image image;
    image.width = width;
    for (const auto& [color, rows] : all)
        for (int i = 0; i < rows * width; ++i) {
            for (int k = 0; k < 3; ++k) image.pixels.push_back(color[k]);
            image.pixels.push_back(1.0f);
        }
    for (const auto& band : all) image.height += band.second;
    return image;
}

}  // namespace

TEST_CASE("the colours of bands are found, with their shares", "[palette]") {
    const Color red(0.6f, 0.05f, 0.05f), sea(0.05f, 0.3f, 0.35f), sand(0.7f, 0.55f, 0.35f);
    const Image image = bands({{red, 10}, {sea, 60}, {sand, 30}});
    const Palette p = paletteOf(image, 3);
    REQUIRE(p.size() == 3);
    const Color expected[] = {sea, sand, red};
    const float shares[] = {0.6f, 0.3f, 0.1f};
    for (size_t k = 0; k < 3; ++k) {
        for (int c = 0; c < 3; ++c) CHECK(p[k].color[c] == Approx(expected[k][c]).margin(2e-3));
        CHECK(p[k].share == Approx(shares[k]).margin(1e-4));
    }
    CHECK(paletteOf(image, 3) == p);
    CHECK(paletteOf(image, 9).size() == 3);  // there are no more
    CHECK(paletteOf(image, 1).size() == 1);
    CHECK(paletteOf(image, 0).size() == 1);
}

TEST_CASE("what is seen through counts less, and nothing gives none", "[palette]") {
    Image image = bands({{Color(1, 0, 0), 1}, {Color(0, 0, 1), 1}});
    for (size_t i = 0; i < image.pixels.size() / 2; i += 4) image.pixels[i + 3] = 0.0f;
    const Palette p = paletteOf(image, 4);
    REQUIRE(p.size() == 1);
    CHECK(p[0].color.z > 0.9f);
    CHECK(p[0].share == 1.0f);
    for (size_t i = 0; i < image.pixels.size(); i += 4) image.pixels[i + 3] = 0.0f;
    CHECK(paletteOf(image, 4).empty());
    CHECK(paletteOf(Image(), 4).empty());
    Image odd = bands({{Color(0.2f), 4}});
    odd.pixels[0] = std::numeric_limits<float>::quiet_NaN();
    odd.pixels[4] = std::numeric_limits<float>::infinity();
    CHECK(paletteOf(odd, 4).size() == 1);
}

TEST_CASE("a palette as a ramp gives each colour by its share", "[palette]") {
    const Palette p{{Color(1, 0, 0), 0.5f}, {Color(0, 1, 0), 0.3f}, {Color(0, 0, 1), 0.2f}};
    Color low, high;
    const Ramp ramp = stepsOf(p, low, high);
    std::array<int, 3> counts{};
    for (int i = 0; i < 1000; ++i) {
        const Color c = ramp.at(low, high, (float(i) + 0.5f) / 1000.0f);
        ++counts[c.x > 0.5f ? 0 : c.y > 0.5f ? 1 : 2];
    }
    CHECK(counts == std::array<int, 3>{500, 300, 200});
    const Ramp one = stepsOf({{Color(0.3f), 1.0f}}, low, high);
    CHECK(one.at(low, high, 0.7f) == Color(0.3f));
}

TEST_CASE("a palette is spread over what many wear", "[palette][documents]") {
    const Palette p{{Color(1, 0, 0), 0.5f}, {Color(0, 0, 1), 0.5f}};
    Document d = Document::fresh();
    const auto add = [&](const char* type) {
        const Node n = makeNode(d, type);
        d.put(n);
        return n.id;
    };
    const std::string ball = add("sphere"), hair = add("fibre"), ink = add("line_art"), layer = add("layer");
    const Document bare = withPaletteSpread(d, ball, p);  // wears nothing: a material is made
    const std::string made = std::get<std::string>(bare.value(ball, "material"));
    const Param color = paramAt(bare, {made, "", "base_color"});
    REQUIRE(color.field);
    CHECK(color.field->sources[0].type == "random");
    REQUIRE(color.ramp);
    CHECK(color.ramp->kind == Ramp::Kind::Steps);
    CHECK(std::get<Color>(color.low) == Color(1, 0, 0));
    const Document furry = withPaletteSpread(withText(d, layer + "/material", hair), layer, p);
    CHECK(std::get<std::string>(furry.value(hair, "coloured")) == "colour");  // or the colour would not count
    CHECK(paramAt(furry, {hair, "", "base"}).ramp);
    CHECK(paramAt(withPaletteSpread(d, ink, p), {ink, "", "light_color"}).ramp);
    CHECK_THROWS_AS(withPaletteSpread(d, "sun", p), Error);
    CHECK_THROWS_AS(withPaletteSpread(d, ball, {}), Error);
}

TEST_CASE("palettes are kept in files, and bad ones refused", "[palette][damaged]") {
    TemporaryFolder folder;
    const NamedPalette p{"Tide", {{Color(0.1f, 0.2f, 0.3f), 0.75f}, {Color(0.5f), 0.25f}}};
    savePalette(p, folder / "tide.palette");
    const NamedPalette read = loadPalette(folder / "tide.palette");
    CHECK(read.name == "Tide");
    CHECK(read.colors == p.colors);
    for (const char* text :
         {"", "{}", "[1]", R"({"format":"ovrix-palette"})", R"({"format":"ovrix-palette","colors":[[1,2]]})",
          R"({"format":"ovrix-palette","colors":[["a",0,0,1]]})",
          R"({"format":"ovrix-palette","colors":[[1e99,0,0,1]]})",
          R"({"format":"ovrix-palette","colors":[[-1,0,0,1]]})"}) {
        writeFile(folder / "bad.palette", text);
        CHECK_THROWS_AS(loadPalette(folder / "bad.palette"), Error);
    }
}

TEST_CASE("a mirrored thing stands and looks the other way, with its keys", "[documents]") {
    Document d = Document::fresh();
    const Node n = makeNode(d, "area", "Lamp");
    d.put(n);
    for (const auto& [param, text] :
         {std::pair{"position", "1,2,3"}, {"rotation", "20,40,-70"}, {"scale", "1,2,0.5"}})
        d = withText(d, n.id + "/" + param, text);
    for (int axis = 0; axis < 3; ++axis) {
        std::string made;
        const Document m = withMirrored(d, n.id, axis, &made);
        const M44f a = d.worldMatrix(n.id, 1), b = m.worldMatrix(made, 1);
        for (const V3f& p : {V3f(0.0f), V3f(1, 0, 0), V3f(0.2f, -1, 0.7f)}) {
            V3f expected = p * a;
            expected[axis] = -expected[axis];
            // The thing itself is mirrored, too: the same place of it is on the other side.
            CHECK((p * b - expected).length() < 1e-5f);
        }
    }
    Param moving = paramAt(d, {n.id, "", "position"});
    moving.keys = {{1, V3d(1, 0, 0), KeyEase::Free, {}, {2, {0.5, 0, 0}}},
                   {9, V3d(3, 0, 0), KeyEase::Linear}};
    d = withParam(d, {n.id, "", "position"}, moving);
    std::string made;
    const Document m = withMirrored(d, n.id, 0, &made);
    const Param turned = paramAt(m, {made, "", "position"});
    CHECK(std::get<V3d>(turned.keys[1].value) == V3d(-3, 0, 0));
    CHECK(turned.keys[0].after.by[0] == -0.5);
    Document camera = withMirrored(d, "camera", 2, &made);
    CHECK(std::get<V3d>(camera.value(made, "position")).z == -std::get<V3d>(d.value("camera", "position")).z);
    CHECK_THROWS_AS(withMirrored(d, "sun", 0), Error);
    CHECK_THROWS_AS(withMirrored(d, "render", 0), Error);
    moving.formulas[0] = "frame";
    d = withParam(d, {n.id, "", "position"}, moving);
    CHECK_THROWS_AS(withMirrored(d, n.id, 0), Error);
}

TEST_CASE("a shutter's curve says when light comes", "[render][motion]") {
    const auto curve = [](std::vector<V2f> points) {
        Curve c;
        c.points = std::move(points), c.smooth = false;
        return c;
    };
    CHECK(shutterPlaces(curve({{0, 1}, {1, 1}})).empty());
    CHECK(shutterPlaces(curve({{0, 0}, {1, 0}})).empty());  // which would let nothing through
    const std::vector<float> rising = shutterPlaces(curve({{0, 0}, {1, 1}}));
    REQUIRE(rising.size() == 65);
    CHECK(rising.front() == Approx(0.0f).margin(0.01));
    CHECK(rising.back() == Approx(1.0f).margin(0.01));
    CHECK(rising[16] == Approx(0.5f).margin(0.01));  // a quarter of the light by half of the time
    const std::vector<float> late = shutterPlaces(curve({{0, 0}, {0.5f, 0}, {0.5001f, 1}, {1, 1}}));
    CHECK(late[1] > 0.49f);
    CHECK(late[32] == Approx(0.75f).margin(0.01));
}
