// Fields of the scene, and occlusion, as passes: from the document to the film and its files.
#include "base/files.h"
#include "deliver/pictures/film_file.h"
#include "deliver/pictures/render_file.h"
#include "deliver/studio.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// A ball beside another, with a pass of what lies how high.
struct Passed : Studio {
    std::string other = add("sphere"), pass = add("field_pass");
    RenderSceneBuilder builder{evaluator};
    RenderJob job;
    Film film;
    Passed() {
        add("dome");
        set(other + "/position", "-1.4,0,-3");
        set("render/width", "48"), set("render/height", "36");
        set("render/passes", "position");
    }
    void field(const std::string& node, const std::string& param, const FieldSource& source) {
        Node n = document.get(node);
        n.params[param].field = std::make_shared<Field>(Field{{source}});
        document.put(n);
    }
    FieldSource height(double from, double to) {
        FieldSource source = makeSource("height");
        source.params["range"].value = Range{from, to};
        return source;
    }
    void build(int passes = 2) {
        job = builder.build(scene(), {}, Progress::none());
        film = Film(48, 36, job.layout);
        const Renderer renderer(*job.scene, job.cameraFor(48, 36), job.options, job.lights);
        for (int p = 0; p < passes; ++p)
            renderer.renderPass(film, uint32_t(p), {0, 0, 48, 36}, Progress::none());
    }
};

}  // namespace

TEST_CASE("a field pass has its field where things are seen, and nothing where nothing is", "[field-pass]") {
    Passed s;
    s.build(1);
    REQUIRE(s.job.layout.fields.size() == 1);
    CHECK(s.job.layout.fields[0].channels() == 1);
    for (size_t i = 0; i < s.film.count(); ++i)  // without a field it is 1 on all
        CHECK(s.film.fieldMean(0, i).x == (s.film.number(Pass::Object, i) ? 1.0f : 0.0f));
    s.field(s.pass, "value", s.height(-1, 1));
    s.document = withValue(s.document, {s.pass, "", "value"}, 10.0);
    s.build(1);
    CHECK(s.job.problems.empty());
    size_t seen = 0;
    for (size_t i = 0; i < s.film.count(); ++i) {
        if (!s.film.number(Pass::Object, i)) continue;
        ++seen;
        // One sample: the place that is seen, and the field there. Sums are whole steps of 2^-32.
        const float y = s.film.mean(Pass::Position, i).y;
        CHECK(s.film.fieldMean(0, i).x == Approx(10.0f * std::clamp((y + 1) / 2, 0.0f, 1.0f)).margin(1e-5));
    }
    CHECK(seen > 200);
}

TEST_CASE("a field pass is asked on each thing's own surface, whatever that wears", "[field-pass]") {
    Passed s;
    const std::string brass = s.add("surface"), drawn = s.add("line_art");
    s.add("field_pass");  // 1 wherever a thing is seen
    for (const std::string& wears : {std::string(), brass, drawn}) {
        s.set(s.other + "/material", wears);
        s.set(s.ball + "/radius", "1"), s.set(s.other + "/radius", "0.5");
        s.set(s.other + "/segments", "64");
        // Mean curvature is 1 / radius: both balls differ, and what they wear changes nothing of it.
        FieldSource curvature = makeSource("curvature");
        curvature.params["side"].value = std::string("ridges");
        curvature.params["size"].value = 0.25;
        curvature.params["smooth"].value = int64_t(0);
        s.field(s.pass, "value", curvature);
        s.build();
        CHECK(s.job.problems.empty());
        std::map<uint32_t, std::pair<double, int>> by;
        for (size_t i = 0; i < s.film.count(); ++i)
            if (const uint32_t object = s.film.number(Pass::Object, i);
                object && s.film.fieldMean(1, i).x == 1.0f) {
                by[object].first += double(s.film.fieldMean(0, i).x);
                ++by[object].second;
            }
        REQUIRE(by.size() == 2);
        // Balls of 64 segments bend a little less than round ones, most near their poles.
        for (const auto& [object, of] : by) {
            const bool small = s.job.nodeIds.at(object) == s.other;
            CHECK(of.first / of.second == Approx(small ? 0.5 : 0.25).epsilon(0.1));
        }
    }
}

TEST_CASE("light is the same bits with field passes and without", "[field-pass]") {
    Passed s;
    s.field(s.pass, "value", makeSource("noise"));
    s.set("render/passes", "position,occlusion");
    s.build();
    const Film with = s.film;
    s.document = withText(s.document, s.pass + "/rendered", "false");
    s.set("render/passes", "position");
    s.build();
    CHECK(s.job.layout.fields.empty());
    for (size_t i = 0; i < with.count(); ++i) CHECK(with.light(i) == s.film.light(i));
}

