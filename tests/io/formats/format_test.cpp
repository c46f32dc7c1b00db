// The table of formats: what it says of each is so.
#include <set>

#include "base/files.h"
#include "geo/mesh/primitives.h"
#include "geo/surface/surface.h"
#include "io/formats/elements_io.h"
#include "io/mesh/mesh_reader.h"
#include "ops/groom/grow.h"
#include "ops/place/scatter.h"
#include "strand_support.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

TEST_CASE("an ending is of one format, in capitals or not", "[formats]") {
    std::set<std::string> seen;
    for (const Format& f : formats()) {
        INFO(f.title);
        CHECK_FALSE(f.carries.empty());
        CHECK_FALSE(usesOf(f).empty());
        REQUIRE_FALSE(f.endings.empty());
        for (std::string ending : f.endings) {
            CHECK(seen.insert(ending).second);
            CHECK(formatOf("x" + ending) == &f);
            for (char& c : ending) c = char(std::toupper(c));
            CHECK(formatOf("some.where/x" + ending) == &f);
        }
    }
    for (const char* other : {"x", "", "x.", "x.ply2", "ply", ".ply.", "x.txt"}) CHECK_FALSE(formatOf(other));
}

TEST_CASE("what a format is said to write, it writes and gives back", "[formats]") {
    TemporaryFolder folder;
    const Surface ball(makeSphere(0.5f, 16));
    ScatterOptions o;
    o.count = 50;
    const auto points = scatterOnSurface(ball, o, Progress::none());
    const StrandsPtr strands = grow(*points, &ball, {}, Progress::none());
    for (const Format& f : formats()) {
        const auto file = folder / ("a" + f.endings[0]);
        INFO(f.title);
        if (f.can(Use::WriteMesh)) {
            writeMesh(file, ball.mesh());
            CHECK(f.can(Use::ReadMesh));
            CHECK(readMesh(file, Progress::none()).mesh->triangles().size() ==
                  ball.mesh().triangles().size());
            CHECK_FALSE(holdsElements(file));
        }
        if (f.can(Use::WritePoints)) {
            writeElements(file, points);
            CHECK(readPoints(file).attributes.size() == 50);
            CHECK(holdsElements(file));
            CHECK_FALSE(holdsStrands(file));
            CHECK(readElementsInfo(file).kind == "points");
        }
        if (f.can(Use::WriteStrands)) {
            writeElements(file, strands);
            CHECK(readStrands(file).size() == 50);
            CHECK(holdsStrands(file));
            CHECK(readElementsInfo(file).kind == "strands");
        }
        if (f.can(Use::WritePicture)) {
            Picture p{2, 1, {}};
            for (const char* name : {"R", "G", "B"}) p.channels.push_back({name, {0.25f, 0.5f}, false});
            writeImage(file, p, *f.picture);
            CHECK(readImage(file, f.picture->space)->width == 2);
        }
    }
}

TEST_CASE("what cannot be is refused with what can", "[formats]") {
    TemporaryFolder folder;
    const auto points = std::make_shared<const PointSet>();
    CHECK_THROWS_WITH(writeElements(folder / "a.obj", points), Catch::Contains(".ply, .usda, .csv or .vdb"));
    CHECK_THROWS_WITH(writeMesh(folder / "a.csv", *makeSphere(1, 4)), Catch::Contains("\".csv\""));
    writeFile(folder / "a.txt", "1 2 3");
    CHECK_THROWS_WITH(readPoints(folder / "a.txt"), Catch::Contains("Use .ply"));
    CHECK_THROWS_WITH(readStrands(folder / "a.txt"), Catch::Contains("strands"));
    CHECK_THROWS_WITH(readMesh(folder / "a.txt", Progress::none()), Catch::Contains(".obj, .ply, .stl"));
    CHECK(patternsFor(Use::ReadImage) == "*.png *.jpg *.jpeg *.tif *.tiff *.exr *.hdr");
    CHECK(patternsFor(Use::BakeFrames) == "*.usda *.vdb *.columns");
}
