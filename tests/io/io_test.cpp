#include "geo/surface/surface.h"
#include "io/formats/elements_io.h"
#include "io/image/color_spaces.h"
#include "io/image/image_io.h"
#include "io/mesh/mesh_reader.h"
#include "io/mesh/mesh_writer.h"

#include <OpenImageIO/imageio.h>
#include <unistd.h>

#include <fstream>

#include "base/files.h"
#include "document/file/scene_file.h"
#include "io/mesh/fbx_square.h"
#include "io/points/ply_points.h"
#include "ops/place/scatter.h"
#include "ops/points/copies_of.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;
namespace fs = std::filesystem;

namespace {

const char* const kCube = R"(mtllib cube.mtl
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
v 0 0 1
v 1 0 1
v 1 1 1
v 0 1 1
vt 0 0
vt 1 0
vt 1 1
vt 0 1
usemtl red
f 1/1 4/2 3/3 2/4
f 5/1 6/2 7/3 8/4
f 1/1 2/2 6/3 5/4
usemtl steel
f 4/1 8/2 7/3 3/4
f 1/1 5/2 8/3 4/4
f 2/1 3/2 7/3 6/4
)";

FileMesh read(const fs::path& path) { return readMesh(path, Progress::none()); }

std::string glbTriangle() {
    const float p[9] = {0, 0, 0, 1, 0, 0, 0, 1, 0};
    const uint16_t index[4] = {0, 1, 2, 0};
    std::string bin(reinterpret_cast<const char*>(p), sizeof p);
    bin.append(reinterpret_cast<const char*>(index), 8);
    std::string json =
        R"({"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0,"translation":[0,0,5]}],"meshes":[{"primitives":[{"attributes":{"POSITION":0},"indices":1}]}],"buffers":[{"byteLength":44}],"bufferViews":[{"buffer":0,"byteLength":36},{"buffer":0,"byteOffset":36,"byteLength":6}],"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,1,0]},{"bufferView":1,"componentType":5123,"count":3,"type":"SCALAR"}]})";
    while (json.size() % 4) json += ' ';
    const auto word = [](uint32_t x) { return std::string(reinterpret_cast<const char*>(&x), 4); };
    return word(0x46546C67) + word(2) + word(uint32_t(28 + json.size() + bin.size())) +
           word(uint32_t(json.size())) + word(0x4E4F534A) + json + word(uint32_t(bin.size())) +
           word(0x004E4942) + bin;
}

}  // namespace

TEST_CASE("meshes of every format come in with what they hold", "[mesh-io]") {
    TemporaryFolder folder;
    writeFile(folder / "cube.obj", kCube);
    writeFile(folder / "cube.mtl", "newmtl red\nKd 0.8 0.1 0.05\nNs 100\nnewmtl steel\nKd 0.4 0.4 0.5\n");
    const FileMesh cube = read(folder / "cube.obj");
    CHECK(cube.mesh->points.size() == 8);
    CHECK(cube.mesh->faceCount() == 6);
    CHECK_FALSE(cube.mesh->uvs().empty());
    CHECK(inspect(*cube.mesh).clean());
    REQUIRE(cube.materials.size() >= 2);
    std::map<std::string, size_t> faces;
    for (int32_t s : cube.mesh->slots()) ++faces[cube.mesh->slotNames[size_t(s)]];
    CHECK(faces["red"] == 3);
    CHECK(faces["steel"] == 3);
    for (const FileMaterial& m : cube.materials)
        if (m.name == "red") CHECK(m.baseColor.x == Approx(0.8f));

    writeFile(folder / "t.off", "OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n");
    CHECK(read(folder / "t.off").mesh->triangles().size() == 1);
    writeFile(folder / "t.stl",
              "solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 "
              "0\nendloop\nendfacet\nendsolid a\n");
    CHECK(read(folder / "t.stl").mesh->triangles().size() == 1);
    writeFile(folder / "t.glb", glbTriangle());
    const FileMesh glb = read(folder / "t.glb");
    CHECK(glb.mesh->triangles().size() == 1);
    CHECK(glb.mesh->bounds().min.z == Approx(5));  // nodes place their meshes
    writePlyMesh(folder / "s.ply", *makeSphere(1, 16));
    const FileMesh ply = read(folder / "s.ply");
    CHECK(ply.mesh->faceCount() == makeSphere(1, 16)->faceCount());
    CHECK_FALSE(ply.mesh->uvs().empty());
    CHECK(inspect(*ply.mesh).openEdges == 0);  // welded again
}

