// Images in tiles, and how long images are kept.
#include "base/error.h"
#include "base/file_sequence.h"
#include "base/image.h"
#include "document/edits/edits.h"
#include "eval/evaluator.h"
#include "field/field.h"
#include "io/image/image_io.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// A folder of small pictures, each of one colour.
struct Pictures : ImageSource {
    TemporaryFolder folder;
    ImageCache cache;
    void write(const std::string& name, const Color& color, int size = 4) {
        ovrix::io::Picture picture{size, size, {}};
        for (int k = 0; k < 3; ++k)
            picture.channels.push_back(
                {std::string(1, "RGB"[k]), std::vector<float>(size_t(size) * size_t(size), color[k])});
        writeImage(folder / name, picture, defaultWriteOptions(folder / name));
    }
    std::shared_ptr<const Image> image(const std::string& path, const std::string& space) override {
        return cache.image(folder / path, space);
    }
    std::map<int, std::shared_ptr<const Texture>> tiles(const std::string& path,
                                                        const std::string& space) override {
        return cache.tiles(folder / path, space, Progress::none());
    }
    CompiledField field(const std::string& file, const std::string& projection = "uv",
                        const std::string& channel = "brightness") {
        FieldSource s = makeSource("image");
        s.params["file"].value = file;
        s.params["projection"].value = projection;
        s.params["channel"].value = channel;
        FieldContext context;
        context.images = this;
        return {Field{{s}}, context};
    }
    Color at(const CompiledField& f, const V2f& uv) {
        Samples one(1);
        const V3f place(0.0f);
        one.with(channel::position, {&place, 1}).with(channel::uv, {&uv, 1});
        V3f out;
        f.evaluateColor(one, {&out, 1});
        return Color(out);
    }
    Pictures() {
        write("rock.1001.png", Color(1, 0, 0));
        write("rock.1002.png", Color(0, 1, 0));
        write("rock.1011.png", Color(0, 0, 1));
        write("rock.0999.png", Color(1.0f));  // none of its tiles
        write("rock.tmp.png", Color(1.0f));
    }
};

const Color kMissing(1, 0, 1);

}  // namespace

TEST_CASE("tiles are found by their names", "[tiles]") {
    Pictures p;
    CHECK(isTiled("maps/rock.<UDIM>.png"));
    CHECK(!isTiled("maps.<UDIM>/rock.1001.png"));
    CHECK(!isTiled("rock.####.png"));
    const auto tiles = tilesOf(p.folder / "rock.<UDIM>.png");
    REQUIRE(tiles.size() == 3);
    CHECK(tiles.at(1011) == p.folder / "rock.1011.png");
    CHECK(tilesOf(p.folder / "sand.<UDIM>.png").empty());
    CHECK(tilesOf(p.folder / "rock.1001.png").empty());
    CHECK(tilesOf(p.folder / "no/such/rock.<UDIM>.png").empty());
    for (const char* one : {"rock.1001.png", "rock.1011.png"})
        CHECK(tiledOf(p.folder / one) == p.folder / "rock.<UDIM>.png");
    CHECK(tiledOf(p.folder / "rock.0999.png") == p.folder / "rock.0999.png");
    CHECK(tiledOf(p.folder / "rock.tmp.png") == p.folder / "rock.tmp.png");
    // Figures and signs beside the number are part of the name.
    p.write("a#7.1001.png", Color(1.0f));
    p.write("a#7.10010.png", Color(1.0f));
    CHECK(tilesOf(p.folder / "a#7.<UDIM>.png").size() == 1);
    p.write("lone.1001.png", Color(1.0f));
    CHECK(tiledOf(p.folder / "lone.1001.png") == p.folder / "lone.1001.png");  // a picture like any other
    p.write("scan_1001_1002.png", Color(1.0f));
    p.write("scan_1001_1003.png", Color(1.0f));
    CHECK(tiledOf(p.folder / "scan_1001_1002.png") == p.folder / "scan_1001_<UDIM>.png");
}

