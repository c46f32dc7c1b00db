// Pictures thrown onto things from a camera: on what is seen, and where elements are placed by them.
#include "deliver/studio.h"
#include "io/image/image_io.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// A picture of 2 x 2 squares: red, green, blue and white, from the upper left.
void writeSquares(const std::filesystem::path& path) {
    ovrix::io::Picture squares{64, 64, {}};
    const Color colors[] = {Color(1, 0, 0), Color(0, 1, 0), Color(0, 0, 1), Color(1, 1, 1)};
    for (int c = 0; c < 3; ++c) {
        ovrix::io::Channel plane{std::string(1, "RGB"[c]), std::vector<float>(64 * 64)};
        for (int i = 0; i < 64 * 64; ++i) plane.values[size_t(i)] = colors[i / 64 / 32 * 2 + i % 64 / 32][c];
        squares.channels.push_back(std::move(plane));
    }
    writeImage(path, squares, defaultWriteOptions(path));
}

struct Thrown : Studio {
    Thrown() {
        writeSquares(folder / "squares.exr");
        add("dome");
        set("render/width", "64"), set("render/height", "36");
    }
    FieldSource image(const std::string& camera) {
        FieldSource source = makeSource("image");
        source.params["file"].value = std::string("squares.exr");
        source.params["space"].value = std::string("Linear Rec.709");
        source.params["projection"].value = std::string("camera");
        source.params["camera"].value = camera;
        return source;
    }
    Film film(std::vector<std::string>* problems = nullptr) {
        RenderSceneBuilder builder(evaluator);
        const RenderJob job = builder.build(scene(), {}, Progress::none());
        if (problems) *problems = job.problems;
        Film out(64, 36, job.layout);
        Renderer(*job.scene, job.cameraFor(64, 36), job.options, job.lights)
            .renderPass(out, 0, {0, 0, 64, 36}, Progress::none());
        return out;
    }
};

}  // namespace

TEST_CASE("seen through its own camera a thrown picture lies as it is, on whatever stands there",
          "[projection][field-pass]") {
    Thrown s;
    s.set("camera/position", "0.7,0.4,6"), s.set("camera/roll", "20"), s.set("camera/shift_x", "0.1");
    s.set(s.ball + "/scale", "1,2,1"), s.set(s.ball + "/rotation", "20,30,40");
    const std::string pass = s.add("field_pass");
    s.set(pass + "/kind", "colour");
    Param color = paramAt(s.document, {pass, "", "color"});
    color.value = Color(1.0f), color.low = Color(0.0f);
    color.field = std::make_shared<Field>(Field{{s.image("camera")}});
    s.document = withParam(s.document, {pass, "", "color"}, color);
    std::vector<std::string> problems;
    const Film film = s.film(&problems);
    CHECK(problems.empty());
    size_t seen = 0;
    for (int y = 0; y < 36; ++y)
        for (int x = 0; x < 64; ++x) {
            // The filter reaches a pixel and a half, and the picture's own texels half of one.
            if (!film.number(Pass::Object, film.indexOf(x, y)) || std::abs(x - 31.5) < 4 ||
                std::abs(y - 17.5) < 4)
                continue;
            ++seen;
            const V3f is = film.fieldMean(0, film.indexOf(x, y));
            const V3f wanted =
                y < 18 ? (x < 32 ? V3f(1, 0, 0) : V3f(0, 1, 0)) : (x < 32 ? V3f(0, 0, 1) : V3f(1));
            CHECK((is - wanted).length() < 0.01f);
        }
    CHECK(seen > 100);
}

TEST_CASE("elements lie where a camera throws light, and go with the camera", "[projection][evaluator]") {
    Thrown s;
    const std::string plane = s.add("plane");
    s.set(plane + "/size", "20");
    std::string layer;
    s.document = withLayer(s.document, plane, s.ball, &layer);
    s.set(layer + "/scatter/count", "2000");
    s.set("camera/position", "0,10,0.001"), s.set("camera/target", "0,0,0");
    FieldSource blue = s.image("camera");
    blue.params["channel"].value = std::string("blue");
    s.document = withField(s.document, {layer, "scatter", "mask"}, std::make_shared<Field>(Field{{blue}}));
    const auto placesOf = [&] {
        const LayerResult made =
            s.evaluator.layer(s.scene(), layer, {1, Purpose::Render, true}, Progress::none());
        REQUIRE(made.ok);
        const auto p = elementsOf(made.geometry)->find<V3f>("P");
        return std::vector<V3f>(p.begin(), p.end());
    };
    // 36 mm over a focal length of 35: half as wide at 10 m is 5.14 m, and 9/16 of that high. The lower half
    // of the picture is blue or white.
    const std::vector<V3f> first = placesOf();
    REQUIRE(first.size() > 20);
    for (const V3f& p : first) CHECK((std::abs(p.x) < 5.15f && p.z > -0.1f && p.z < 2.9f));
    s.set("camera/position", "3,10,0.001"), s.set("camera/target", "3,0,0");
    const std::vector<V3f> then = placesOf();
    REQUIRE(then.size() > 20);
    for (const V3f& p : then) CHECK((p.x > -2.15f && p.x < 8.15f));
    CHECK(std::any_of(then.begin(), then.end(), [](const V3f& p) { return p.x > 5.2f; }));
    s.set("render/height", "64");  // another picture, another height of it
    const std::vector<V3f> tall = placesOf();
    CHECK(std::any_of(tall.begin(), tall.end(), [](const V3f& p) { return p.z > 3.0f; }));
}

TEST_CASE("a projection without a camera, or from what is none, is said", "[projection]") {
    Thrown s;
    const std::string pass = s.add("field_pass");
    for (const std::string& camera : {std::string(), s.ball, std::string("nobody")}) {
        s.document =
            withField(s.document, {pass, "", "value"}, std::make_shared<Field>(Field{{s.image(camera)}}));
        std::vector<std::string> problems;
        s.film(&problems);
        REQUIRE(problems.size() >= 1);
        CHECK(problems[0].find("camera") != std::string::npos);
    }
}