TEST_CASE("FBX comes in metres, with its materials, whatever its axis", "[mesh-io]") {
    TemporaryFolder folder;
    writeFile(folder / "square.fbx", kFbxSquare);
    const FileMesh m = read(folder / "square.fbx");
    REQUIRE(m.mesh->faceCount() == 1);
    const Box3f b = m.mesh->bounds();  // 100 units of a centimetre, put 300 forward
    CHECK((b.max - V3f(1, 1, 3)).length() < 1e-5f);
    CHECK((b.min - V3f(0, 0, 3)).length() < 1e-5f);
    CHECK(m.mesh->uvs()[2] == V2f(1, 1));
    REQUIRE(m.mesh->normals().size() == 4);
    CHECK((m.mesh->normals()[0] - V3f(0, 0, 1)).length() < 1e-5f);
    REQUIRE(m.materials.size() == 1);
    CHECK(m.materials[0].name == "Slate");
    CHECK(m.materials[0].baseColor.y == Approx(0.5f));

    std::string inMetres = kFbxSquare;
    inMetres.replace(inMetres.find("\"Number\", \"\",1"), 14, "\"Number\", \"\",100");
    writeFile(folder / "metres.fbx", inMetres);
    CHECK(read(folder / "metres.fbx").mesh->bounds().max.x == Approx(100));

    std::string lying = kFbxSquare;  // the same with Z up: what pointed up the page now points away
    lying.replace(lying.find("\"UpAxis\", \"int\", \"Integer\", \"\",1"), 33,
                  "\"UpAxis\", \"int\", \"Integer\", \"\",2");
    lying.replace(lying.find("\"FrontAxis\", \"int\", \"Integer\", \"\",2"), 36,
                  "\"FrontAxis\", \"int\", \"Integer\", \"\",1");
    lying.replace(lying.find("\"FrontAxisSign\", \"int\", \"Integer\", \"\",1"), 40,
                  "\"FrontAxisSign\", \"int\", \"Integer\", \"\",-1");
    writeFile(folder / "lying.fbx", lying);
    const Box3f z = read(folder / "lying.fbx").mesh->bounds();
    INFO(z.min << " to " << z.max);
    CHECK((z.max - V3f(1, 3, 0)).length() < 1e-4f);
    CHECK((z.min - V3f(0, 3, -1)).length() < 1e-4f);
}

TEST_CASE("odd meshes load and are described", "[mesh-io]") {
    TemporaryFolder folder;
    writeFile(folder / "a.obj",
              "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nv 1 1 0\nf 1 2 3\nf 1 2 4\nf 1 2 5\nf 1 1 2\nf 2 3 5\n");
    const MeshReport r = inspect(*read(folder / "a.obj").mesh);
    CHECK(r.nonManifoldEdges == 1);
    CHECK(r.degenerateFaces == 1);
}