TEST_CASE("each unit square of texture places has its tile, and missing ones are seen", "[tiles]") {
    Pictures p;
    const CompiledField rock = p.field("rock.<UDIM>.png");
    const std::pair<V2f, Color> known[] = {
        {{0.5f, 0.5f}, Color(1, 0, 0)}, {{0.0f, 0.0f}, Color(1, 0, 0)},    {{0.999f, 0.999f}, Color(1, 0, 0)},
        {{1.0f, 0.5f}, Color(0, 1, 0)}, {{1.999f, 0.01f}, Color(0, 1, 0)}, {{0.5f, 1.5f}, Color(0, 0, 1)},
        {{2.0f, 0.5f}, Color(0, 1, 0)}, {{0.5f, 2.0f}, Color(0, 0, 1)},    {{1.0f, 1.0f}, Color(0, 0, 1)},
        {{1.5f, 1.5f}, kMissing},       {{2.5f, 0.5f}, kMissing},          {{-0.5f, 0.5f}, kMissing},
        {{0.5f, -0.01f}, kMissing},     {{10.5f, 0.5f}, kMissing},         {{1e30f, 1e30f}, kMissing},
        {{NAN, 0.5f}, kMissing},        {{0.5f, INFINITY}, kMissing}};
    for (const auto& [uv, color] : known) {
        INFO(uv.x << " " << uv.y);
        CHECK((p.at(rock, uv) - color).length() < 1e-3f);
    }
    const CompiledField green = p.field("rock.<UDIM>.png", "uv", "green");
    CHECK(p.at(p.field("rock.1001.png"), V2f(1.5f, 0.5f)) == Color(1, 0, 0));  // one by itself repeats
    Samples one(1);
    const V3f place(0.0f);
    const V2f uv(1.5f, 0.5f);
    one.with(channel::position, {&place, 1}).with(channel::uv, {&uv, 1});
    float number = 0;
    green.evaluate(one, {&number, 1});
    CHECK(number == Approx(1.0f));
    // Mended files come in, and a tile more changes what the picture is known by.
    p.write("rock.1001.png", Color(0, 1, 1), 6);
    CHECK((p.at(p.field("rock.<UDIM>.png"), V2f(0.5f, 0.5f)) - Color(0, 1, 1)).length() < 1e-3f);
    const ovrix::eval::SceneContext scene{Document(), p.folder.path()};
    const uint64_t before = scene.stampOf("rock.<UDIM>.png");
    p.write("rock.1012.png", Color(1, 1, 0));
    CHECK(scene.stampOf("rock.<UDIM>.png") != before);
    CHECK((p.at(p.field("rock.<UDIM>.png"), V2f(1.5f, 1.5f)) - Color(1, 1, 0)).length() < 1e-3f);
}

TEST_CASE("tiles drive masks of layers and steps of objects", "[tiles][evaluator]") {
    Pictures p;
    p.write("mask.1001.png", Color(1.0f));
    p.write("mask.1002.png", Color(0.0f));
    p.write("mask.1011.png", Color(1.0f));
    p.write("mask.1012.png", Color(0.0f));
    FieldSource image = makeSource("image");
    image.params["file"].value = std::string("mask.<UDIM>.png");
    image.params["repeat_u"].value = 2.0, image.params["repeat_v"].value = 2.0;
    const auto field = std::make_shared<const Field>(Field{{image}});
    Document d = Document::fresh();
    Node plane = makeNode(d, "plane");
    plane.params["divisions"].value = int64_t(8);
    d.put(plane);
    std::string layer;
    d = withLayer(d, plane.id, "", &layer);
    d = withField(d, {layer, "scatter", "mask"}, field);
    Evaluator evaluator;
    const auto made =
        evaluator.layer({d, p.folder.path()}, layer, {1, Purpose::Render, true}, Progress::none());
    REQUIRE(made.ok);
    const auto places = placesOf(made.geometry);
    REQUIRE(places.size() > 10);
    const bool positive = places[0].x > 0;  // U runs along one of its sides
    for (const V3f& place : places) CHECK((place.x > 0) == positive);
    // The half that is white is raised.
    Node raised = d.get(plane.id);
    raised.steps.push_back(makeStep("displace", raised));
    raised.steps[0].params["by"].value = 0.5;
    raised.steps[0].params["by"].field = field;
    d.put(raised);
    const ObjectResult object = evaluator.object({d, p.folder.path()}, plane.id, 1, Progress::none());
    CHECK(object.steps[0].error.empty());
    int counted = 0;
    for (const V3f& place : object.mesh->positions()) {
        if (std::abs(place.x) < 0.01f) continue;  // between both
        CHECK((place.y > 0.25f) == ((place.x > 0) == positive));
        ++counted;
    }
    CHECK(counted > 20);
}

TEST_CASE("tiles that cannot be laid or read say why", "[tiles][damaged]") {
    Pictures p;
    CHECK_THROWS_AS(p.field("rock.<UDIM>.png", "box"), Error);
    CHECK_THROWS_AS(p.field("sand.<UDIM>.png"), Error);
    writeFile(p.folder / "rock.1003.png", "no picture");
    CHECK_THROWS_AS(p.field("rock.<UDIM>.png"), Error);
}

TEST_CASE("images that nobody has any more go when they take too much", "[image]") {
    Pictures p;
    constexpr int kSize = 64;
    constexpr size_t kEach = size_t(kSize) * kSize * 4 * sizeof(half);
    for (int i = 0; i < 6; ++i) p.write("i" + std::to_string(i) + ".png", Color(float(i) / 6), kSize);
    p.cache.setLimit(3 * kEach);
    const auto first = p.image("i0.png", "sRGB");
    for (int i = 1; i < 6; ++i) p.image("i" + std::to_string(i) + ".png", "sRGB");
    CHECK(p.cache.bytes() == 3 * kEach);
    CHECK(p.image("i0.png", "sRGB") == first);  // it was held
    const auto last = p.image("i5.png", "sRGB");
    p.image("i1.png", "sRGB");
    CHECK(p.image("i5.png", "sRGB") == last);
    // Those that are held stay, however much that is.
    std::vector<std::shared_ptr<const Image>> held;
    for (int i = 0; i < 6; ++i) held.push_back(p.image("i" + std::to_string(i) + ".png", "sRGB"));
    CHECK(p.cache.bytes() == 6 * kEach);
    // Tiles are kept like images.
    const auto tiles = p.tiles("rock.<UDIM>.png", "sRGB");
    CHECK(tiles.size() == 3);
}
