// Painted maps: layouts, brushes, moving to another mesh, files.
#include "field/paint.h"
#include "base/error.h"
#include "document/file/map_files.h"
#include "document/file/scene_file.h"
#include "document/file/session.h"
#include "eval/checks/checks.h"
#include "eval/evaluator.h"
#include "eval/manual_work.h"
#include "field/field.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

std::shared_ptr<const PaintedMap> blank(const Surface& surface, float resolution, float value = 0) {
    const auto layout = makePaintLayout(surface, M44f(), resolution, SIZE_MAX);
    return std::make_shared<const PaintedMap>(layout, std::vector<float>(layout->position.size(), value));
}

float at(const PaintedMap& map, const Surface& surface, const V3f& p) {
    const SurfaceHit hit = surface.closest(p);
    return paintedAt(map, hit.triangle, hit.u, hit.v);
}

Dab dab(float x, float z) { return {V3f(x, 0, z), V3f(0, 1, 0), 1}; }

std::shared_ptr<const PaintedMap> touched(const PaintedMap& map, const Surface& surface, Brush brush,
                                          const std::vector<Dab>& dabs) {
    return brushed(map, surface, M44f(), brush, dabs);
}

}  // namespace

TEST_CASE("a layout is as fine as asked, on coarse and on fine meshes", "[paint]") {
    const Surface coarse(makePlane(1, 1)), fine(makePlane(1, 50));
    const auto lattice = makePaintLayout(coarse, M44f(), 0.1f, SIZE_MAX);
    CHECK(lattice->start.size() == 3);
    CHECK(lattice->start[1] == 16 * 17 / 2);  // the diagonal of 1.41 m in 15 parts
    CHECK(makePaintLayout(fine, M44f(), 0.1f, SIZE_MAX)->position.size() == 2 * 50 * 50 * 3);
    for (const V3f& p : lattice->position) CHECK(std::abs(p.x) <= 0.5001f);
    M44f half;
    half.setScale(0.5f);
    CHECK(makePaintLayout(coarse, half, 0.1f, SIZE_MAX)->start[1] == 9 * 10 / 2);
    CHECK_THROWS_WITH(makePaintLayout(coarse, M44f(), 0.001f, 1000), Catch::Contains("places"));
    CHECK(makePaintLayout(Surface(std::make_shared<Mesh>()), M44f(), 0.1f, SIZE_MAX)->position.empty());
    CHECK(topologyOf(*makePlane(1, 2)) == topologyOf(*makePlane(3, 2)));
    CHECK(topologyOf(*makePlane(1, 2)) != topologyOf(*makePlane(1, 3)));
}

TEST_CASE("a map is linear between its places", "[paint]") {
    const Surface surface(makePlane(2, 1));
    const auto layout = makePaintLayout(surface, M44f(), 0.23f, SIZE_MAX);
    std::vector<float> values;
    for (const V3f& p : layout->position) values.push_back(0.5f + 0.2f * p.x - 0.1f * p.z);
    const PaintedMap map(layout, values);
    std::mt19937_64 random(testSeed() + 5);
    std::uniform_real_distribution<float> d(-1, 1);
    for (int i = 0; i < 500; ++i) {
        const V3f p(d(random), 0, d(random));
        REQUIRE(at(map, surface, p) == Approx(0.5f + 0.2f * p.x - 0.1f * p.z).margin(1e-5));
    }
}