TEST_CASE("meshes that cannot be are refused by name and reason", "[mesh-io]") {
    TemporaryFolder folder;
    const auto refused = [&](const std::string& name, const std::string& contents, const std::string& why) {
        writeFile(folder / name, contents);
        INFO(name << " " << why);
        CHECK_THROWS_WITH(read(folder / name), Catch::Contains(name) && Catch::Contains(why));
    };
    CHECK_THROWS_WITH(read(folder / "gone.obj"),
                      Catch::Contains("gone.obj") && Catch::Contains("does not exist"));
    CHECK_THROWS_WITH(read(folder.path()), Catch::Contains("folder"));
    refused("empty.obj", "", "empty");
    refused("words.obj", "this is a letter to a friend\n", "");
    refused("range.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n", "");
    refused("nan.obj", "v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "");
    refused("short.off", "OFF\n3 4 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n", "");
    refused("bad.glb", "glTFgarbage", "");
    refused("bad.fbx", "Kaydara FBX Binary  \0garbage", "");
    refused("points.obj", "v 0 0 0\nv 1 0 0\n", "");
    refused("kind.xyz", "0 0 0", "no mesh format");
    writePlyMesh(folder / "whole.ply", *makeSphere(1, 16));
    const std::string whole = readFile(folder / "whole.ply");
    refused("half.ply", whole.substr(0, whole.size() / 2), "");
    const std::string glb = glbTriangle();
    refused("half.glb", glb.substr(0, glb.size() - 20), "");
    if (getuid() != 0) {
        writeFile(folder / "locked.obj", kCube);
        fs::permissions(folder / "locked.obj", fs::perms::none);
        CHECK_THROWS_WITH(read(folder / "locked.obj"), Catch::Contains("locked.obj"));
    }
    Progress cancelled;
    cancelled.cancel();
    writeFile(folder / "cube.obj", kCube);
    CHECK_THROWS_AS(readMesh(folder / "cube.obj", cancelled), Cancelled);
}

TEST_CASE("no mutation of a mesh file brings the program down", "[mesh-io][mutation]") {
    TemporaryFolder folder;
    std::mt19937_64 random(testSeed());
    writePlyMesh(folder / "seed.ply", *makeSphere(1, 6));
    const std::vector<std::pair<std::string, std::string>> seeds = {
        {".obj", kCube},
        {".ply", readFile(folder / "seed.ply")},
        {".glb", glbTriangle()},
        {".off", "OFF\n4 2 0\n0 0 0\n1 0 0\n0 1 0\n1 1 0\n3 0 1 2\n3 1 3 2\n"},
        {".stl",
         "solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 "
         "0\nendloop\nendfacet\nendsolid a\n"}};
    size_t loaded = 0, refused = 0;
    const int times = rounds(1000);
    for (int round = 0; round < times; ++round) {
        auto [extension, bytes] = seeds[size_t(round) % seeds.size()];
        const int edits = 1 + int(random() % 2);
        for (int e = 0; e < edits; ++e) {
            if (random() % 4 || bytes.empty())
                damage(bytes, random);
            else
                bytes.insert(random() % bytes.size(), bytes.substr(random() % bytes.size(), random() % 16));
        }
        const fs::path file = folder / ("mutated" + extension);
        std::ofstream(file, std::ios::binary) << bytes;
        try {
            const FileMesh m = read(file);
            for (uint32_t p : m.mesh->cornerPoint) REQUIRE(p < m.mesh->points.size());
            for (const V3f& p : m.mesh->positions()) REQUIRE(isFinite(p));
            ++loaded;
        } catch (const Error&) {
            ++refused;
        }
    }
    CHECK(loaded + refused == size_t(times));
    CHECK(refused > size_t(times) / 10);
    CHECK(loaded > size_t(times) / 10);
}

namespace {

Picture gradient() {
    Picture p{8, 4, {}};
    for (const char* name : {"R", "G", "B", "A", "depth.Z"}) {
        Channel c{name, std::vector<float>(32), std::string(name) == "depth.Z"};
        for (size_t i = 0; i < 32; ++i) c.values[i] = std::string(name) == "A" ? 1.0f : float(i) / 31.0f;
        p.channels.push_back(std::move(c));
    }
    p.channels[4].values[3] = 123456.789f;
    return p;
}

}  // namespace

TEST_CASE("pictures come back as they were written", "[image-io]") {
    TemporaryFolder folder;
    const Picture p = gradient();
    struct Case {
        const char* name;
        PixelDepth depth;
        float tolerance;  // half a step of the coarsest numbers, seen in linear light
    };
    for (const Case& k : {Case{"a.exr", PixelDepth::Half, 5e-4f}, Case{"b.exr", PixelDepth::Float, 1e-6f},
                          Case{"c.tif", PixelDepth::Bits16, 3e-5f}, Case{"d.png", PixelDepth::Bits16, 3e-5f},
                          Case{"e.png", PixelDepth::Bits8, 5e-3f}}) {
        INFO(k.name);
        WriteOptions o = defaultWriteOptions(folder / k.name);
        o.depth = k.depth;
        writeImage(folder / k.name, p, o);
        const auto back = readImage(folder / k.name, o.space);
        REQUIRE(back->width == 8);
        for (int i = 0; i < 32; ++i)
            CHECK(float(back->color(i % 8, i / 8).x) ==
                  Approx(p.channels[0].values[size_t(i)]).margin(double(k.tolerance) + 5e-4));
    }
    auto exr = OIIO::ImageInput::open((folder / "a.exr").string());
    REQUIRE(exr);
    CHECK(exr->spec().channelnames == std::vector<std::string>{"R", "G", "B", "A", "depth.Z"});
    std::vector<float> z(32);
    exr->read_image(0, 0, 4, 5, OIIO::TypeDesc::FLOAT, z.data());
    CHECK(z[3] == 123456.789f);  // depth keeps all its digits in a half file
    auto tif = OIIO::ImageInput::open((folder / "c.tif").string());
    CHECK(tif->spec().format == OIIO::TypeDesc::UINT16);
}

TEST_CASE("pictures that cannot be written say why and leave the old file", "[image-io]") {
    TemporaryFolder folder;
    const Picture p = gradient();
    CHECK_THROWS_WITH(writeImage(folder / "a.jpeg", p, {}), Catch::Contains("a.jpeg"));
    CHECK_THROWS_WITH(writeImage(folder / "no/a.exr", p, {}), Catch::Contains("does not exist"));
    CHECK_THROWS_AS(writeImage(folder / "a.tif", p, {PixelDepth::Half, "sRGB", {}}), Error);
    CHECK_THROWS_AS(writeImage(folder / "a.exr", {}, {}), Error);
    writeFile(folder / "bad.png", "not a picture");
    CHECK_THROWS_WITH(readImage(folder / "bad.png", "sRGB"), Catch::Contains("bad.png"));
    CHECK_THROWS_AS(readImage(folder / "none.png", "sRGB"), Error);
    writeImage(folder / "a.png", p, defaultWriteOptions("a.png"));
    CHECK_THROWS_WITH(readImage(folder / "a.png", "Bogus"), Catch::Contains("Bogus"));
}

TEST_CASE("colour spaces convert and come back", "[image-io]") {
    std::vector<float> x = {0.5f, 0.2f, 0.8f};
    toLinear(x, 3, "sRGB");
    CHECK(x[0] == Approx(0.21404f).epsilon(1e-3));
    fromLinear(x, 3, "sRGB");
    CHECK(x[0] == Approx(0.5f).epsilon(1e-4));
    std::vector<float> white = {1, 1, 1};
    toLinear(white, 3, "ACEScg");
    for (float c : white) CHECK(c == Approx(1.0f).epsilon(1e-3));
    toLinear(x, 3, "Raw");
    CHECK(x[1] == Approx(0.2f).epsilon(1e-4));
}

TEST_CASE("the image cache reads again when the file changes", "[image-io]") {
    TemporaryFolder folder;
    Picture p = gradient();
    writeImage(folder / "a.png", p, defaultWriteOptions("a.png"));
    ImageCache cache;
    const auto first = cache.image(folder / "a.png", "sRGB");
    CHECK(cache.image(folder / "a.png", "sRGB") == first);
    for (float& v : p.channels[0].values) v = 1.0f;
    p.width = 4, p.height = 8;
    writeImage(folder / "a.png", p, defaultWriteOptions("a.png"));
    CHECK(cache.image(folder / "a.png", "sRGB")->width == 4);
}

TEST_CASE("points and copies are written in open formats and read back", "[elements-io]") {
    TemporaryFolder folder;
    const Surface s(makeSphere(1, 16));
    ScatterOptions o;
    o.count = 500;
    const auto points = scatterOnSurface(s, o, Progress::none());
    const Geometry copies = copiesOf(*points, {.prototypes = {{"a", 1}, {"b", 1}}}, Progress::none());
    for (const char* name : {"p.ply", "p.usda", "p.vdb"}) {
        INFO(name);
        writeElements(folder / name, points, {});
        const ElementsInfo info = readElementsInfo(folder / name);
        CHECK(info.count == 500);
        CHECK(info.kind == "points");
        CHECK((info.bounds.max - boundsOf(Geometry(points)).max).length() < 1e-3f);
        CHECK(info.attributes.size() >= 2);
    }
    const PointSet back = readPlyPoints(folder / "p.ply");
    CHECK(std::equal(back.attributes.find<V3f>("P").begin(), back.attributes.find<V3f>("P").end(),
                     points->attributes.find<V3f>("P").begin()));
    CHECK(std::equal(back.attributes.find<uint64_t>("id").begin(), back.attributes.find<uint64_t>("id").end(),
                     points->attributes.find<uint64_t>("id").begin()));
    writeElements(folder / "c.usda", copies, {{"Shell one", makeSphere(1, 6)}, {"2", makePlane(1, 1)}});
    const ElementsInfo info = readElementsInfo(folder / "c.usda");
    CHECK(info.kind == "copies");
    CHECK(info.count == 500);
    const std::string text = readFile(folder / "c.usda");
    CHECK(text.find("def PointInstancer") != std::string::npos);
    CHECK(text.find("def Mesh \"Shell_one_0\"") != std::string::npos);
    writeElements(folder / "c.ply", copies, {});
    CHECK(readPlyPoints(folder / "c.ply").size() == 500);
    CHECK_THROWS_AS(writeElements(folder / "c.txt", copies, {}), Error);
    CHECK_THROWS_AS(writeElements(folder / "c.ply", Geometry(), {}), Error);
    writeElements(folder / "none.vdb",
                  std::make_shared<const PointSet>(
                      *scatterOnSurface(s, {0, 1, {0, 1, nullptr}, 1, true, SIZE_MAX}, Progress::none())),
                  {});
}

TEST_CASE("damaged element files are refused", "[elements-io]") {
    TemporaryFolder folder;
    writeFile(folder / "a.ply",
              "ply\nformat binary_little_endian 1.0\nelement vertex 1000000\nproperty float x\nproperty "
              "float y\nproperty float z\nend_header\nshort");
    CHECK_THROWS_WITH(readPlyPoints(folder / "a.ply"), Catch::Contains("truncated"));
    writeFile(folder / "b.ply",
              "ply\nformat ascii 1.0\nelement vertex 2\nproperty float x\nend_header\n1\n2\n");
    CHECK_THROWS_WITH(readPlyPoints(folder / "b.ply"), Catch::Contains("without x"));
    writeFile(folder / "c.vdb", "not a volume");
    CHECK_THROWS_WITH(readElementsInfo(folder / "c.vdb"), Catch::Contains("c.vdb"));
    writeFile(folder / "d.usda", "hello");
    CHECK_THROWS_AS(readElementsInfo(folder / "d.usda"), Error);
}
