#include <OpenImageIO/imageio.h>

#include "cli/commands.h"
#include "io/formats/format.h"

#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <sstream>

#include "base/files.h"
#include "document/edits/edits.h"
#include "document/file/scene_file.h"
#include "document/model/step_registry.h"
#include "io/denoiser/denoiser.h"
#include "io/image/image_io.h"
#include "low_tide.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// One channel of an EXR, by its name.
std::vector<float> channelOf(const std::string& path, const std::string& name) {
    auto in = OIIO::ImageInput::open(path);
    REQUIRE(in);
    const OIIO::ImageSpec& spec = in->spec();
    const int channel = spec.channelindex(name);
    REQUIRE(channel >= 0);
    std::vector<float> values(size_t(spec.width) * size_t(spec.height));
    REQUIRE(in->read_image(0, 0, channel, channel + 1, OIIO::TypeDesc::FLOAT, values.data()));
    return values;
}

struct Result {
    int code;
    std::string out, err;
    nlohmann::json json() const { return nlohmann::json::parse(out); }
};

Result run(std::vector<std::string> args) {
    std::ostringstream out, err;
    const int code = ovrix::cli::run(args, out, err);
    return {code, out.str(), err.str()};
}

struct Demo {
    TemporaryFolder folder;
    std::string scene = ovrix::demo::writeLowTide(folder.path()).string();
    std::string file(const std::string& name) const { return (folder / name).string(); }
};

}  // namespace

TEST_CASE("describe tells everything that a step takes", "[cli]") {
    const auto all = run({"describe", "--json"});
    CHECK(all.code == 0);
    CHECK(all.json().size() ==
          stepTypes().size() + sourceTypes().size() + nodeTypes().size() + formats().size());
    const auto one = run({"--json", "describe", "scatter"}).json();
    REQUIRE(one.size() == 1);
    CHECK(one[0]["params"][1]["id"] == "count");
    CHECK(one[0]["params"][1]["default"] == 2000);
    CHECK(run({"describe", "scatter"}).out.find("Scatter on surface") != std::string::npos);
    CHECK(run({"describe", "nonsense"}).code == 1);
}

TEST_CASE("what loads for long is not loaded with the program", "[cli]") {
    const auto program = std::filesystem::read_symlink("/proc/self/exe").parent_path() / "ovrix-cli";
    REQUIRE(std::filesystem::exists(program));
    std::string libraries;
    FILE* told = ::popen(("ldd '" + program.string() + "'").c_str(), "r");
    REQUIRE(told);
    char part[4096];
    while (const size_t n = std::fread(part, 1, sizeof part, told)) libraries.append(part, n);
    CHECK(::pclose(told) == 0);
    CHECK(libraries.find("libovrix_core") != std::string::npos);
    for (const char* heavy : {"OpenImageIO", "openvdb", "assimp", "avcodec", "opencv", "Qt6"}) {
        INFO(libraries);
        CHECK(libraries.find(heavy) == std::string::npos);
    }
}

TEST_CASE("bad usage is told from failure", "[cli]") {
    CHECK(run({}).code == 2);
    CHECK(run({"dance"}).code == 2);
    CHECK(run({"render", "a.ovrix"}).code == 2);
    CHECK(run({"eval", "a.ovrix", "--layer", "x", "--out", "y", "--purpose", "fun"}).code == 2);
    CHECK(run({"--help"}).code == 0);
    const auto missing = run({"check", "/no/such.ovrix"});
    CHECK(missing.code == 1);
    CHECK(missing.err.find("/no/such.ovrix") != std::string::npos);
}