TEST_CASE("brushes do what they say, and only where they touch", "[paint]") {
    const Surface surface(makePlane(2, 40));
    Brush brush;
    brush.radius = 0.3f, brush.strength = 1;
    const auto bare = blank(surface, 1);
    const auto painted = touched(*bare, surface, brush, {dab(-0.5f, 0)});
    CHECK(at(*painted, surface, V3f(-0.5f, 0, 0)) == Approx(1).margin(0.02));
    CHECK(at(*painted, surface, V3f(-0.35f, 0, 0)) == Approx(0.5).margin(0.03));
    CHECK(at(*painted, surface, V3f(0.5f, 0, 0)) == 0.0f);
    for (size_t i = 0; i < painted->values.size(); ++i)  // far corners keep their bits
        if ((painted->layout->position[i] - V3f(-0.5f, 0, 0)).length() > 0.3f)
            REQUIRE(painted->values[i] == bare->values[i]);

    brush.mirror = true;
    CHECK(at(*touched(*bare, surface, brush, {dab(-0.5f, 0)}), surface, V3f(0.5f, 0, 0)) > 0.95f);
    brush.mirror = false;
    brush.mode = Brush::Subtract;
    CHECK(at(*touched(*painted, surface, brush, {dab(-0.5f, 0)}), surface, V3f(-0.5f, 0, 0)) < 0.05f);
    brush.mode = Brush::Erase;
    brush.base = 0.25f;
    CHECK(at(*touched(*painted, surface, brush, {dab(-0.5f, 0)}), surface, V3f(-0.5f, 0, 0)) ==
          Approx(0.25).margin(0.05));
    brush.mode = Brush::Flood;
    brush.strength = 0.5f;
    const auto flooded = touched(*painted, surface, brush, {});
    CHECK(at(*flooded, surface, V3f(0.9f, 0, 0.9f)) == 0.5f);
    brush.mode = Brush::Smooth;
    brush.strength = 1;
    const auto roughness = [&](const PaintedMap& m) {
        float most = 0;
        for (float x = -0.8f; x < -0.2f; x += 0.05f)
            most =
                std::max(most, std::abs(at(m, surface, V3f(x + 0.05f, 0, 0)) - at(m, surface, V3f(x, 0, 0))));
        return most;
    };
    CHECK(roughness(*touched(*painted, surface, brush, std::vector<Dab>(8, dab(-0.5f, 0)))) <
          roughness(*painted));
}

TEST_CASE("pressure weakens a touch, and the other side of a wall stays bare", "[paint]") {
    const Surface surface(makeSphere(0.05f, 64));
    Brush brush;
    brush.radius = 0.2f, brush.strength = 1;  // wider than the ball
    const auto map = touched(*blank(surface, 1), surface, brush, {{V3f(0, 0.05f, 0), V3f(0, 1, 0), 0.5f}});
    CHECK(at(*map, surface, V3f(0, 0.05f, 0)) == Approx(0.5).margin(0.02));
    CHECK(at(*map, surface, V3f(0, -0.05f, 0)) == 0.0f);
    const Dab nowhere{V3f(NAN, 0, 0), V3f(0, 1, 0), 1};
    CHECK(touched(*map, surface, brush, {nowhere})->values == map->values);
}

TEST_CASE("a map moves to another mesh by the nearest place", "[paint]") {
    const Surface first(makePlane(2, 30)), second(makePlane(2, 47));
    Brush brush;
    brush.radius = 0.5f, brush.strength = 1;
    const auto map = touched(*blank(first, 1), first, brush, {dab(0.4f, 0.2f)});
    const auto moved = transferred(*map, makePaintLayout(second, M44f(), 1, SIZE_MAX), Progress::none());
    for (float x = -0.9f; x < 0.95f; x += 0.1f)
        CHECK(at(*moved, second, V3f(x, 0, 0.2f)) == Approx(at(*map, first, V3f(x, 0, 0.2f))).margin(0.15));
    // The source does it by itself.
    FieldSource source = makeSource("paint");
    source.params["map"].value = MapValue{map};
    FieldContext context;
    context.surface = std::make_shared<const Surface>(makePlane(2, 47));
    const std::vector<V3f> p = {{0.4f, 0, 0.2f}, {-0.9f, 0, -0.9f}};
    std::vector<float> out(2);
    CompiledField(Field{{source}}, context).evaluate(Samples(p), out);
    CHECK(out[0] == Approx(1).margin(0.05));
    CHECK(out[1] == 0.0f);
}

namespace {

/// A layer on a plane, masked by a painted source.
struct Painted {
    Document document = Document::fresh();
    std::string plane, layer;
    Evaluator evaluator;
    ParamPath source;
    Painted() {
        Node p = makeNode(document, "plane"), b = makeNode(document, "sphere");
        plane = p.id;
        p.params["divisions"].value = int64_t(20);
        document.put(p);
        document.put(b);
        document = withLayer(document, plane, b.id, &layer);
        document = withField(document, {layer, "scatter", "mask"},
                             std::make_shared<Field>(Field{{makeSource("paint")}}));
        source = {layer, "scatter", "mask", 0, "map"};
    }
    SurfacePtr surface() { return evaluator.surface(document, plane, {1}, Progress::none()); }
    void paint(float x, float z, Brush brush = {}) {
        const Dab d = dab(x, z);
        document = withDabs(document, source, surface(), brush, {&d, 1}, 1);
    }
    Geometry eval() {
        return evaluator.layer(document, layer, {1, Purpose::Render, false}, Progress::none()).geometry;
    }
    std::map<uint64_t, V3f> places() {
        std::map<uint64_t, V3f> out;
        const Geometry g = eval();
        const auto& a = std::get<std::shared_ptr<const Copies>>(g)->attributes;
        for (size_t i = 0; i < a.size(); ++i) out[a.find<uint64_t>("id")[i]] = a.find<V3f>("P")[i];
        return out;
    }
    bool hasCheck(const std::string& part) {
        for (const Check& c : findChecks(document, {}, evaluator, 1, Progress::none()))
            if (c.text.find(part) != std::string::npos) return true;
        return false;
    }
};

Brush wide() {
    Brush b;
    b.radius = 0.4f, b.strength = 1;
    return b;
}

}  // namespace

