// Pictures of scenes in which something is unusual: lights that are mirrored, things far away, fields that
// need what is around, strands thinner than a pixel.
#include <fmt/format.h>

#include "base/hash.h"
#include "deliver/pictures/preflight.h"
#include "deliver/studio.h"
#include "eval/overlay.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// What a field gives at the corner next to a place of the sphere.
float previewed(const Overlay& overlay, const Mesh& mesh, const V3f& place) {
    const auto points = mesh.points.find<V3f>("P");
    size_t next = 0;
    float nearest = 1e9f;
    for (size_t c = 0; c < mesh.cornerPoint.size(); ++c)
        if (const float d = (points[mesh.cornerPoint[c]] - place).length(); d < nearest)
            nearest = d, next = c;
    return overlay.values[next];
}

}  // namespace

TEST_CASE("a material's field shines as it is previewed, whatever it asks for", "[translate][field]") {
    Studio s;
    const std::string other = s.add("sphere"), glow = s.add("surface");
    s.set(other + "/position", "1,1.2,0");
    s.set(other + "/radius", "0.6");
    s.set(other + "/rendered", "false");  // seen by the fields alone
    s.set(glow + "/base_color", "0,0,0");
    s.set(glow + "/specular_weight", "0");
    s.set(glow + "/emission_luminance", "179");
    s.set(s.ball + "/position", "0.3,-0.1,0.2");  // the field goes with what wears it
    s.set("camera/target", "0.3,-0.1,0.2");
    s.wear(glow);
    const float full = meanOf(s.render(16, 1), 7, 9, 7, 9).x;
    REQUIRE(full > 0);
    const std::string type = GENERATE(as<std::string>(), "curvature", "distance", "occlusion", "inside",
                                      "noise", "height", "facing", "formula", "paint");
    INFO(type);
    FieldSource source = makeSource(type);
    if (type == "distance") source.params["to"].value = Refs{other};
    if (type == "distance") source.params["range"].value = Range{0, 2};
    if (type == "occlusion") source.params["reach"].value = 2.0;
    if (type == "occlusion") source.params["objects"].value = Refs{other};
    if (type == "inside") source.params["object"].value = other;
    if (type == "inside") source.params["soft"].value = 0.3;
    if (type == "noise") source.params["size"].value = 2.0;  // smooth between the corners
    if (type == "curvature") source.params["side"].value = std::string("ridges");
    if (type == "formula") source.params["formula"].value = std::string("0.5 + 0.4 * sin(3 * x + time)");
    if (type == "paint") source.params["base"].value = 0.6;
    s.document =
        withField(s.document, {glow, "", "emission_luminance"}, std::make_shared<Field>(Field{{source}}));
    const auto overlay =
        makeOverlay(s.document, {glow, "", "emission_luminance"}, s.evaluator, {1}, Progress::none());
    REQUIRE(overlay);
    REQUIRE(overlay->error.empty());
    const auto mesh = s.evaluator.object(s.document, s.ball, 1, Progress::none()).mesh;
    RenderSceneBuilder builder(s.evaluator);
    const RenderJob job = builder.build(s.document, {}, Progress::none());
    REQUIRE(job.problems.empty());
    constexpr int kSize = 48;
    const Film film = s.render(kSize, 4);
    const Camera camera = job.cameraFor(kSize, kSize);
    const auto rayAt = [&](float x, float y) { return camera.ray(x / kSize, y / kSize, 0, 0); };
    const auto meets = [&](float x, float y) { return job.scene->intersect(rayAt(x, y), false).hit(); };
    double off = 0;
    int seen = 0;
    for (int y = 0; y < kSize; ++y)
        for (int x = 0; x < kSize; ++x) {
            const float u = float(x), v = float(y);
            if (!meets(u, v) || !meets(u + 1, v) || !meets(u, v + 1) || !meets(u + 1, v + 1)) continue;
            const Ray ray = rayAt(u + 0.5f, v + 0.5f);
            const V3f place = job.scene->surfacePoint(job.scene->intersect(ray, false), ray).position;
            const float wanted = previewed(*overlay, *mesh, place - V3f(0.3f, -0.1f, 0.2f));
            off += std::abs(double(film.beauty(x, y).x / full - wanted));
            ++seen;
        }
    REQUIRE(seen > 40);
    CHECK(off / seen < 0.04);  // half a pixel, and half a face, beside the place
}

