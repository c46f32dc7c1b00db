// Handing layers on, and points that come from files; what a layer shows.
#include <set>

#include "base/error.h"
#include "base/files.h"
#include "deliver/export.h"
#include "deliver/render_scene_builder.h"
#include "document/edits/edits.h"
#include "eval/showing.h"
#include "io/formats/elements_io.h"
#include "io/mesh/mesh_reader.h"
#include "io/points/csv_points.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

struct Laid {
    Document document = Document::fresh();
    std::string layer, ball;
    std::filesystem::path home = {};  ///< where its files lie
    Evaluator evaluator;
    Laid() {
        Node p = makeNode(document, "plane"), b = makeNode(document, "sphere");
        ball = b.id;
        b.params["segments"].value = int64_t(8);
        document.put(p);
        document.put(b);
        document = withLayer(document, p.id, b.id, &layer);
        set("scatter/count", "200");
        set("orient/tilt", "0..30");
        set("vary_size/form", "by axis");
        set("vary_size/height", "1..2");
    }
    void set(const std::string& path, const std::string& value) {
        document = withText(document, layer + "/" + path, value);
    }
    std::shared_ptr<const Copies> copies(EvalOptions options = {1, Purpose::Render, true}) {
        return std::get<std::shared_ptr<const Copies>>(
            evaluator.layer({document, home}, layer, options, Progress::none()).geometry);
    }
    LayerResult write(ExportAs what, const std::filesystem::path& file) {
        return exportLayer({document, home}, layer, what, file, evaluator, {1, Purpose::Render, true},
                           Progress::none());
    }
};

/// Each copy's matrix by its id.
std::map<uint64_t, M44f> matrices(const AttributeSet& set) {
    std::map<uint64_t, M44f> out;
    const ElementPlaces places(set);
    const auto id = set.find<uint64_t>("id");
    for (size_t i = 0; i < id.size(); ++i) out[id[i]] = places.matrix(i);
    return out;
}

bool alike(const M44f& a, const M44f& b, float tolerance) {
    for (int r = 0; r < 4; ++r)
        for (int c = 0; c < 4; ++c)
            if (std::abs(a[r][c] - b[r][c]) > tolerance) return false;
    return true;
}

}  // namespace

TEST_CASE("copies are written, read and stand where they stood, in every format", "[hand-on]") {
    const TemporaryFolder folder;
    Laid s;
    const auto expected = matrices(s.copies()->attributes);
    for (const char* name : {"a.ply", "a.csv", "a.usda", "a.vdb"}) {
        INFO(name);
        s.write(ExportAs::Elements, folder / name);
        const PointSet back = readPoints(folder / name);
        CHECK(back.size() == 200);
        const auto p = back.attributes.find<V3f>("P");
        const auto id = back.attributes.find<uint64_t>("id");
        REQUIRE(id.size() == 200);
        for (size_t i = 0; i < 200; ++i) {
            const M44f& m = expected.at(id[i]);
            REQUIRE((p[i] - V3f(m[3][0], m[3][1], m[3][2])).length() < 2e-4f);  // .vdb keeps places in voxels
        }
        if (std::string(name) != "a.usda") continue;
        const auto read = matrices(back.attributes);  // instances carry the whole matrix
        for (const auto& [key, m] : expected) REQUIRE(alike(m, read.at(key), 1e-4f));
    }
    CHECK_THROWS_WITH(s.write(ExportAs::Elements, folder / "a.xyz"), Catch::Contains(".csv"));
    CHECK_THROWS_AS(s.write(ExportAs::Elements, folder / "none" / "a.ply"), Error);
}

TEST_CASE("one mesh of all copies is written and read in every format", "[hand-on]") {
    const TemporaryFolder folder;
    Laid s;
    const size_t triangles =
        200 * s.evaluator.object(s.document, s.ball, 1, Progress::none()).mesh->triangles().size();
    Box3f box;
    for (const char* name : {"m.ply", "m.obj", "m.glb"}) {
        INFO(name);
        s.write(ExportAs::Mesh, folder / name);
        const FileMesh back = readMesh(folder / name, Progress::none());
        CHECK(back.mesh->triangles().size() == triangles);
        CHECK_FALSE(back.mesh->uvs().empty());
        if (box.isEmpty()) box = back.mesh->bounds();
        CHECK((back.mesh->bounds().max - box.max).length() < 1e-4f);
        CHECK((back.mesh->bounds().min - box.min).length() < 1e-4f);
    }
    CHECK(meshBytes(s.document, s.layer, s.evaluator, {1, Purpose::Render, true}, Progress::none()) > 1e5);
    s.document = withText(s.document, "scene/memory", "0.05");
    s.set("scatter/count", "100000");
    CHECK_THROWS_WITH(s.write(ExportAs::Mesh, folder / "big.ply"), Catch::Contains("limit"));
    CHECK_THROWS_AS(s.write(ExportAs::Mesh, folder / "m.csv"), Error);
}