TEST_CASE("files hold field passes under names of their own, and films read them back", "[field-pass]") {
    Passed s;
    const std::string second = s.add("field_pass");
    s.set(s.pass + "/name", "Wet line"), s.set(second + "/name", "Wet line");
    s.set(second + "/kind", "colour"), s.set(second + "/color", "0.25,0.5,2");
    s.build();
    const Picture picture = toPicture({s.film}, s.job, nullptr);
    const auto channel = [&](const std::string& name) -> const Channel* {
        for (const Channel& c : picture.channels)
            if (c.name == name) return &c;
        return nullptr;
    };
    REQUIRE(channel("field_Wet_line.Y"));
    REQUIRE(channel("field_Wet_line_2.B"));
    CHECK_FALSE(channel("field_Wet_line.R"));
    const size_t middle = s.film.indexOf(24, 18);
    CHECK(channel("field_Wet_line.Y")->values[middle] == 1.0f);
    CHECK(channel("field_Wet_line_2.B")->values[middle] == 2.0f);
    FilmFile file{s.film, {}};
    const auto path = s.folder / "a.film";
    writeFilm(path, file);
    const FilmFile read = readFilm(path, SIZE_MAX, Progress::none());
    CHECK(read.film.layout() == s.film.layout());
    CHECK(read.film.fieldPlane(1, 2) == s.film.fieldPlane(1, 2));
    // On the screen.
    const auto views = filmViews(s.film.layout(), [](size_t) { return std::string(); });
    const auto at =
        std::find_if(views.begin(), views.end(), [](const auto& v) { return v.id == "field Wet line"; });
    REQUIRE(at != views.end());
    CHECK(std::any_of(views.begin(), views.end(), [](const auto& v) { return v.id == "field Wet line 2"; }));
    std::vector<uint32_t> screen;
    toScreen(s.film, at->view, {}, {}, screen);
    CHECK(screen[middle] == 0xFFFFFFFFu);
    CHECK(screen[0] == 0xFF000000u);
}

TEST_CASE("a field that cannot be asked somewhere is said, and the others go on", "[field-pass]") {
    Passed s;
    const std::string second = s.add("field_pass");
    FieldSource image = makeSource("image");
    image.params["file"].value = std::string("nowhere.png");
    s.field(s.pass, "value", image);
    s.build();
    CHECK_FALSE(s.job.problems.empty());
    CHECK(s.film.fieldMean(1, s.film.indexOf(24, 18)).x == 1.0f);
}

TEST_CASE("occlusion is none in the open, all in the dark, and a half before a wall",
          "[field-pass][occlusion]") {
    RenderScene scene;
    const uint32_t material = scene.addMaterial({});
    const auto put = [&](const MeshPtr& mesh, const M44f& m) {
        scene.addInstance({scene.addMesh(mesh), scene.addMaterialSlots({material}), 1, 0, 0}, m);
    };
    put(makePlane(200, 200), M44f());
    M44f up;  // a wall through x = 0, as high as the floor is wide
    up.rotate(V3f(0, 0, kPi / 2));
    put(makePlane(200, 200), up);
    scene.commit(Progress::none());
    const auto occlusionAt = [&](float x, float reach) {
        CameraOptions c;
        c.position = V3f(x, 0.5f, 0.001f), c.target = V3f(x, 0, 0);
        c.focal = 2000;
        RenderOptions o;
        o.occlusionReach = reach;
        Film film(8, 8, {.passes = {Pass::Occlusion}});
        const Renderer renderer(scene, Camera(c, 1.0f), o);
        for (uint32_t pass = 0; pass < 64; ++pass)
            renderer.renderPass(film, pass, {0, 0, 8, 8}, Progress::none());
        double sum = 0;
        for (size_t i = 0; i < film.count(); ++i) sum += double(film.value(Pass::Occlusion, i));
        return sum / double(film.count());
    };
    CHECK(occlusionAt(5.0f, 1.0f) == 0.0);
    // A wall without end beside a place takes half of what falls there by the cosine. 4,096 draws leave an
    // error of 1/128 at one deviation.
    CHECK(occlusionAt(0.05f, 80.0f) == Approx(0.5).margin(0.03));
    // Of a wall that is half a reach away those directions count whose part towards it is over a half: on
    // the disc that even draws come from, a segment beyond half its radius.
    const double segment = (std::acos(0.5) - 0.5 * std::sqrt(0.75)) / kPi;
    CHECK(occlusionAt(0.5f, 1.0f) == Approx(segment).margin(0.025));
}
