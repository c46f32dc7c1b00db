// Every reader against files that were damaged at random: it reads them, or says in an Error why not.
#include <fcntl.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <fstream>

#include "base/error.h"
#include "base/files.h"
#include "document/file/scene_file.h"
#include "document/library/recipe_file.h"
#include "io/formats/elements_io.h"
#include "io/formats/state_file.h"
#include "io/image/image_io.h"
#include "io/mesh/mesh_reader.h"
#include "io/mesh/mesh_writer.h"
#include "io/process/confine.h"
#include "io/volume/vdb_grids.h"
#include "mutate.h"
#include "strand_support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;
namespace fs = std::filesystem;

namespace {

/// How many of @p rounds damaged files were refused.
size_t refused(const fs::path& sample, const fs::path& to, size_t rounds, const std::function<void()>& read) {
    const std::string whole = readFile(sample);
    std::mt19937_64 random(testSeed());
    size_t no = 0;
    for (size_t i = 0; i < rounds; ++i) {
        std::string bytes = whole;
        while (bytes == whole) mutate(bytes, random);
        std::ofstream(to, std::ios::binary) << bytes;
        try {
            read();
        } catch (const Error& e) {
            CHECK_FALSE(e.problem().empty());
            ++no;
        }
    }
    return no;
}

AttributeSet someColumns() {
    AttributeSet set;
    set.set("P", std::vector<V3f>{{0, 1, 2}, {3, 4, 5}, {6, 7, 8}});
    set.set("id", std::vector<uint64_t>{7, 8, 9});
    set.set("scale", std::vector<float>{1, 2, 3});
    return set;
}

}  // namespace

TEST_CASE("damaged points, strands and images are read or refused in words", "[io][damaged]") {
    TemporaryFolder folder;
    const Geometry points = std::make_shared<const PointSet>(PointSet{someColumns()});
    for (const char* ending : {".ply", ".csv", ".usda"}) {
        const fs::path sample = folder / (std::string("sample") + ending),
                       bad = folder / (std::string("bad") + ending);
        if (std::string(ending) == ".csv")
            std::ofstream(sample) << "x,y,z,size\n1,2,3,4\n5,6,7,8\n";
        else
            writeElements(sample, points);
        INFO(ending);
        CHECK(refused(sample, bad, 400, [&] { readPoints(bad); }) > 10);
        CHECK(readPoints(sample).size() > 1);
    }
    const StrandsPtr strands = uprights(3, 4);
    for (const char* ending : {".ply", ".usda"}) {
        const fs::path sample = folder / (std::string("lines") + ending),
                       bad = folder / (std::string("cut") + ending);
        writeStrands(sample, *strands);
        INFO(ending);
        CHECK(refused(sample, bad, 400, [&] { readStrands(bad); }) > 10);
    }
    Picture picture;
    picture.width = 9, picture.height = 5;
    for (const char* name : {"R", "G", "B"})
        picture.channels.push_back({name, std::vector<float>(45, 0.5f), false});
    for (const char* ending : {".png", ".tif", ".exr"}) {
        const fs::path sample = folder / (std::string("p") + ending),
                       bad = folder / (std::string("q") + ending);
        writeImage(sample, picture, defaultWriteOptions(sample));
        INFO(ending);
        CHECK(refused(sample, bad, 250, [&] { readImage(bad, "sRGB", 50'000'000); }) > 10);
    }
}