TEST_CASE("a mirrored area light lights what it lit, one that is turned over lights nothing",
          "[translate][lights]") {
    Studio s;
    const std::string light = s.add("area");
    s.set(light + "/position", "0,3,0");
    s.set(light + "/width", "2");
    s.set(light + "/seen", "false");
    s.set("camera/position", "0,4,4");
    const auto lit = [&](const std::string& scale) {
        s.set(light + "/scale", scale);
        return meanOf(s.render(24, 64), 0, 24, 0, 24).x;
    };
    const float plain = lit("1,1,1");
    REQUIRE(plain > 0.01f);
    for (const char* mirrored : {"-1,1,1", "1,1,-1", "-1,1,-1"}) {
        INFO(mirrored);
        CHECK(lit(mirrored) == Approx(plain).epsilon(0.02));  // noise of 64 paths in each of 576 pixels
    }
    CHECK(lit("1,-1,1") == 0);  // it shines up
}

TEST_CASE("what is far from the eye and from the middle of the world shades itself nowhere",
          "[translate][render]") {
    Studio s;
    const std::string sun = s.add("sun");
    const double away = GENERATE(0.0, 50.0, 2000.0);
    INFO(away << " m");
    const auto at = [&](double x, double y, double z) {
        return fmt::format("{},{},{}", away + x, away + y, z - away);
    };
    s.set(s.ball + "/position", at(0, 0, 0));
    s.set("camera/position", at(0, 0, 6 + away));
    s.set("camera/target", at(0, 0, 0));
    s.set(sun + "/elevation", "60");
    s.document =
        withText(s.document, "camera/focal", fmt::format("{}", std::min(2000.0, 35 * (6 + away) / 6)));
    const Film film = s.render(48, 16);
    // From above the light comes evenly to the upper half of the ball: no pixel there is dark.
    for (int y = 0; y < 48; ++y)
        for (int x = 0; x < 48; ++x) {
            const FilmPixel p = film.at(x, y);
            if (p.alpha < float(p.samples) || p.normal.y < 0.4f * float(p.samples)) continue;
            INFO(x << ", " << y);
            CHECK(film.beauty(x, y).x > 0.02f);
        }
}

TEST_CASE("thin strands go by the picture that is made, whatever the scene's own", "[translate][strand]") {
    Studio s;
    s.add("sky");
    std::string layer;
    s.document = withStrandLayer(s.document, s.ball, 1.0f, &layer);
    s.set(layer + "/fill/count", "3000");
    const auto bits = [](const Film& film) {
        Hasher all;
        for (const FilmPixel& p : film.pixels()) all.add(p.direct.x).add(p.indirect.y).add(p.alpha);
        return all.value();
    };
    const auto sized = [&](const char* width, const char* height) {
        s.set("render/width", width);
        s.set("render/height", height);
    };
    sized("64", "64");
    JobOptions of64;
    of64.width = of64.height = 64;
    const uint64_t small = bits(s.render(64, 2));
    sized("1920", "1920");
    CHECK(bits(s.render(64, 2)) != small);  // else the limit does nothing, and this test says nothing
    CHECK(bits(s.render(64, 2, of64)) == small);
    // And by the eye that looks, not by the scene's camera.
    of64.view = cameraOf(s.document, "camera", 1);
    s.set("camera/position", "0,0,90");
    RenderSceneBuilder builder(s.evaluator);
    const RenderJob job = builder.build(s.document, of64, Progress::none());
    Film film(64, 64);
    const Renderer renderer(*job.scene, Camera(*of64.view, 1.0f), job.options);
    for (uint32_t pass : {0u, 1u}) renderer.renderPass(film, pass, {0, 0, 64, 64}, Progress::none());
    CHECK(bits(film) == small);
}

