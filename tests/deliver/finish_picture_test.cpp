// Finishing from the document to the picture: steps in their order, masks by what is in the scene, files.
#include "base/files.h"
#include "deliver/pictures/file_passes.h"
#include "deliver/pictures/film_file.h"
#include "deliver/studio.h"
#include "document/file/scene_file.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// A white ball beside a grey one, under a dome.
struct Balls : Studio {
    std::string other = add("sphere");
    RenderJob job;
    Film film;
    RenderSceneBuilder builder{evaluator};
    Balls() {
        add("dome");
        set(ball + "/name", "White ball");
        set(other + "/position", "-1.4,0,-3");
        set("render/width", "48"), set("render/height", "36");
        set("render/passes", "object_cover,uv,position");
    }
    void step(const std::string& type) {
        document = withStep(document, "finish", 99, makeStep(type, document.get("finish")));
    }
    void build(int passes = 3) {
        job = builder.build(scene(), {}, Progress::none());
        film = Film(48, 36, job.layout);
        const Renderer renderer(*job.scene, job.cameraFor(48, 36), job.options, job.lights);
        for (int pass = 0; pass < passes; ++pass)
            renderer.renderPass(film, uint32_t(pass), {0, 0, 48, 36}, Progress::none());
    }
    FinishedPicture finish() {
        const FilmPasses passes(film, job.objectNames, job.layerNames, job.materialNames);
        return finishPicture(scene(), toFinish(film, nullptr, passes, job, 1), evaluator, false,
                             Progress::none());
    }
};

}  // namespace

TEST_CASE("steps of the finish run in their order, and one that fails leaves the picture to the next",
          "[finish-picture]") {
    Balls s;
    s.build();
    CHECK_FALSE(hasFinish(s.document));
    const std::vector<V3f> plain = s.finish().light;
    CHECK(plain[0] == s.film.light(0));
    s.step("exposure"), s.step("motion_blur"), s.step("exposure");
    s.set("finish/exposure/stops", "1"), s.set("finish/exposure_2/stops", "0.5");
    CHECK(hasFinish(s.document));
    const FinishedPicture done = s.finish();
    REQUIRE(done.steps.size() == 3);
    CHECK(done.steps[0].error.empty());
    CHECK(done.steps[1].error.find("Motion") != std::string::npos);
    CHECK(done.steps[1].remedy.find("Passes") != std::string::npos);
    for (size_t i = 0; i < plain.size(); ++i)
        CHECK((done.light[i] - plain[i] * std::exp2(1.5f)).length() <= 1e-5f * plain[i].length());
    s.set("finish/exposure/on", "false"), s.set("finish/exposure_2/on", "false"),
        s.set("finish/motion_blur/on", "false");
    CHECK_FALSE(hasFinish(s.document));
    CHECK(s.finish().light == plain);
}

TEST_CASE("a step counts on the things that are chosen, by what the film says of each pixel",
          "[finish-picture]") {
    Balls s;
    s.step("exposure");
    s.set("finish/exposure/stops", "3"), s.set("finish/exposure/things", s.ball);
    for (const char* passes : {"", "object_cover"}) {
        s.set("render/passes", passes);
        s.build();
        const FinishedPicture done = s.finish();
        CHECK(done.steps[0].error.empty());
        size_t brighter = 0, same = 0;
        for (size_t i = 0; i < done.light.size(); ++i) {
            const bool first = s.film.number(Pass::Object, i) &&
                               s.job.objectNames.at(s.film.number(Pass::Object, i)) == "White ball";
            const float ratio = luminance(done.light[i]) / std::max(1e-9f, luminance(s.film.light(i)));
            if (ratio > 7.9f) ++brighter;
            if (!first && std::abs(ratio - 1) < 1e-3f) ++same;
            if (!*passes) CHECK(ratio == Approx(first ? 8.0f : 1.0f).epsilon(1e-3));
        }
        CHECK(brighter > 100);
        CHECK(same > 300);
    }
    // A field asks of distances to what stands in the scene.
    s.set("finish/exposure/things", "");
    Field field;
    field.sources.push_back(makeSource("distance"));
    field.sources[0].params["to"].value = Refs{s.other};
    Node n = s.document.get("finish");
    n.steps[0].params["amount"].field = std::make_shared<const Field>(field);
    s.document.put(n);
    const FinishedPicture done = s.finish();
    INFO(done.steps[0].error);
    CHECK(done.steps[0].error.empty());
}