TEST_CASE("damaged frames of plain columns are refused, or give columns that fit", "[io][damaged]") {
    TemporaryFolder folder;
    AttributeSet points, strands;
    points.set("P", std::vector<V3f>(700, V3f(1.0f / 3)));
    points.set("id", std::vector<uint64_t>(700, 5));
    strands.set("points", std::vector<int32_t>{300, 400});
    const fs::path whole = folder / "whole.columns", file = folder / "a.columns";
    writeStateFile(whole, {{{"points", points}, {"strands", strands}}, {{"note", "text"}}});
    CHECK(readStateFile(whole).notes.at("note") == "text");
    const size_t no = refused(whole, file, 3000, [&] {
        for (const auto& [name, set] : readStateFile(file).sets)
            for (const auto& [id, column] : set.columns()) REQUIRE(columnSize(*column) == set.size());
    });
    CHECK(no > 2000);
    // Nothing is made that the limit does not hold: 700 places and ids take 14,000 bytes.
    CHECK_NOTHROW(readStateFile(whole, 14'008));
    CHECK_THROWS_AS(readStateFile(whole, 14'007), Error);
    const std::string bytes = readFile(whole);
    for (const size_t end : {size_t(0), size_t(10), size_t(20), bytes.size() - 1}) {
        writeFile(file, bytes.substr(0, end));
        CHECK_THROWS_AS(readStateFile(file), Error);
    }
    writeFile(file, bytes + "x");
    CHECK_THROWS_AS(readStateFile(file), Error);
    Progress stopped;
    stopped.cancel();
    CHECK_THROWS_AS(readStateFile(whole, size_t(1) << 20, stopped), Cancelled);
}

TEST_CASE("damaged meshes, grids and frames cannot leave the process that reads them", "[io][damaged]") {
    TemporaryFolder folder;
    for (const char* ending : {".obj", ".ply", ".glb"}) {
        const fs::path sample = folder / (std::string("m") + ending),
                       bad = folder / (std::string("n") + ending);
        writeMesh(sample, *makeSphere(1, 6));
        INFO(ending);
        CHECK(refused(sample, bad, 25, [&] { readMesh(bad, Progress::none()); }) > 2);
    }
    VectorGrid grid;
    grid.size = V3i(2, 2, 2), grid.values.assign(8, V3f(1, 2, 3));
    writeVectorGrid(folder / "g.vdb", "flow", grid);
    CHECK(refused(folder / "g.vdb", folder / "h.vdb", 25,
                  [&] { readVectorGrid(folder / "h.vdb", "", 1'000'000); }) > 2);
    writeStateFile(folder / "f.vdb", {{{"points", someColumns()}}, {{"a", "b"}}});
    CHECK(refused(folder / "f.vdb", folder / "k.vdb", 25, [&] { readStateFile(folder / "k.vdb"); }) == 25);
    const StateFile back = readStateFile(folder / "f.vdb");
    CHECK(back.notes.at("a") == "b");
    CHECK(back.sets[0].second == someColumns());
}

TEST_CASE("a text nested without end is refused before anything walks over it", "[scene-file][damaged]") {
    const std::string deep(100000, '['),
        deeper = "{\"format\":\"ovrix-scene\",\"version\":5,\"nodes\":" + deep;
    for (const std::string& text : {deep, deeper}) {
        CHECK_THROWS_WITH(readScene(text, "x"), Catch::Contains("nested"));
        CHECK_THROWS_AS(readRecipe(text, "x"), Error);
    }
    CHECK_THROWS_AS(readScene("{\"format\": 5}", "x"), Error);
}

TEST_CASE("only files with an end are read, and only such are written over", "[files][damaged]") {
    TemporaryFolder folder;
    const fs::path pipe = folder / "pipe.csv";
    REQUIRE(::mkfifo(pipe.c_str(), 0600) == 0);
    CHECK_THROWS_WITH(readFile(pipe), Catch::Contains("no regular file"));
    CHECK_THROWS_WITH(readPoints(pipe), Catch::Contains("no regular file"));
    CHECK_THROWS_WITH(writeFile(pipe, "x"), Catch::Contains("no regular file"));
    fs::create_symlink("/dev/zero", folder / "zero.ply");
    CHECK_THROWS_WITH(readPoints(folder / "zero.ply"), Catch::Contains("no regular file"));
    CHECK_THROWS_WITH(writeFile(folder / "zero.ply", "x"), Catch::Contains("no regular file"));
    std::ofstream(folder / "big") << std::string(5000, 'x');
    CHECK_THROWS_WITH(readFile(folder / "big", Progress::none(), 1000), Catch::Contains("larger"));
    Progress stop;
    stop.cancel();
    CHECK_THROWS_AS(readFile(folder / "big", stop), Cancelled);
    CHECK_THROWS_AS(hashOfFile(folder / "big", stop), Cancelled);
    CHECK(hashOfFile(folder / "big") != 0);

    // A link stays a link, and its target is what is written.
    std::ofstream(folder / "target.ovrix") << "old";
    fs::create_symlink("target.ovrix", folder / "link.ovrix");
    writeFile(folder / "link.ovrix", "new");
    CHECK(fs::is_symlink(folder / "link.ovrix"));
    CHECK(readFile(folder / "target.ovrix") == "new");
    fs::create_symlink("circle", folder / "circle");
    CHECK_THROWS_AS(writeFile(folder / "circle", "x"), Error);
    CHECK(endingOf("A.PLY") == ".ply");
}

TEST_CASE("what a killed run left is removed by the next, and nothing else", "[files][damaged]") {
    TemporaryFolder folder;
    const pid_t child = ::fork();
    if (child == 0) {
        try {
            writeAtomically(folder / "scene.ovrix", [](const fs::path& temporary) {
                std::ofstream(temporary) << "half";
                ::_exit(9);  // as a kill does
            });
        } catch (...) {
        }
        ::_exit(1);
    }
    int status = 0;
    ::waitpid(child, &status, 0);
    size_t left = 0;
    for (const auto& e : fs::directory_iterator(folder.path()))
        left += e.path().filename().string()[0] == '.';
    CHECK(left == 1);
    std::ofstream(folder / ".mine.part") << "a user's own";
    std::ofstream(folder / ".other.1x.part") << "a user's own";
    removeLeftovers(folder.path());
    left = 0;
    for (const auto& e : fs::directory_iterator(folder.path()))
        left += e.path().filename().string()[0] == '.';
    CHECK(left == 2);
    CHECK_FALSE(fs::exists(folder / "scene.ovrix"));
}

TEST_CASE("ids name files that lie where they should", "[files][damaged]") {
    CHECK(nameOfId("moss_2") == "moss_2");
    const std::vector<std::string> ids{"..",   ".",        "",        "a/b",
                                       "/etc", "\xc3\xa4", "con.txt", std::string("a\0b", 3)};
    for (const std::string& id : ids) {
        const std::string name = nameOfId(id);
        CHECK(name.find_first_of("/.") == std::string::npos);
        CHECK_FALSE(name.empty());
    }
    CHECK(nameOfId("a.b") != nameOfId("a%2eb"));
    std::string lengthy = "x", other;
    while (lengthy.size() < 5000) lengthy += lengthy;
    other = lengthy;
    other.back() = 'y';
    CHECK(nameOfId(lengthy).size() < 200);
    CHECK(nameOfId(lengthy) != nameOfId(other));
}

TEST_CASE("a process that reads a stranger's file can do nothing else", "[io][damaged]") {
    TemporaryFolder folder, elsewhere;
    std::ofstream(folder / "in") << "x";
    std::ofstream(elsewhere / "secret") << "x";
    const pid_t child = ::fork();
    if (child == 0) {
        confineToReading({folder.path()}, {size_t(4) << 30, 10});
        int bad = 0;
        const auto can = [&](bool possible, int bit) { bad |= possible ? bit : 0; };
        can(::open((folder / "in").c_str(), O_RDONLY) < 0, 1);  // this it must
        can(::open((folder / "out").c_str(), O_WRONLY | O_CREAT, 0600) >= 0, 2);
        can(::open((elsewhere / "secret").c_str(), O_RDONLY) >= 0, 4);
        can(::unlink((folder / "in").c_str()) == 0, 8);
        can(::socket(AF_INET, SOCK_STREAM, 0) >= 0, 16);
        const char* argv[] = {"/bin/true", nullptr};
        ::execv("/bin/true", const_cast<char**>(argv));
        can(::rename((folder / "in").c_str(), (folder / "moved").c_str()) == 0, 32);
        ::_exit(bad);
    }
    int status = 0;
    ::waitpid(child, &status, 0);
    REQUIRE(WIFEXITED(status));
    CHECK(WEXITSTATUS(status) == 0);
}

TEST_CASE("a process that reads a stranger's file works for so long, and no longer", "[io][damaged]") {
    TemporaryFolder folder;
    const auto endOf = [&](bool works) {
        const pid_t child = ::fork();
        if (child == 0) {
            confineToReading({folder.path()}, {size_t(4) << 30, 0});
            if (!works) ::usleep(3'000'000);  // waiting is no work
            while (works) (void)::getppid();
            ::_exit(7);
        }
        int status = 0;
        ::waitpid(child, &status, 0);
        return status;
    };
    const int worked = endOf(true), waited = endOf(false);
    REQUIRE(WIFSIGNALED(worked));
    CHECK(WTERMSIG(worked) == SIGXCPU);
    REQUIRE(WIFEXITED(waited));
    CHECK(WEXITSTATUS(waited) == 7);
}