TEST_CASE("the demo scene is checked, described, changed, evaluated and rendered", "[cli]") {
    const Demo demo;
    CHECK(run({"check", demo.scene}).code == 0);
    const auto info = run({"info", demo.scene, "--json"}).json();
    CHECK(info["kind"] == "scene");
    CHECK(info["nodes"].size() > 20);
    CHECK(run({"info", demo.file("ledge.ply"), "--json"}).json()["kind"] == "mesh");

    CHECK(run({"set", demo.scene, "limpets/scatter/count=40", "limpets/scatter/mask={\"value\":1}", "--out",
               demo.file("b.ovrix")})
              .code == 0);
    CHECK(run({"set", demo.scene, "limpets/scatter/nothing=1", "--out", demo.file("c.ovrix")}).code == 1);
    CHECK_FALSE(std::filesystem::exists(demo.file("c.ovrix")));
    for (const char* name : {"l.ply", "l.usda", "l.vdb"}) {
        const auto eval =
            run({"eval", demo.file("b.ovrix"), "--layer", "limpets", "--out", demo.file(name), "--json"});
        REQUIRE(eval.code == 0);
        CHECK(eval.json()["elements"] == 40);
        CHECK(run({"info", demo.file(name), "--json"}).json()["count"] == 40);
    }
    CHECK(run({"eval", demo.scene, "--layer", "ledge", "--out", demo.file("x.ply")}).code == 1);

    const auto render = [&](const std::string& name, std::vector<std::string> more) {
        std::vector<std::string> args = {"render", demo.file("b.ovrix"), "--size", "64x36", "--samples", "2",
                                         "--out",  demo.file(name)};
        args.insert(args.end(), more.begin(), more.end());
        return run(args);
    };
    CHECK(render("a.exr", {"--depth", "float"}).code == 0);
    CHECK(render("b.exr", {"--depth", "float", "--threads", "1"}).code == 0);
    CHECK(readImage(demo.file("a.exr"), "Raw")->pixels == readImage(demo.file("b.exr"), "Raw")->pixels);
    CHECK(render("a.tif", {}).code == 0);
    CHECK(render("r.png", {"--region", "8,8,16,16"}).code == 0);
    CHECK(readImage(demo.file("r.png"), "sRGB")->color(60, 30).x == 0.0f);
    CHECK(render("f.##.png", {"--frames", "3-4"}).code == 0);
    CHECK(render("f.##.png", {"--frames", "4"}).code == 0);
    CHECK(std::filesystem::exists(demo.file("f.03.png")));
    CHECK(std::filesystem::exists(demo.file("f.04.png")));
    CHECK(render("f.png", {"--frames", "3-4"}).code == 1);
    CHECK(render("x.exr", {"--region", "0,0,999,9"}).code == 1);
    CHECK(run({"render", demo.file("b.ovrix"), "--size", "0x0", "--out", demo.file("x.exr")}).code == 1);
    CHECK(run({"render", demo.file("b.ovrix"), "--size", "32768x32768", "--out", demo.file("x.exr")})
              .err.find("GB") != std::string::npos);
    CHECK(render("x.jpeg", {}).code == 1);
    CHECK(render("x.exr", {"--camera", "nobody"}).code == 1);

    CHECK(render("v.mp4", {"--frames", "3-5"}).code == 0);
    CHECK(std::filesystem::file_size(demo.file("v.mp4")) > 1000);
    CHECK(render("w.mp4", {"--depth", "16"}).code == 1);
    CHECK(render("w.mp4", {"--camera", "nobody"}).code == 1);
    CHECK_FALSE(std::filesystem::exists(demo.file("w.mp4")));
    if (hasDenoiser()) {
        CHECK(render("d.exr", {"--depth", "float", "--denoise"}).code == 0);
        // What was rendered is kept beside, bit for bit, and the picture is another.
        CHECK(channelOf(demo.file("d.exr"), "noisy.G") == channelOf(demo.file("a.exr"), "G"));
        CHECK(channelOf(demo.file("d.exr"), "G") != channelOf(demo.file("a.exr"), "G"));
        CHECK(render("d.png", {"--denoise"}).code == 0);
        CHECK(render("d.mp4", {"--denoise"}).code == 0);
    } else {
        CHECK(render("d.exr", {"--denoise"}).err.find("./dev denoiser") != std::string::npos);
    }
}

namespace {

/// A fountain on a plate, saved.
struct Spray {
    TemporaryFolder folder;
    std::string scene = (folder / "spray.ovrix").string();
    Spray() {
        Document d = Document::fresh();
        d.put(makeNode(d, "plane", "Plate"));
        Node layer = makeNode(d, "layer", "Water");
        layer.params["surface"].value = std::string("plate");
        layer.steps.push_back(makeStep("scatter", layer));
        layer.steps[0].params["count"].value = int64_t(10);
        d.put(layer);
        d = withStep(d, "water", 1, makeStep("simulate", d.get("water")));
        saveScene(withText(d, "scene/last", "6"), scene);
    }
    std::string file(const std::string& name) const { return (folder / name).string(); }
};

}  // namespace

