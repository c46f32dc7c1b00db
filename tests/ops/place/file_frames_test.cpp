// Sequences of files: points and strands that come from one file a frame.
#include "base/error.h"
#include "base/file_sequence.h"
#include "base/files.h"
#include "document/edits/edits.h"
#include "document/file/scene_file.h"
#include "eval/simulated.h"
#include "geo/strands/strands.h"
#include "io/formats/elements_io.h"
#include "io/volume/vdb_grids.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// Points with ids from @p first on, all at a height.
PointSet row(size_t count, float y, uint64_t first = 0) {
    PointSet set;
    std::vector<V3f> p;
    std::vector<uint64_t> id;
    for (size_t i = 0; i < count; ++i) p.push_back(V3f(float(i), y, 0)), id.push_back(first + i);
    set.attributes.set("P", p);
    set.attributes.set("id", id);
    return set;
}

/// A scene whose layer shows a sequence of points at heights of their frames.
struct Sequence {
    TemporaryFolder folder;
    Document document = Document::fresh();
    Evaluator evaluator;
    explicit Sequence(const std::string& ending = ".csv") {
        for (int f : {3, 4, 5, 7, 8}) write(f, ending);
        Node layer = makeNode(document, "layer", "Drops");
        layer.steps.push_back(makeStep("from_file", layer));
        layer.steps[0].params["file"].value = "drops.####" + ending;
        document.put(layer);
    }
    SceneContext scene() const { return {document, folder.path()}; }
    void write(int frame, const std::string& ending, size_t count = 10) {
        writeElements(folder / fileOfFrame("drops.####" + ending, frame),
                      std::make_shared<const PointSet>(row(count, float(frame))));
    }
    LayerResult result(double frame, bool full = true) {
        return evaluator.layer(scene(), "drops", {frame, full ? Purpose::Render : Purpose::Viewport, full},
                               Progress::none());
    }
    AttributeSet at(double frame, bool full = true) {
        const LayerResult r = result(frame, full);
        for (const StepReport& s : r.steps) INFO(s.error);
        REQUIRE(r.ok);
        return std::get<std::shared_ptr<const PointSet>>(r.geometry)->attributes;
    }
    double height(double frame) { return double(at(frame).find<V3f>("P")[4].y); }
    void set(const std::string& path, const std::string& value) {
        document = withText(document, "drops/from_file/" + path, value);
    }
};

}  // namespace

TEST_CASE("names of sequences stand for their frames and no others", "[sequence]") {
    CHECK(isSequence("a/drops.####.ply"));
    CHECK_FALSE(isSequence("a#b/drops.ply"));
    CHECK_FALSE(isSequence(""));
    CHECK(fileOfFrame("a##b.####.vdb", 12) == "a##b.0012.vdb");
    CHECK(fileOfFrame("x.##.csv", -3) == "x.-03.csv");
    CHECK(fileOfFrame("x.#.csv", 12345) == "x.12345.csv");
    CHECK(fileOfFrame("plain.csv", 4) == "plain.csv");
    TemporaryFolder folder;
    for (const char* name :
         {"d.0001.ply", "d.0002.ply", "d.12345.ply", "d.-0004.ply", "d.7.ply", "d.00a1.ply", "d.0001.csv",
          "e.0001.ply", "d.00002.ply", "d.99999999999999999999.ply"})
        writeFile(folder / name, "x");
    CHECK(framesOf(folder / "d.####.ply") == std::set<int>{-4, 1, 2, 12345});
    CHECK(framesOf(folder / "none.####.ply").empty());
    CHECK(framesOf("/no/such/folder/a.####.ply").empty());
    CHECK(sequenceOf(folder / "d.0002.ply") == (folder / "d.####.ply").string());
    CHECK(sequenceOf(folder / "e.0001.ply") == (folder / "e.0001.ply").string());
    CHECK(sequenceOf(folder / "0001.ply") == (folder / "0001.ply").string());
}

TEST_CASE("a sequence shows each frame's points, and between frames those of both by id", "[sequence]") {
    const std::string ending = GENERATE(as<std::string>(), ".csv", ".ply", ".usda", ".vdb");
    INFO(ending);
    Sequence s(ending);
    const double near = ending == ".vdb" ? 1e-3 : 1e-6;  // that keeps places in voxels
    CHECK(s.height(3) == Approx(3).margin(near));
    CHECK(s.height(4) == Approx(4).margin(near));
    CHECK(s.height(4.25) == Approx(4.25).margin(near));
    CHECK(s.height(7.5) == Approx(7.5).margin(near));
    s.set("offset", "10");
    CHECK(s.height(14) == Approx(4).margin(near));
    // A file that is written anew is read anew.
    s.set("offset", "0");
    s.write(4, ending, 3);
    CHECK(s.at(4).size() == 3);
}