TEST_CASE("materials read what elements carry: attributes of copies, and how far along a strand",
          "[translate][field]") {
    Studio s;
    s.set(s.ball + "/rendered", "false");
    const std::string glow = s.add("surface");
    s.set(glow + "/base_color", "0,0,0");
    s.set(glow + "/specular_weight", "0");
    s.set(glow + "/emission_luminance", "179");
    const auto shineBy = [&](const std::string& type, const std::string& param, const std::string& text) {
        FieldSource source = makeSource(type);
        source.params[param].value = text;
        s.document =
            withField(s.document, {glow, "", "emission_luminance"}, std::make_shared<Field>(Field{{source}}));
    };
    Node layer = makeNode(s.document, "layer");
    SECTION("copies of a file's points") {
        const std::string pebble = s.add("sphere");
        s.set(pebble + "/radius", "0.5");
        s.set(pebble + "/rendered", "false");
        writeFile(s.folder / "points.csv", "x,y,z,heat,age\n-1,0,0,0.25,0.5\n1,0,0,0.75,2\n");
        layer.steps = {makeStep("from_file", layer)};
        layer.steps.push_back(makeStep("copies_of", layer));
        layer.steps[0].params["file"].value = std::string("points.csv");
        layer.steps[1].params["prototypes"].value = PrototypeMix{{pebble, 1}};
        layer.params["material"].value = glow;
        s.document.put(layer);
        const auto sides = [&] {
            const Film film = s.render(40, 2);
            return std::pair(meanOf(film, 0, 20, 0, 40).x, meanOf(film, 20, 40, 0, 40).x);
        };
        const auto [plainLeft, plainRight] = sides();
        REQUIRE(plainLeft > 0.01f);
        shineBy("attribute", "name", "heat");
        const auto [left, right] = sides();
        CHECK(left / plainLeft == Approx(0.25).epsilon(1e-3));
        CHECK(right / plainRight == Approx(0.75).epsilon(1e-3));
        shineBy("formula", "formula", "1 - heat");
        CHECK(sides().first / plainLeft == Approx(0.75).epsilon(1e-3));
        shineBy("age", "measure", "in seconds");
        const auto [young, old] = sides();
        CHECK(young / plainLeft == Approx(0.5).epsilon(1e-3));
        CHECK(old / plainRight == Approx(1).epsilon(1e-3));
        shineBy("formula", "formula", "lilac");
        RenderSceneBuilder builder(s.evaluator);
        const RenderJob job = builder.build(s.scene(), {}, Progress::none());
        REQUIRE(job.problems.size() == 1);
        CHECK(job.problems[0].find("heat") != std::string::npos);
    }
    SECTION("strands") {
        std::string coat;
        s.set(s.ball + "/radius", "0.3");
        s.document = withStrandLayer(s.document, s.ball, 1.0f, &coat);
        s.set(coat + "/fill/count", "3000");
        s.set(coat + "/grow/length", "0.6..0.6");
        s.set(coat + "/material", glow);
        const auto brightness = [&] { return meanOf(s.render(48, 4), 0, 48, 0, 48).x; };
        const float whole = brightness();
        REQUIRE(whole > 0.001f);
        shineBy("formula", "formula", "along");
        const float tips = brightness();
        shineBy("formula", "formula", "1 - along");
        const float roots = brightness();
        CHECK(tips + roots == Approx(whole).epsilon(1e-3));
        CHECK(tips > 0.1f * whole);
        CHECK(roots > 0.1f * whole);
        shineBy("attribute", "name", "along");
        CHECK(brightness() == Approx(tips).epsilon(1e-3));
    }
}

