// Files as they are found in the wild: odd, old, linked, named in another encoding.
#include <fstream>

#include "base/error.h"
#include "base/files.h"
#include "io/formats/elements_io.h"
#include "io/mesh/mesh_reader.h"
#include "io/mesh/mesh_writer.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;
namespace fs = std::filesystem;

TEST_CASE("OFF files may hold comments and empty lines anywhere", "[mesh-io]") {
    TemporaryFolder folder;
    std::ofstream(folder / "a.off")
        << "# by hand\nOFF # a kind\n\n4 2 0 # counts\n0 0 0\n1 0 0 # here\n# between\n"
           "1 1 0\n0 1 0\n\n3 0 1 2\n3 0 2 3 # last\n";
    const FileMesh mesh = readMesh(folder / "a.off", Progress::none());
    CHECK(mesh.mesh->points.size() == 4);
    CHECK(mesh.mesh->triangles().size() == 2);
    std::ofstream(folder / "b.off") << "OFF\n4 2 0\n0 0 0\n1 0 0\n# cut off\n";
    CHECK_THROWS_AS(readMesh(folder / "b.off", Progress::none()), Error);
}

TEST_CASE("glTF of the first version is named as too old", "[mesh-io]") {
    TemporaryFolder folder;
    std::ofstream(folder / "old.gltf") << R"({"asset": {"version": "1.0"}, "meshes": {}})";
    std::ofstream(folder / "old.glb", std::ios::binary)
        << std::string("glTF\1\0\0\0\24\0\0\0\0\0\0\0\0\0\0\0", 20);
    for (const char* name : {"old.gltf", "old.glb"})
        CHECK_THROWS_WITH(readMesh(folder / name, Progress::none()), Catch::Contains("glTF 1"));
    writeMesh(folder / "new.glb", *makeSphere(1, 6));
    CHECK(readMesh(folder / "new.glb", Progress::none()).mesh->faceCount() > 0);
}

TEST_CASE("clouds of points that are given as meshes are told how to become a layer", "[mesh-io]") {
    TemporaryFolder folder;
    std::ofstream(folder / "a.obj") << "# a scan\nv 0 0 0\nv 1 0 0\nv 0 1 0\n";
    std::ofstream(folder / "a.off") << "OFF\n3 0 0\n0 0 0\n1 0 0\n0 1 0\n";
    std::ofstream(folder / "a.ply")
        << "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\n"
           "property float z\nend_header\n0 0 0\n1 0 0\n0 1 0\n";
    for (const char* name : {"a.obj", "a.off", "a.ply"}) {
        INFO(name);
        try {
            readMesh(folder / name, Progress::none());
            FAIL("it was read");
        } catch (const Error& e) {
            CHECK(e.problem() == "holds points and no faces");
            CHECK(e.remedy().find("becomes a layer") != std::string::npos);
        }
    }
}

TEST_CASE("a mesh by way of a link is read where it leads", "[mesh-io]") {
    TemporaryFolder folder;
    fs::create_directories(folder / "store");
    fs::create_directories(folder / "scene");
    std::ofstream(folder / "store/a.obj") << "mtllib a.mtl\nusemtl red\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n";
    std::ofstream(folder / "store/a.mtl") << "newmtl red\nKd 1 0 0\n";
    std::ofstream(folder / "scene/a.mtl") << "newmtl red\nKd 1 0 0\n";
    fs::create_symlink(folder / "store/a.obj", folder / "scene/a.obj");
    const FileMesh mesh = readMesh(folder / "scene/a.obj", Progress::none());
    CHECK(mesh.mesh->faceCount() == 1);
    CHECK(std::any_of(mesh.materials.begin(), mesh.materials.end(),
                      [](const FileMaterial& m) { return m.baseColor == Color(1, 0, 0); }));
}

TEST_CASE("endings count in capitals too", "[elements-io]") {
    TemporaryFolder folder;
    std::ofstream(folder / "P.CSV") << "x,y,z\n1,2,3\n";
    CHECK(readPoints(folder / "P.CSV").size() == 1);
    PointSet set;
    set.attributes.set("P", std::vector<V3f>{{0, 1, 2}, {3, 4, 5}});
    writeElements(folder / "P.PLY", std::make_shared<const PointSet>(set));
    CHECK(readPoints(folder / "P.PLY").size() == 2);
    CHECK(endingOf("a/B.Usda") == ".usda");
}