TEST_CASE("before and after its frames a sequence holds, loops or shows nothing", "[sequence]") {
    Sequence s;
    CHECK(s.height(-50) == 3);
    CHECK(s.height(100) == 8);
    s.set("at_end", "loop");
    for (int f : {9, 15, -3, 3}) CHECK(s.height(f) == 3);  // six frames in all
    CHECK(s.height(10) == 4);
    CHECK(s.height(2) == 8);
    s.set("at_end", "nothing");
    CHECK(s.at(2).size() == 0);
    CHECK(s.at(9).size() == 0);
    CHECK(s.at(8).size() == 10);
}

TEST_CASE("a frame that is missing is said, and the one before it shown", "[sequence]") {
    Sequence s;
    const LayerResult r = s.result(6);
    CHECK(r.steps[0].note.find("drops.0006.csv is missing") != std::string::npos);
    CHECK(s.height(6) == 5);
    CHECK(s.height(6.5) == 5);
    CHECK(s.result(7).steps[0].note.empty());
    s.set("file", "others.####.csv");
    const LayerResult none = s.result(6);
    CHECK_FALSE(none.ok);
    CHECK(none.steps[0].error.find("no file of the sequence") != std::string::npos);
    writeFile(s.folder / "others.0006.csv", "x,y\n1,2\n");
    CHECK_FALSE(s.result(6).ok);
}

TEST_CASE("Draft shows the light sequence whole, and a render the full one", "[sequence]") {
    Sequence s;
    s.document = withText(s.document, "scene/draft", "0.5");
    CHECK(s.at(4, false).size() < 10);
    for (int f : {3, 4, 5})
        writeElements(s.folder / fileOfFrame("light.####.csv", f),
                      std::make_shared<const PointSet>(row(2, float(f))));
    s.set("light", "light.####.csv");
    CHECK(s.at(4, false).size() == 2);
    CHECK(s.at(4).size() == 10);
    s.document = withText(s.document, "scene/draft", "1");  // a Draft that shows all of the others
    CHECK(s.at(5, false).size() == 2);
    CHECK(s.at(5).size() == 10);
    // What is simulated from it is another simulation in Draft.
    s.document = withStep(s.document, "drops", 1, makeStep("simulate", s.document.get("drops")));
    s.document = withoutStep(s.document, "drops", "emit");
    CHECK(s.at(6, false).size() == 2);
    CHECK(s.at(6).size() == 10);
    CHECK(s.at(6, false).size() == 2);
}

TEST_CASE("speeds carry on those that no next frame has", "[sequence]") {
    Sequence s;
    for (int f : {20, 21}) {
        PointSet set = row(2, 0.0f, f == 20 ? 0 : 1);  // the first is gone in the next frame
        set.attributes.set("v", std::vector<V3f>{V3f(0, 24, 0), V3f(0, 24, 0)});
        writeElements(s.folder / fileOfFrame("fast.##.csv", f), std::make_shared<const PointSet>(set));
    }
    s.set("file", "fast.##.csv");
    const AttributeSet a = s.at(20.5);
    CHECK(a.find<V3f>("P")[0].y == Approx(0.5));  // 24 m/s at 24 frames a second
    REQUIRE(a.find<V3f>("v").size() == 2);
}

TEST_CASE("a simulation takes a sequence as its source, and knows when one of its files changes",
          "[sequence][simulate]") {
    Sequence s;
    s.document = withStep(s.document, "drops", 1, makeStep("simulate", s.document.get("drops")));
    s.document = withText(s.document, "drops/emit/rate", "240");
    CHECK(s.at(8).size() == 70);
    const Node& layer = s.document.get("drops");
    const uint64_t before = simulationKeyOf(s.scene(), layer, 1, 1.0);
    CHECK(simulationKeyOf(s.scene(), layer, 1, 1.0) == before);
    s.write(5, ".csv", 4);
    CHECK(simulationKeyOf(s.scene(), layer, 1, 1.0) != before);
    std::filesystem::remove(s.folder / "drops.0008.csv");
    const uint64_t fewer = simulationKeyOf(s.scene(), layer, 1, 1.0);
    CHECK(fewer != before);
    // A baked simulation is a sequence of points in turn.
    const PointSet life = row(3, 1.0f);
    AttributeSet a = life.attributes;
    a.set("life", std::vector<float>(3, std::numeric_limits<float>::infinity()));
    writeElements(s.folder / "endless.csv", std::make_shared<const PointSet>(PointSet{a}));
    CHECK(std::isinf(readPoints(s.folder / "endless.csv").attributes.find<float>("life")[1]));
}