TEST_CASE("a picture that is far away is the mean of what a pixel sees of it", "[translate][texture]") {
    // Stripes of one texel, 40 of them in a pixel: one pass alone would be black or white by chance.
    Studio s;
    s.document.remove(s.ball);
    s.set(s.add("dome") + "/exposure", "0");
    ovrix::io::Picture stripes{256, 4, {}};
    for (const char* c : {"R", "G", "B"}) {
        ovrix::io::Channel plane{c, std::vector<float>(256 * 4)};
        for (size_t i = 0; i < plane.values.size(); ++i) plane.values[i] = float(i % 2);
        stripes.channels.push_back(std::move(plane));
    }
    writeImage(s.folder / "stripes.exr", stripes, defaultWriteOptions(s.folder / "stripes.exr"));
    const std::string plane = s.add("plane"), material = s.add("surface");
    s.set(plane + "/material", material);
    s.set(plane + "/size", "2");
    s.set(material + "/specular_weight", "0");
    s.set("camera/position", "0,12,0.01");
    const auto spread = [&](const std::string& projection, int from, int to) {
        FieldSource image = makeSource("image");
        image.params["file"].value = std::string("stripes.exr");
        image.params["space"].value = std::string("Linear Rec.709");
        image.params["projection"].value = projection;
        Param base = paramAt(s.document, {material, "", "base_color"});
        base.value = Color(1.0f), base.low = Color(0.0f);
        base.field = std::make_shared<Field>(Field{{image}});
        s.document = withParam(s.document, {material, "", "base_color"}, base);
        const Film film = s.render(16, 1);
        double most = 0;
        for (int y = from; y < to; ++y)
            for (int x = from; x < to; ++x)
                most = std::max(most, std::abs(double(film.at(x, y).albedo.x) / film.at(x, y).samples - 0.5));
        return most;
    };
    CHECK(spread("uv", 7, 9) < 0.02);
    CHECK(spread("planar", 7, 9) < 0.02);
    s.set("camera/position", "0,0.01,0.001");  // within one of them each pixel is its own
    CHECK(spread("uv", 0, 16) > 0.3);
}

TEST_CASE("what the firefly limit takes is kept apart, and is all that is missing",
          "[translate][fireflies]") {
    Studio s;
    s.add("sky");
    s.document = withStrandLayer(s.document, s.ball, 1.0f, nullptr);
    const auto rendered = [&s] {
        RenderSceneBuilder builder(s.evaluator);
        const RenderJob job = builder.build(s.document, {}, Progress::none());
        Film film(48, 48, job.layout);
        const Renderer renderer(*job.scene, job.cameraFor(48, 48), job.options);
        for (uint32_t pass = 0; pass < 4; ++pass)
            renderer.renderPass(film, pass, {0, 0, 48, 48}, Progress::none());
        return film;
    };
    const Film whole = rendered();
    CHECK_FALSE(whole.has(Pass::Cut));
    CHECK(cutShare(whole) == 0.0);
    s.set("render/limit", "0.001");
    const Film cut = rendered();
    REQUIRE(cut.has(Pass::Cut));
    // Each is a sum of floats.
    for (size_t i = 0; i < cut.count(); ++i)
        for (int k = 0; k < 3; ++k)
            REQUIRE(cut.light(i)[k] + cut.mean(Pass::Cut, i)[k] ==
                    Approx(whole.light(i)[k]).epsilon(1e-4).margin(1e-6));
    CHECK(cutShare(cut) > 0.001);
    CHECK(cutText(cutShare(cut)).find("firefly limit takes") != std::string::npos);
    CHECK(cutText(0.0).empty());
}

TEST_CASE("the film keeps bins where fireflies are evened", "[translate][fireflies]") {
    Studio s;
    RenderSceneBuilder builder(s.evaluator);
    CHECK(builder.build(s.document, {}, Progress::none()).layout.bins);
    s.set("render/even_fireflies", "false");
    CHECK_FALSE(builder.build(s.document, {}, Progress::none()).layout.bins);
}