TEST_CASE("elements follow the brush, and those elsewhere keep their bits", "[paint][layers]") {
    Painted s;
    CHECK(elementCount(s.eval()) == 0);
    s.paint(-0.5f, -0.5f, wide());
    const auto before = s.places();
    CHECK(before.size() > 50);
    s.paint(0.6f, 0.6f, wide());
    const auto after = s.places();
    CHECK(after.size() > before.size() + 50);
    for (const auto& [id, p] : before) REQUIRE(after.at(id) == p);
}

TEST_CASE("painted maps are saved beside the scene and read again", "[paint][scene-file]") {
    const TemporaryFolder folder;
    Painted s;
    s.paint(0, 0, wide());
    saveScene(s.document, folder / "pool.ovrix");
    const auto files = [&] {
        std::vector<std::filesystem::path> all;
        for (const auto& e : std::filesystem::directory_iterator(folder / "pool.maps"))
            all.push_back(e.path());
        return all;
    };
    REQUIRE(files().size() == 1);
    const std::string first = files()[0].string();
    const Document read = loadScene(folder / "pool.ovrix");
    CHECK(read == s.document);
    CHECK(writeScene(read) == writeScene(s.document));
    const auto there = s.places();
    s.document = read;
    CHECK(s.places() == there);
    CHECK_FALSE(s.hasCheck("map"));

    s.paint(0.5f, 0, wide());  // another map: the old file goes
    saveScene(s.document, folder / "pool.ovrix");
    CHECK(files().size() == 1);
    CHECK(files()[0].string() != first);

    std::filesystem::resize_file(files()[0], 100);
    s.document = loadScene(folder / "pool.ovrix");
    CHECK(s.hasCheck("painted map is missing or damaged"));
    CHECK(elementCount(s.eval()) == 0);
    std::filesystem::remove(files()[0]);
    s.document = loadScene(folder / "pool.ovrix");
    CHECK(s.hasCheck("painted map is missing"));
    CHECK(writeScene(s.document).find("\"hash\"") != std::string::npos);  // saving loses nothing
    s.paint(0, 0, wide());
    CHECK(elementCount(s.eval()) > 0);
}

TEST_CASE("painted maps come back after a crash", "[paint][autosave]") {
    const TemporaryFolder folder;
    Painted s;
    s.paint(0, 0, wide());
    Autosave autosave(folder.path());
    autosave.write(s.document, folder.path(), {});
    Autosave::Found found;
    for (const auto& e : std::filesystem::directory_iterator(folder.path()))
        if (e.path().extension() == ".autosave") found.file = e.path();
    const Document back = Autosave::read(found);
    s.document = back;
    CHECK(elementCount(s.eval()) > 0);
    autosave.clear();
    CHECK(std::filesystem::is_empty(folder.path()));
}

TEST_CASE("a map on a changed mesh is moved, and it is said", "[paint][checks]") {
    Painted s;
    s.paint(0, 0, wide());
    CHECK_FALSE(s.hasCheck("another mesh"));
    s.document = withText(s.document, s.plane + "/divisions", "33");
    CHECK(s.hasCheck("painted on another mesh"));
    CHECK(elementCount(s.eval()) > 50);
    s.paint(0.5f, 0.5f, wide());  // the next stroke brings it over for good
    CHECK_FALSE(s.hasCheck("another mesh"));
}

TEST_CASE("painting where nothing can be painted is refused", "[paint]") {
    Painted s;
    const Dab d = dab(0, 0);
    const auto empty = std::make_shared<const Surface>(std::make_shared<Mesh>());
    CHECK_THROWS_WITH(withDabs(s.document, s.source, empty, {}, {&d, 1}, 1), Catch::Contains("no faces"));
    ParamPath wrong = s.source;
    wrong.source = 5;
    CHECK_THROWS_AS(withDabs(s.document, wrong, s.surface(), {}, {&d, 1}, 1), Error);
    wrong = {s.layer, "orient", "to_up", 0, "map"};
    CHECK_THROWS_AS(withDabs(s.document, wrong, s.surface(), {}, {&d, 1}, 1), Error);
}
