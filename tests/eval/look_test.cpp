// Materials and lights from the document to the picture: domes from files, images by UV, their checks.
#include <fstream>

#include "base/random.h"
#include "deliver/studio.h"
#include "eval/overlay.h"
#include "io/image/image_io.h"
#include "io/mesh/mesh_writer.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// A sky around: one colour where u is below a half, another above it.
void writeSky(const std::filesystem::path& file, const V3f& left, const V3f& right) {
    Picture p{64, 32, {}};
    const char* names[] = {"R", "G", "B"};
    for (int c = 0; c < 3; ++c) {
        Channel channel{names[c], {}, false};
        for (int y = 0; y < 32; ++y)
            for (int x = 0; x < 64; ++x) channel.values.push_back(x < 32 ? left[c] : right[c]);
        p.channels.push_back(std::move(channel));
    }
    WriteOptions o = defaultWriteOptions(file);
    o.depth = PixelDepth::Float;
    writeImage(file, p, o);
}

}  // namespace

TEST_CASE("a dome lights with the picture of its file, beyond white", "[translate][dome]") {
    Studio s;
    writeSky(s.folder / "even.exr", V3f(3.0f), V3f(3.0f));
    const std::string dome = s.add("dome");
    s.set(dome + "/file", "even.exr");
    const std::string grey = s.add("surface");
    s.set(grey + "/base_color", "0.5,0.5,0.5");
    s.set(grey + "/specular_weight", "0");
    s.set(grey + "/specular_roughness", "1");
    s.wear(grey);
    // An even sky of 3 on a diffuse 0.5: 1.5 everywhere on a convex body. 64 x 64 values of a smooth
    // integrand average to well within a hundredth.
    const Film film = s.render(32, 16);
    CHECK(meanOf(film, 13, 19, 13, 19).x == Approx(1.5f).epsilon(0.01));
    CHECK(meanOf(film, 0, 3, 0, 3).y == Approx(3.0f).epsilon(0.001));  // and it is seen behind

    SECTION("each half of the sky colours its side, and turning the dome turns the colours") {
        writeSky(s.folder / "halves.exr", V3f(4, 0, 0), V3f(0, 0, 4));
        s.set(dome + "/file", "halves.exr");
        const Film a = s.render(32, 16);
        s.set(dome + "/azimuth", "180");
        const Film b = s.render(32, 16);
        const V3f left = meanOf(a, 8, 12, 14, 18), right = meanOf(a, 20, 24, 14, 18);
        CHECK((left.x > left.z) != (right.x > right.z));
        const V3f turned = meanOf(b, 8, 12, 14, 18);
        CHECK(turned.x == Approx(left.z).margin(0.03));  // noise of 16 paths a pixel
        CHECK(turned.z == Approx(left.x).margin(0.03));
    }
    SECTION("a sun in the file, brighter than half floats hold, is not cut off") {
        writeSky(s.folder / "sun.exr", V3f(250000, 1000, 1), V3f(250000, 1000, 1));
        s.set(dome + "/file", "sun.exr");
        const V3f sky = meanOf(s.render(16, 2), 0, 2, 0, 2);
        CHECK(sky.x == Approx(250000).epsilon(0.001));
        CHECK(sky.y == Approx(1000).epsilon(0.001));
        CHECK(sky.z == Approx(1).epsilon(0.01));
    }
    SECTION("a file that is missing or damaged is told") {
        s.set(dome + "/file", "gone.exr");
        CHECK(s.hasCheck("gone.exr"));
        std::ofstream(s.folder / "bad.hdr") << "no picture";
        s.set(dome + "/file", "bad.hdr");
        RenderSceneBuilder builder(s.evaluator);
        const RenderJob job = builder.build(s.document, {}, Progress::none());
        REQUIRE(job.problems.size() == 1);
        CHECK(job.problems[0].find("bad.hdr") != std::string::npos);
    }
}

TEST_CASE("what is too bright for one sample goes by the exposure", "[translate]") {
    Studio s;
    RenderSceneBuilder builder(s.evaluator);
    CHECK(builder.build(s.document, {}, Progress::none()).options.limit == 0);  // nothing is cut by itself
    s.set("render/limit", "10");
    const auto limit = [&](const char* exposure) {
        s.set("camera/exposure", exposure);
        return builder.build(s.document, {}, Progress::none()).options.limit;
    };
    const float plain = limit("0");
    CHECK(plain > 0);
    CHECK(limit("3") == Approx(plain / 8));
    CHECK(limit("-2") == Approx(plain * 4));
}

TEST_CASE("an image on a mesh without UVs is told, and only there", "[checks]") {
    Studio s;
    s.add("sun");
    writeSky(s.folder / "colours.exr", V3f(1, 0, 0), V3f(0, 1, 0));
    std::ofstream(s.folder / "bare.obj") << "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n";
    const std::string bare = s.add("mesh_file"), painted = s.add("surface");
    s.set(bare + "/file", "bare.obj");
    FieldSource image = makeSource("image");
    image.params["file"].value = std::string("colours.exr");
    s.document = withField(s.document, {painted, "", "base_color"}, std::make_shared<Field>(Field{{image}}));
    s.wear(painted);
    CHECK_FALSE(s.hasCheck("no UVs"));  // the sphere has them
    s.set(bare + "/material", painted);
    CHECK(s.hasCheck("no UVs"));
    Field off{{image}};
    off.sources[0].on = false;
    s.document = withField(s.document, {painted, "", "base_color"}, std::make_shared<Field>(off));
    CHECK_FALSE(s.hasCheck("no UVs"));
}

TEST_CASE("the field of a material is previewed on what wears it", "[overlay]") {
    Studio s;
    const std::string look = s.add("surface");
    const ParamPath base{look, "", "base_color"};
    s.document = withField(s.document, base, std::make_shared<Field>(Field{{makeSource("height")}}));
    auto overlay = [&] { return makeOverlay(s.document, base, s.evaluator, {1}, Progress::none()); };
    REQUIRE(overlay());
    CHECK(overlay()->error == "nothing wears the material");
    s.wear(look);
    REQUIRE(overlay()->error.empty());
    CHECK(overlay()->surface == s.ball);
    CHECK(overlay()->strips.size() == 1);
    const auto sphere = s.evaluator.object(s.document, s.ball, 1, Progress::none());
    CHECK(overlay()->values.size() == sphere.mesh->cornerPoint.size());

    SECTION("what is in view comes first") {
        s.set(s.ball + "/shown", "false");
        const std::string plane = s.add("plane");
        s.set(plane + "/material", look);
        CHECK(overlay()->surface == plane);
    }
    SECTION("a layer's material is previewed on its prototype") {
        s.wear("");
        std::string layer;
        const std::string plane = s.add("plane");
        s.document = withLayer(s.document, plane, s.ball, &layer);
        s.set(layer + "/material", look);
        CHECK(overlay()->surface == s.ball);
    }
}