TEST_CASE("points of a file feed a layer", "[hand-on][steps]") {
    const TemporaryFolder folder;
    Laid s;
    s.write(ExportAs::Elements, folder / "a.csv");
    Laid t;
    t.home = folder.path();
    t.document = withStepReplaced(t.document, t.layer, "scatter", "from_file");
    t.set("from_file/file", "a.csv");
    t.document = withoutStep(t.document, t.layer, "orient");
    t.document = withoutStep(t.document, t.layer, "vary_size");
    const auto there = matrices(s.copies()->attributes), here = matrices(t.copies()->attributes);
    CHECK(here.size() == 200);
    for (const auto& [id, m] : there) {  // turns and sizes come with the file
        const M44f& n = here.at(id);
        REQUIRE((V3f(m[3][0], m[3][1], m[3][2]) - V3f(n[3][0], n[3][1], n[3][2])).length() < 1e-5f);
    }
    writeFile(folder / "a.csv", "x,y,z\n0.2,7,0.1\n");  // a changed file is seen
    t.set("from_file/on_surface", "true");
    const auto laid = t.copies();
    REQUIRE(laid->size() == 1);
    CHECK(laid->attributes.find<V3f>("P")[0].y == Approx(0).margin(1e-5));
    t.set("from_file/file", "gone.csv");
    const LayerResult r =
        t.evaluator.layer({t.document, t.home}, t.layer, {1, Purpose::Render, true}, Progress::none());
    CHECK(r.steps[0].error.find("gone.csv") != std::string::npos);
}

TEST_CASE("bad files of points are refused with the place", "[hand-on][bad-input]") {
    const TemporaryFolder folder;
    const auto refused = [&](const std::string& text) {
        writeFile(folder / "b.csv", text);
        try {
            readPoints(folder / "b.csv");
        } catch (const Error& e) {
            return std::string(e.what());
        }
        return std::string();
    };
    CHECK(refused("").find("no column x") != std::string::npos);
    CHECK(refused("x,y\n1,2\n").find("no column z") != std::string::npos);
    CHECK(refused("x,y,z\n1,2,3\n1,2\n").find("line 3") != std::string::npos);
    CHECK(refused("x,y,z\n1,two,3\n").find("\"two\"") != std::string::npos);
    CHECK(refused("x,y,z\n1,nan,3\n").find("line 2") != std::string::npos);
    CHECK(refused("x,y,z,id\n1,2,3,-4\n").find("line 2") != std::string::npos);
    CHECK(refused("x;y;z\r\n1;2;3\r\n").empty());
    CHECK_THROWS_AS(readPoints(folder / "c.usda"), Error);
    CHECK_THROWS_AS(readPoints(folder / "c.txt"), Error);
    std::mt19937_64 random(testSeed() + 9);
    Laid s;
    for (const char* name : {"m.csv", "m.usda", "m.ply"}) {
        s.write(ExportAs::Elements, folder / name);
        const std::string whole = readFile(folder / name);
        for (int i = 0; i < 300; ++i) {
            std::string bytes = whole;
            for (int k = 0; k < 3; ++k) damage(bytes, random);
            writeFile(folder / name, bytes);
            try {
                readPoints(folder / name);
            } catch (const Error&) {
            }
        }
    }
}

TEST_CASE("a layer's settings show a stable part of it", "[showing]") {
    Laid s;
    s.set("scatter/count", "4000");
    const EvalOptions view{1, Purpose::Viewport, true}, render{1, Purpose::Render, true};
    const auto ids = [&](EvalOptions o) {
        const auto all = s.copies(o)->attributes.find<uint64_t>("id");
        return std::set<uint64_t>(all.begin(), all.end());
    };
    CHECK(ids(view).size() == 4000);
    s.set("view_share", "0.5");
    const auto half = ids(view);
    CHECK(half.size() == Approx(2000).margin(160));
    CHECK(ids(render).size() == 4000);
    s.set("view_share", "0.7");
    const auto more = ids(view);
    CHECK(std::includes(more.begin(), more.end(), half.begin(), half.end()));
    s.set("view_most", "100");
    const auto few = ids(view);
    CHECK(few.size() == 100);
    s.set("view_most", "150");
    const auto some = ids(view);
    CHECK(std::includes(some.begin(), some.end(), few.begin(), few.end()));
    const LayerResult r = s.evaluator.layer(s.document, s.layer, view, Progress::none());
    CHECK(r.made == 4000);
}