TEST_CASE("a sequence of strands drives simulated guides", "[sequence][rods]") {
    TemporaryFolder folder;
    for (int f : {1, 5, 10}) {
        StrandSet set;
        std::vector<V3f> p;
        for (int k = 0; k < 8; ++k) p.push_back(V3f(0.1f * float(f), 0.02f * float(k), 0));
        set.points.set("P", p);
        set.start.push_back(8);
        set.strands.set("id", std::vector<uint64_t>{4});
        set.strands.set("P", std::vector<V3f>{p[0]});
        writeElements(folder / fileOfFrame("sway.####.usda", f), std::make_shared<const StrandSet>(set));
    }
    Document d = Document::fresh();
    Node layer = makeNode(d, "layer", "Guides");
    layer.steps.push_back(makeStep("strand_file", layer));
    layer.steps[0].params["file"].value = std::string("sway.####.usda");
    d.put(layer);
    d = withStep(d, "guides", 1, makeStep("simulate_strands", d.get("guides")));
    Evaluator evaluator;
    const auto at = [&](double frame) {
        const LayerResult r =
            evaluator.layer({d, folder.path()}, "guides", {frame, Purpose::Render, true}, Progress::none());
        REQUIRE(r.ok);
        return std::get<StrandsPtr>(r.geometry);
    };
    for (int f : {1, 5, 10}) CHECK(at(f)->points.find<V3f>("P")[0].x == Approx(0.1 * f).margin(1e-5));
    CHECK(at(10)->points.find<V3f>("P")[7].x < 0.99f);  // the tip lags behind its root
}

TEST_CASE("damaged points of OpenVDB are told, and never do harm", "[file-frames][vdb]") {
    TemporaryFolder folder;
    auto points = std::make_shared<PointSet>(row(400, 1));
    points->attributes.set("v", std::vector<V3f>(400, V3f(1, 2, 3)));
    points->attributes.set("age", std::vector<float>(400, 0.5f));
    writeElements(folder / "p.vdb", points);
    const std::string whole = readFile(folder / "p.vdb");
    CHECK(readPoints(folder / "p.vdb").size() == 400);
    CHECK(readElementsInfo(folder / "p.vdb").count == 400);
    size_t told = 0;
    for (uint64_t seed = 0; seed < 3; ++seed) {
        std::mt19937_64 random(testSeed() + seed);
        for (int i = 0; i < 25; ++i) {
            std::string bytes = whole;
            for (int k = 0; k < 2; ++k) damage(bytes, random);
            writeFile(folder / "bad.vdb", bytes);
            try {
                const PointSet set = readPoints(folder / "bad.vdb");
                CHECK(set.attributes.find<uint64_t>("id").size() == set.size());
            } catch (const Error& e) {
                ++told;
                CHECK(std::string(e.what()).find("bad.vdb") != std::string::npos);
            }
        }
    }
    CHECK(told > 25);  // most cuts leave no file
}

TEST_CASE("grids of vectors come back from their files, and bad ones are told", "[sequence][io]") {
    TemporaryFolder folder;
    VectorGrid grid;
    grid.size = V3i(3, 4, 2);
    grid.cellFromWorld.setScale(V3f(2.0f));
    grid.cellFromWorld[3][0] = -1;
    std::mt19937_64 random(testSeed());
    std::normal_distribution<float> n;
    for (int i = 0; i < 24; ++i) grid.values.push_back(V3f(n(random), n(random), n(random)));
    writeVectorGrid(folder / "v.vdb", "flow", grid);
    for (const char* name : {"flow", ""}) {
        const VectorGrid back = readVectorGrid(folder / "v.vdb", name, SIZE_MAX);
        CHECK(back.size == grid.size);
        CHECK(back.values == grid.values);
        for (const V3f& p : {V3f(0.6f, 0.1f, 0.2f), V3f(1.4f, 1.4f, 0.5f), V3f(9, 9, 9)})
            CHECK((back.at(p) - grid.at(p)).length() < 1e-5f);
    }
    CHECK_THROWS_WITH(readVectorGrid(folder / "v.vdb", "wind", SIZE_MAX), Catch::Contains("flow"));
    CHECK_THROWS_WITH(readVectorGrid(folder / "v.vdb", "", 100), Catch::Contains("memory"));
    CHECK_THROWS_AS(readVectorGrid(folder / "none.vdb", "", SIZE_MAX), Error);
    writeElements(folder / "p.vdb", std::make_shared<const PointSet>(row(4, 1)));
    CHECK_THROWS_WITH(readVectorGrid(folder / "p.vdb", "", SIZE_MAX), Catch::Contains("no grid of vectors"));
    grid.values[3].x = std::nanf("");
    writeVectorGrid(folder / "nan.vdb", "flow", grid);
    CHECK_THROWS_WITH(readVectorGrid(folder / "nan.vdb", "", SIZE_MAX), Catch::Contains("no number"));
    const std::string whole = readFile(folder / "v.vdb");
    for (int k = 0; k < 40; ++k) {
        std::string bytes = whole;
        damage(bytes, random);
        writeFile(folder / "bad.vdb", bytes);
        try {
            readVectorGrid(folder / "bad.vdb", "", 1 << 20);
        } catch (const Error&) {
        }
    }
}