TEST_CASE("a film and its EXR are finished to the same bits", "[finish-picture]") {
    Balls s;
    for (const char* step : {"exposure", "depth_of_field", "glow", "relight", "distance_fog", "grain"})
        s.step(step);
    s.set("finish/exposure/stops", "2"), s.set("finish/exposure/things", s.other);
    s.set("finish/depth_of_field/fstop", "0.1");
    s.build();
    const FinishedPicture whole = s.finish();
    for (const StepReport& r : whole.steps) CHECK(r.error.empty());
    const auto path = s.folder / "balls.exr";
    saveRender(path, {s.film}, s.job, {.depth = PixelDepth::Float, .notes = {}});
    const LayeredPicture file = readLayers(path, size_t(1) << 30);
    const FilePasses passes(file);
    CHECK(passes.planes(Pass::Position).size() == 3);
    CHECK(passes.planes(Pass::SpecularDirect).empty());
    CHECK(passes.matte({"nobody"}) == std::vector<float>(48 * 36, 0.0f));
    PictureToFinish again{passes, lightOf(file, "balls.exr"), file.find("A")->values, s.job.cameras.back(), 1,
                          0};
    const FinishedPicture other = finishPicture(s.scene(), again, s.evaluator, false, Progress::none());
    CHECK(other.light == whole.light);
}

TEST_CASE("the finish is no part of a picture's hash, and survives the file", "[finish-picture]") {
    Balls s;
    s.build();
    const uint64_t before = pictureHash(s.scene(), {}, s.job);
    s.step("vignette"), s.step("crop");
    s.set("finish/crop/left", "25"), s.set("finish/response", "punchy"), s.set("finish/contrast", "1.2");
    s.build();
    CHECK(pictureHash(s.scene(), {}, s.job) == before);
    CHECK(s.job.finish.response.contrast == Approx(kPunchy.contrast * 1.2f));
    CHECK(s.finish().width == 36);
    CHECK(readScene(writeScene(s.document), "again") == s.document);
    // Films remember the response for when they become pictures without the scene.
    FilmFile file = beginFilm(s.job, before, 48, 36);
    writeFilm(s.folder / "a.film", file);
    CHECK(readFilm(s.folder / "a.film", size_t(1) << 30, Progress::none()).notes.finish.response ==
          s.job.finish.response);
    // What is missing is said, and the usual screen takes its place.
    s.set("finish/response", "configuration"), s.set("finish/configuration", "no.ocio");
    const RenderJob job = s.builder.build(s.scene(), {}, Progress::none());
    REQUIRE(job.problems.size() == 1);
    CHECK(job.problems[0].find("no.ocio") != std::string::npos);
    CHECK_FALSE(job.finish.display);
}

TEST_CASE("how things move is told with a shut shutter, and the picture is as sharp", "[finish-picture]") {
    Balls s;
    Param moving = paramAt(s.document, {s.ball, "", "position"});
    moving.keys = {{0, V3d(-0.4, 0, 0), KeyEase::Linear}, {1, V3d(0, 0, 0), KeyEase::Linear}};
    s.document = withParam(s.document, {s.ball, "", "position"}, moving);
    s.set("render/passes", "position"), s.set("render/shutter", "0");
    s.build();
    const Film still = s.film;
    s.set("render/passes", "position,motion");
    s.build();
    const size_t middle = s.film.indexOf(24, 18);
    CHECK(s.film.mean(Pass::Motion, middle).length() > 1);
    // What moves is where its motion has it at that time, which is rounded once more.
    size_t same = 0;
    for (size_t i = 0; i < still.count(); ++i) {
        same += still.light(i) == s.film.light(i);
        const V3f apart = still.light(i) - s.film.light(i);
        CHECK(apart.length() <= 1e-3f * (0.1f + still.light(i).length()));
    }
    CHECK(same >= still.count() * 9 / 10);
}

TEST_CASE("finishing asks for its memory with the picture", "[finish-picture][memory]") {
    Document d = withText(Document::fresh(), "scene/memory", "0.4");
    CHECK_NOTHROW(requireFilmMemory(d, 1200, 900));
    d = withStep(d, "finish", 0, makeStep("vignette", d.get("finish")));
    CHECK_THROWS_AS(requireFilmMemory(d, 1200, 900), Error);
}

TEST_CASE("tones of version 8 move to the finish", "[scene-file]") {
    const auto sceneOf = [](const std::string& params, const std::string& more = "") {
        return readScene(
            "{\"format\": \"ovrix-scene\", \"version\": 8, \"nodes\": [{\"id\": \"render\", \"type\": "
            "\"render\", \"params\": {" +
                params + "}}" + more + "]}",
            "old");
    };
    const Document plain = sceneOf("\"tone\": \"plain\"");
    CHECK(plain.finishSetting(kFinish.response) == "plain");
    CHECK(plain.get("render").unknown.empty());
    CHECK(sceneOf("\"tone\": \"soft\"").finishSetting(kFinish.response) == "soft");
    CHECK(sceneOf("").finishSetting(kFinish.response) == "soft");
    // An object that bears the name does not stand in its way.
    const Document named = sceneOf("\"tone\": \"plain\"", ", {\"id\": \"finish\", \"type\": \"sphere\"}");
    CHECK(named.get("finish").type == "sphere");
    CHECK(named.finishSetting(kFinish.response) == "plain");
    CHECK(named.settings("finish")->id != "finish");
}
