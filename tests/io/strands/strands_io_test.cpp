// Strands in files: round trips, and what is wrong with others.
#include "base/error.h"
#include "base/files.h"
#include "geo/surface/surface.h"
#include "io/formats/elements_io.h"
#include "ops/style/strand_color.h"
#include "strand_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

StrandsPtr colored() {
    static const Surface ball(makeSphere(1, 24));
    StrandColorOptions o;
    return strandColor(*guidesOn(ball, 40), o, Progress::none());
}

std::vector<Color> colorsOf(const StrandSet& set) {
    const auto c = set.points.find<Color>("color");
    return {c.begin(), c.end()};
}

void write(const std::filesystem::path& path, const std::string& counts, const std::string& points) {
    writeFile(path, "#usda 1.0\ndef BasisCurves \"a\"\n{\n    int[] curveVertexCounts = [" + counts +
                        "]\n    point3f[] points = [" + points + "]\n}\n");
}

}  // namespace

TEST_CASE("strands are written and read back in each format", "[strands-io]") {
    TemporaryFolder folder;
    const auto strands = colored();
    const auto before = linesById(*strands);
    for (const char* name : {"s.usda", "s.ply", "s.vdb"}) {
        INFO(name);
        writeElements(folder / name, Geometry(strands), {});
        CHECK(holdsStrands(folder / name));
        const StrandSet back = readStrands(folder / name);
        const auto after = linesById(back);
        REQUIRE(after.size() == before.size());
        // OpenVDB keeps places as offsets within voxels: a little rounding.
        const float close = std::string(name) == "s.vdb" ? 1e-5f : 0.0f;
        for (const auto& [id, l] : before) {
            REQUIRE(after.at(id).size() == l.size());
            for (size_t i = 0; i < l.size(); ++i) CHECK((after.at(id)[i] - l[i]).length() <= close);
        }
        CHECK(back.points.find<float>("width").size() == strands->pointCount());
        CHECK(!back.points.has("red"));
        const auto color = back.points.find<Color>("color");
        REQUIRE(color.size() == strands->pointCount());
        std::vector<Color> sorted(color.begin(), color.end()), was = colorsOf(*strands);
        CHECK(std::is_permutation(sorted.begin(), sorted.end(), was.begin(), was.end()));
        CHECK_NOTHROW(strandColor(back, {}, Progress::none()));  // what was read is no dead end
        const ElementsInfo info = readElementsInfo(folder / name);
        CHECK(info.kind == "strands");
        CHECK(info.count == 40);
    }
    const StrandSet usd = readStrands(folder / "s.usda");
    CHECK(usd.points.find<Color>("color")[5] == strands->points.find<Color>("color")[5]);
    CHECK_THROWS_WITH(writeStrands(folder / "s.txt", *strands), Catch::Contains("ending"));
}

TEST_CASE("curve files with wrong counts are refused with the place", "[strands-io]") {
    TemporaryFolder folder;
    write(folder / "short.usda", "3, 2", "(0, 0, 0), (0, 1, 0), (0, 2, 0), (1, 0, 0)");
    CHECK_THROWS_WITH(readStrands(folder / "short.usda"),
                      Catch::Contains("5 points") && Catch::Contains("short.usda"));
    write(folder / "one.usda", "1, 2", "(0, 0, 0), (0, 1, 0), (0, 2, 0)");
    CHECK_THROWS_WITH(readStrands(folder / "one.usda"), Catch::Contains("curve 1"));
    write(folder / "minus.usda", "-3", "(0, 0, 0)");
    CHECK_THROWS_AS(readStrands(folder / "minus.usda"), Error);
    // Together they would count to two.
    write(folder / "huge.usda", "9223372036854775807, 9223372036854775807, 4", "(0, 0, 0), (0, 1, 0)");
    CHECK_THROWS_WITH(readStrands(folder / "huge.usda"), Catch::Contains("2"));
    write(folder / "far.usda", "2", "(0, 0, 0), (0, 1e400, 0)");
    CHECK_THROWS_WITH(readStrands(folder / "far.usda"), Catch::Contains("no number"));
    write(folder / "none.usda", "", "");
    CHECK_THROWS_WITH(readStrands(folder / "none.usda"), Catch::Contains("no strands"));
    write(folder / "nan.usda", "2", "(nan, 0, 0), (0, 1, 0)");
    CHECK_THROWS_AS(readStrands(folder / "nan.usda"), Error);
    const std::string head =
        "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float "
        "z\nelement "
        "edge 2\nproperty int vertex1\nproperty int vertex2\nend_header\n0 0 0\n0 1 0\n0 2 0\n";
    writeFile(folder / "good.ply", head + "0 1\n1 2\n");
    CHECK(readStrands(folder / "good.ply").size() == 1);
    CHECK(readStrands(folder / "good.ply").pointsOf(0) == 3);
    writeFile(folder / "far.ply", head + "0 1\n1 9\n");
    CHECK_THROWS_WITH(readStrands(folder / "far.ply"), Catch::Contains("point 10"));
    writeFile(folder / "branch.ply", head + "0 1\n0 2\n");
    CHECK_THROWS_WITH(readStrands(folder / "branch.ply"), Catch::Contains("branch"));
    writeFile(folder / "cut.ply", head + "0 1\n");
    CHECK_THROWS_AS(readStrands(folder / "cut.ply"), Error);
    writeFile(folder / "minus.ply", head + "0 1\n-1 2\n");
    CHECK_THROWS_AS(readStrands(folder / "minus.ply"), Error);
    writeFile(folder / "loop.ply", head + "0 1\n1 0\n");
    CHECK_THROWS_WITH(readStrands(folder / "loop.ply"), Catch::Contains("no strands"));
    CHECK_THROWS_AS(readStrands(folder / "missing.ply"), Error);
    const Surface ball(makeSphere(1, 12));
    writeElements(folder / "p.vdb", pointsOn(ball, 10), {});
    CHECK_THROWS_WITH(readStrands(folder / "p.vdb"), Catch::Contains("without strands"));
}

TEST_CASE("damaged strand files never do harm", "[strands-io]") {
    TemporaryFolder folder;
    std::mt19937_64 random(testSeed());
    for (const char* name : {"s.usda", "s.ply"}) {
        writeStrands(folder / name, *colored());
        const std::string whole = readFile(folder / name);
        for (int i = 0; i < 150; ++i) {
            std::string bytes = whole;
            for (int k = 0; k < 3; ++k) damage(bytes, random);
            writeFile(folder / name, bytes);
            try {
                const StrandSet set = readStrands(folder / name);
                CHECK(set.points.size() == set.pointCount());
                for (size_t s = 0; s < set.size(); ++s) CHECK(set.pointsOf(s) >= 2);
            } catch (const Error& e) {
                CHECK(std::string(e.what()).find(name) != std::string::npos);
            }
        }
    }
}