TEST_CASE("copies that the camera does not see are left out, with a margin", "[showing]") {
    Laid s;
    s.set("scatter/count", "4000");
    const std::string camera = std::get<std::string>(s.document.setting("render", "camera"));
    s.document = withText(s.document, camera + "/position", "0,0.5,3");
    s.document = withText(s.document, camera + "/target", "0.8,0,0");
    s.document = withText(s.document, camera + "/focal", "120");
    s.set("cull", "view and render");
    s.set("cull_margin", "0");
    const EvalOptions render{1, Purpose::Render, true};
    const size_t none = s.copies(render)->size();
    CHECK(none < 3000);
    CHECK(none > 100);
    const CameraOptions o = *cameraOf(s.document, camera, 1);
    const Camera lens(o, 1280.0f / 720.0f);
    const auto seen = s.copies(render);
    for (const V3f& p : seen->attributes.find<V3f>("P")) {
        const V3f d = p - lens.position();
        const float depth = d.dot(lens.forward());
        REQUIRE(std::abs(d.dot(lens.right())) <= depth * lens.halfWidth() + 1e-4f);
        REQUIRE(std::abs(d.dot(lens.up())) <= depth * lens.halfHeight() + 1e-4f);
    }
    s.set("cull_margin", "0.2");
    CHECK(s.copies(render)->size() > none);
    s.set("cull", "never");
    s.set("thin_from", "2");
    const auto thinned = s.copies(render);
    CHECK(thinned->size() < 4000);
    size_t near = 0;
    for (const V3f& p : thinned->attributes.find<V3f>("P")) near += (p - lens.position()).length() < 2.0f;
    s.set("thin_from", "0");
    size_t all = 0;
    const auto whole = s.copies(render);
    for (const V3f& p : whole->attributes.find<V3f>("P")) all += (p - lens.position()).length() < 2.0f;
    CHECK(near == all);  // none is lost nearby
}

TEST_CASE("what moves is written with the speed and the curve of its way, what stands still without",
          "[hand-on]") {
    const TemporaryFolder folder;
    Document d = Document::fresh();
    d.put(makeNode(d, "plane"));
    Node layer = makeNode(d, "layer", "Drops");
    layer.params["surface"].value = std::string("plane");
    layer.steps.push_back(makeStep("scatter", layer));
    layer.steps[0].params["count"].value = int64_t(20);
    d.put(layer);
    Evaluator evaluator;
    const auto write = [&](double frame, const char* name) {
        exportLayer(d, "drops", ExportAs::Elements, folder / name, evaluator, {frame, Purpose::Render, true},
                    Progress::none());
        return readPoints(folder / name).attributes;
    };
    CHECK_FALSE(write(1, "still.usda").has("v"));
    d = withStep(d, "drops", 1, makeStep("simulate", d.get("drops")));
    d = withText(d, "drops/emit/rate", "0");
    d = withText(d, "drops/emit/burst", "20");
    d = withText(d, "drops/emit/burst_at", "1");
    for (const char* name : {"a.usda", "a.csv", "a.ply", "a.vdb"}) {
        INFO(name);
        const AttributeSet a = write(6, name), later = write(6.75, "later.csv");
        const auto p = a.find<V3f>("P"), v = a.find<V3f>("v"), acc = a.find<V3f>("acceleration"),
                   q = later.find<V3f>("P");
        REQUIRE(v.size() == 20);
        REQUIRE(acc.size() == 20);
        // By id: files of points have an order of their own.
        const auto where = indexById(later.find<uint64_t>("id"));
        const auto id = a.find<uint64_t>("id");
        const float h = 0.75f / 24;
        for (size_t i = 0; i < 20; ++i) {
            CHECK(acc[i].y ==
                  Approx(-9.81).margin(0.5));  // differences of floats over a hundredth of a second
            const V3f there = p[i] + v[i] * h + acc[i] * (0.5f * h * h);
            CHECK((there - q[where.at(id[i])]).length() < 1e-3f);
        }
    }
}