TEST_CASE("bakes from the command line: ranges, below nothing too, going on, locks, and what goes wrong",
          "[cli][bake]") {
    const Spray s;
    const auto all = run({"bake", s.scene, "--json"});
    REQUIRE(all.code == 0);
    CHECK(all.json()[0]["layer"] == "water");
    CHECK(all.json()[0]["written"] == 6);
    CHECK(all.err.find("water: frame 6") != std::string::npos);
    CHECK(run({"bake", s.scene, "--frames", "5-8", "--json"}).json()[0]["known"] == 2);
    CHECK(run({"set", s.scene, "scene/first=-3", "--out", s.scene}).code == 0);
    const auto below = run({"bake", s.scene, "--frames", "-3--1", "--json"});
    REQUIRE(below.code == 0);
    CHECK(below.json()[0]["written"] == 3);
    CHECK(std::filesystem::exists(s.folder / "spray.cache/water/frame.-0003.columns"));
    for (const char* bad : {"8-5", "x", "1-", "1-2-3", "99999999-1"}) {
        const auto r = run({"bake", s.scene, "--frames", bad});
        CHECK(r.code == 1);
        CHECK(r.err.find(bad) != std::string::npos);
    }
    CHECK(run({"bake", s.scene, "--layer", "nobody"}).code == 1);
    CHECK(run({"bake", s.scene, "--frames", "1-2", "--lock"}).code == 0);
    const auto locked = run({"bake", s.scene, "--frames", "1-2"});
    CHECK(locked.code == 1);
    CHECK(locked.err.find("locked") != std::string::npos);
    Document none = Document::fresh();
    saveScene(none, s.file("none.ovrix"));
    CHECK(run({"bake", s.file("none.ovrix")}).code == 1);
}

TEST_CASE("layers go out frame by frame, and come in from other scenes", "[cli]") {
    const Spray s;
    const auto out =
        run({"eval", s.scene, "--layer", "water", "--frames", "2-4", "--out", s.file("w.####.csv")});
    CHECK(out.code == 0);
    for (const char* name : {"w.0002.csv", "w.0003.csv", "w.0004.csv"})
        CHECK(std::filesystem::exists(s.folder / name));
    CHECK(run({"eval", s.scene, "--layer", "water", "--frames", "2-4", "--out", s.file("w.csv")}).code == 1);
    saveScene(Document::fresh(), s.file("pool.ovrix"));
    const auto in = run({"bring-in", s.file("pool.ovrix"), "--from", s.scene, "--nodes", "water", "--out",
                         s.file("both.ovrix"), "--json"});
    REQUIRE(in.code == 0);
    CHECK(in.json()["nodes"].size() == 2);  // the plate that it lies on comes along
    const Document both = loadScene(s.file("both.ovrix"));
    CHECK(std::get<std::string>(both.value("water", "surface")) == "plate");
    const auto twice = run({"bring-in", s.file("both.ovrix"), "--from", s.scene, "--nodes", "water", "--only",
                            "--bind", "plate=plate", "--out", s.file("three.ovrix")});
    CHECK(twice.code == 0);
    CHECK(twice.out.find("\"Water\" is called \"Water 2\" here") != std::string::npos);
    CHECK(std::get<std::string>(loadScene(s.file("three.ovrix")).value("water_2", "surface")) == "plate");
    CHECK(
        run({"bring-in", s.scene, "--from", s.scene, "--nodes", "nobody", "--out", s.file("x.ovrix")}).code ==
        1);
    CHECK(run({"bring-in", s.scene, "--from", s.scene, "--nodes", "water", "--bind", "nonsense", "--out",
               s.file("x.ovrix")})
              .code == 1);
}

TEST_CASE("values are set as the scene file has them, and names need not be UTF-8", "[cli]") {
    TemporaryFolder folder;
    Document d = Document::fresh();
    d.put(makeNode(d, "sphere", "Ball"));
    saveScene(d, folder / "a.ovrix");
    const auto set = [&](const char* assignment) {
        return run(
            {"set", (folder / "a.ovrix").string(), assignment, "--out", (folder / "b.ovrix").string()});
    };
    CHECK(set("ball/position=[1, 2.5, -3]").code == 0);
    CHECK(std::get<V3d>(loadScene(folder / "b.ovrix").value("ball", "position")) == V3d(1, 2.5, -3));
    CHECK(set("ball/position=[1, 2").err.find("[1, 2, 3]") != std::string::npos);
    CHECK(set("ball/position=[\"a\"]").code == 1);
    CHECK(set(("ball/position=" + std::string(100000, '[')).c_str()).code == 1);
    CHECK(run({"set", "--help"}).out.find("position=[") != std::string::npos);
    const std::string odd = (folder / "b\xff.obj").string();
    std::ofstream(odd) << "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n";
    CHECK(run({"info", odd, "--json"}).code == 0);
}
