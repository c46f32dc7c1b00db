#include <nlohmann/json.hpp>

#include <fstream>
#include <sstream>

#include "base/files.h"
#include "cli/commands.h"
#include "document/edits/edits.h"
#include "document/file/scene_file.h"
#include "interrupted.h"
#include "io/denoiser/denoiser.h"
#include "io/image/layered_picture.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;
namespace fs = std::filesystem;

namespace {

struct Told {
    int code;
    std::string out, err;
    nlohmann::json json() const { return nlohmann::json::parse(out); }
};

/// A ball under the usual sky.
struct Ball {
    TemporaryFolder folder;
    Ball() {
        Document d = Document::fresh();
        d.put(makeNode(d, "sphere", "Ball"));
        d = withText(withText(d, "render/samples", "8"), "render/passes", "uv,diffuse");
        saveScene(d, folder / "ball.ovrix");
    }
    std::string path(const std::string& name) const { return (folder / name).string(); }
    Told run(std::vector<std::string> args) const {
        std::ostringstream out, err;
        const int code = ovrix::cli::run(args, out, err);
        return {code, out.str(), err.str()};
    }
    std::vector<std::string> command(const std::string& out, std::vector<std::string> more) const {
        std::vector<std::string> args{"render", path("ball.ovrix"), "--size",  "40x32",
                                      "--out",  path(out),          "--depth", "float"};
        args.insert(args.end(), more.begin(), more.end());
        return args;
    }
    Told render(const std::string& out, std::vector<std::string> more) const {
        return run(command(out, std::move(more)));
    }
    auto pixels(const std::string& name) const { return readImage(path(name), "Raw")->pixels; }
};

LayeredPicture layersOf(const std::string& file) { return readLayers(file, size_t(1) << 30); }

}  // namespace

TEST_CASE("films are gone on with and added up from the shell", "[cli][film]") {
    const Ball s;
    CHECK(s.render("whole.exr", {}).code == 0);
    const auto whole = s.pixels("whole.exr");

    CHECK(s.render("a.exr", {"--film", s.path("a.film"), "--samples", "3"}).code == 0);
    CHECK(s.pixels("a.exr") != whole);
    CHECK(s.render("a.exr", {"--film", s.path("a.film")}).code == 0);
    CHECK(s.pixels("a.exr") == whole);
    const auto again = s.render("a.exr", {"--film", s.path("a.film")});
    CHECK(again.code == 0);
    CHECK(again.err.find("pass") == std::string::npos);  // all were there
    CHECK(s.pixels("a.exr") == whole);

    CHECK(s.render("b.exr", {"--film", s.path("b.film"), "--passes", "1-3"}).code == 0);
    CHECK(s.render("c.exr", {"--film", s.path("c.film"), "--passes", "4-8", "--region", "0,0,40,16"}).code ==
          0);
    CHECK(s.render("d.exr", {"--film", s.path("d.film"), "--passes", "4-8", "--region", "0,16,40,16"}).code ==
          0);
    CHECK(s.run({"film", s.path("b.film"), s.path("c.film"), s.path("d.film"), "--out", s.path("e.exr"),
                 "--depth", "float"})
              .code == 0);
    CHECK(s.pixels("e.exr") == whole);
    CHECK(s.run({"film", s.path("c.film"), s.path("d.film"), "--out", s.path("f.film")}).code == 0);
    CHECK(s.run({"film", s.path("f.film"), s.path("b.film"), "--out", s.path("f.tif")}).code == 0);
    const auto told = s.run({"film", s.path("f.film"), "--json"}).json();
    CHECK(told["width"] == 40);
    CHECK(told["ranges"].size() == 2);
    CHECK(told["ranges"][0]["passes"] == nlohmann::json({4, 8}));
    CHECK(s.run({"film", s.path("f.film")}).out.find("passes 4 to 8") != std::string::npos);
}

TEST_CASE("what does not fit a film is told, and the film stays as it was", "[cli][film]") {
    const Ball s;
    REQUIRE(s.render("a.exr", {"--film", s.path("a.film"), "--passes", "1-2"}).code == 0);
    const std::string before = readFile(s.path("a.film"));
    CHECK(s.run({"film", s.path("a.film"), s.path("a.film"), "--out", s.path("b.film")}).code == 1);
    CHECK_FALSE(fs::exists(s.path("b.film")));
    CHECK(s.render("b.exr", {"--film", s.path("a.film"), "--region", "0,0,8,8", "--passes", "2-4"}).code ==
          0);
    const auto partly = s.render("b.exr", {"--film", s.path("a.film"), "--passes", "4-4"});
    CHECK(partly.code == 1);
    CHECK(partly.err.find("part of that region") != std::string::npos);
    writeFile(s.path("a.film"), before);
    REQUIRE(s.run({"set", s.path("ball.ovrix"), "ball/radius=0.4", "--out", s.path("ball.ovrix")}).code == 0);
    CHECK(s.render("b.exr", {"--film", s.path("a.film")}).err.find("another picture") != std::string::npos);
    CHECK(readFile(s.path("a.film")) == before);
    CHECK(s.render("b.##.exr", {"--film", s.path("a.film"), "--frames", "1-2"}).code == 1);
    CHECK(s.render("b.exr", {"--passes", "0-2"}).code == 1);
    // Noise is told from the first pass on.
    REQUIRE(s.run({"set", s.path("ball.ovrix"), "render/noise=0.2", "--out", s.path("noise.ovrix")}).code ==
            0);
    const auto apart = [&](const std::string& passes) {
        return s.run({"render", s.path("noise.ovrix"), "--size", "40x32", "--passes", passes, "--out",
                      s.path("n.exr")});
    };
    CHECK(apart("1-2").code == 0);
    CHECK(apart("3-4").err.find("from the first pass on") != std::string::npos);
    CHECK(s.run({"film", s.path("ball.ovrix")}).code == 1);
    CHECK(s.run({"film", s.path("none.film")}).code == 1);
    CHECK(s.run({"film", s.path("a.film"), "--out", s.path("a.jpeg")}).code == 1);
    CHECK(s.run({"film"}).code == 2);
    CHECK(s.run({"set", s.path("ball.ovrix"), "render/passes=nothing", "--out", s.path("c.ovrix")}).code ==
          1);
}

TEST_CASE("frames that are missing are filled in, and the others let be", "[cli]") {
    const Ball s;
    const auto frames = [&](std::vector<std::string> more) {
        std::vector<std::string> args{"render", s.path("ball.ovrix"), "--size",   "24x16", "--samples", "1",
                                      "--out",  s.path("f.##.png"),   "--frames", "1-4"};
        args.insert(args.end(), more.begin(), more.end());
        return s.run(args);
    };
    REQUIRE(frames({}).code == 0);
    const auto third = s.pixels("f.03.png");
    fs::remove(s.folder / "f.03.png");
    std::ofstream(s.folder / "f.02.png") << "mine";
    const Told told = frames({"--missing"});
    CHECK(told.code == 0);
    CHECK(told.out == s.path("f.03.png") + "\n");
    CHECK(s.pixels("f.03.png") == third);
    CHECK(fs::file_size(s.folder / "f.02.png") == 4);
    CHECK(frames({"--missing"}).out.empty());
    CHECK(s.run({"render", s.path("ball.ovrix"), "--out", s.path("v.mp4"), "--frames", "1-2", "--missing"})
              .err.find("written whole") != std::string::npos);
    CHECK(s.run({"render", s.path("ball.ovrix"), "--out", s.path("a.png"), "--missing"}).code != 0);
}

TEST_CASE("an EXR that is larger than memory is rendered in pieces, and is verified as others are",
          "[cli][pieces][verify]") {
    const Ball s;
    CHECK(s.run({"set", s.path("ball.ovrix"), "scene/memory=0.05", "--out", s.path("small.ovrix")}).code ==
          0);
    const auto render = [&](const std::string& out, const char* more) {
        return s.run({"render", s.path("small.ovrix"), "--size", "320x420", "--samples", "1", "--out",
                      s.path(out), more});
    };
    const Told refused = render("large.exr", "--draft");
    CHECK(refused.code != 0);
    CHECK(refused.err.find("--pieces") != std::string::npos);
    const Told made = render("large.exr", "--pieces");
    CHECK(made.code == 0);
    CHECK(made.err.find("in pieces") != std::string::npos);
    const LayeredPicture file = layersOf(s.path("large.exr"));
    CHECK((file.picture.width == 320 && file.picture.height == 420));
    CHECK(s.run({"render", s.path("small.ovrix"), "--verify", s.path("large.exr")}).code == 0);
    const Told png = render("large.png", "--pieces");
    CHECK(png.code != 0);
    CHECK(png.err.find("EXR") != std::string::npos);
    CHECK_FALSE(fs::exists(s.path("large.png")));
    // It is told ahead, too.
    CHECK(s.run({"render", s.path("small.ovrix"), "--size", "320x420", "--samples", "1", "--pieces",
                 "--check", "--out", s.path("ahead.exr")})
              .out.find("the film takes") != std::string::npos);
}

TEST_CASE("a picture is rendered again in part and compared", "[cli][verify]") {
    const Ball s;
    const auto verify = [&](const std::string& scene, const std::string& picture) {
        return s.run({"render", s.path(scene), "--verify", s.path(picture)});
    };
    REQUIRE(s.render("a.exr", {"--frame", "2"}).code == 0);
    CHECK(verify("ball.ovrix", "a.exr").code == 0);
    CHECK(verify("ball.ovrix", "a.exr").out.find("are the same") != std::string::npos);
    REQUIRE(
        s.run({"render", s.path("ball.ovrix"), "--size", "40x32", "--samples", "3", "--out", s.path("h.exr")})
            .code == 0);
    CHECK(layersOf(s.path("h.exr")).half);
    CHECK(verify("ball.ovrix", "h.exr").code == 0);
    if (hasDenoiser()) {
        REQUIRE(s.render("d.exr", {"--denoise"}).code == 0);
        CHECK(verify("ball.ovrix", "d.exr").code == 0);
    }
    // With guides that were cleaned first it is another picture.
    if (cleanedGuides()) {
        CHECK(s.run({"denoise", s.path("a.exr"), "--out", s.path("a1.exr")}).code == 0);
        CHECK(s.run({"denoise", s.path("a.exr"), "--clean-guides", "--out", s.path("a2.exr")}).code == 0);
        CHECK(s.pixels("a1.exr").size() == s.pixels("a2.exr").size());
        CHECK(s.pixels("a1.exr") != s.pixels("a2.exr"));
    }
    // Where fireflies are let be.
    REQUIRE(s.run({"set", s.path("ball.ovrix"), "render/even_fireflies=false", "--out", s.path("raw.ovrix")})
                .code == 0);
    REQUIRE(s.run({"render", s.path("raw.ovrix"), "--size", "40x32", "--out", s.path("raw.exr")}).code == 0);
    CHECK_FALSE(layersOf(s.path("raw.exr")).find("gathered.R"));
    CHECK(verify("raw.ovrix", "raw.exr").code == 0);
    // One that stopped where it was clean.
    REQUIRE(s.run({"set", s.path("ball.ovrix"), "render/noise=0.2", "render/least_samples=2", "--out",
                   s.path("noise.ovrix")})
                .code == 0);
    REQUIRE(s.run({"render", s.path("noise.ovrix"), "--size", "96x64", "--out", s.path("n.exr")}).code == 0);
    CHECK(verify("noise.ovrix", "n.exr").code == 0);

    // A pixel that was changed, a scene that was, a part of a picture, and what tells nothing of itself.
    auto file = layersOf(s.path("a.exr"));
    CHECK(file.notes.at("ovrix:passes") == "8");
    CHECK(file.notes.at("ovrix:frame") == "2");
    const auto red = std::find_if(file.picture.channels.begin(), file.picture.channels.end(),
                                  [](const Channel& c) { return c.name == "R"; });
    REQUIRE(red != file.picture.channels.end());
    red->values[16 * 40 + 20] += 0.25f;
    writeImage(s.path("changed.exr"), file.picture, {.depth = PixelDepth::Float, .notes = file.notes});
    CHECK(verify("ball.ovrix", "changed.exr").code == 1);
    CHECK(verify("ball.ovrix", "changed.exr").err.find("differ") != std::string::npos);
    REQUIRE(s.run({"set", s.path("ball.ovrix"), "ball/radius=0.4", "--out", s.path("other.ovrix")}).code ==
            0);
    CHECK(verify("other.ovrix", "a.exr").err.find("changed since") != std::string::npos);
    REQUIRE(s.render("part.exr", {"--region", "0,0,8,8"}).code == 0);
    CHECK(verify("ball.ovrix", "part.exr").code == 1);
    writeImage(s.path("dumb.exr"), file.picture, {.depth = PixelDepth::Float, .notes = {}});
    CHECK(verify("ball.ovrix", "dumb.exr").err.find("does not say how") != std::string::npos);
    CHECK(verify("ball.ovrix", "none.exr").code == 1);
    CHECK(
        s.run({"render", s.path("ball.ovrix"), "--verify", s.path("a.exr"), "--out", s.path("b.exr")}).code ==
        2);
}

TEST_CASE("files are denoised, and what was there stays", "[cli][denoise]") {
    const Ball s;
    const auto denoise = [&](const std::string& from, const std::string& to) {
        return s.run({"denoise", s.path(from), "--out", s.path(to)});
    };
    REQUIRE(s.render("a.exr", {}).code == 0);
    if (!hasDenoiser()) {
        CHECK(denoise("a.exr", "b.exr").err.find("./dev denoiser") != std::string::npos);
        return;
    }
    REQUIRE(denoise("a.exr", "b.exr").code == 0);
    const auto before = layersOf(s.path("a.exr")), after = layersOf(s.path("b.exr"));
    CHECK(after.find("noisy.G")->values == before.find("G")->values);
    CHECK(after.find("G")->values != before.find("G")->values);
    CHECK(after.find("depth.Z")->values == before.find("depth.Z")->values);
    CHECK(after.find("diffuse_direct.R")->values == before.find("diffuse_direct.R")->values);
    CHECK(after.notes.at("ovrix:passes") == "8");
    // Again: of what was rendered, and not of what was cleaned.
    REQUIRE(denoise("b.exr", "c.exr").code == 0);
    CHECK(layersOf(s.path("c.exr")).find("G")->values == after.find("G")->values);
    CHECK(s.run({"render", s.path("ball.ovrix"), "--verify", s.path("b.exr")}).code == 0);

    Picture bare{8, 8, {}};
    for (const char* name : {"R", "G", "B"})
        bare.channels.push_back({name, std::vector<float>(64, 0.5f), false});
    writeImage(s.path("bare.exr"), bare, {.depth = PixelDepth::Half, .notes = {}});
    CHECK(denoise("bare.exr", "e.exr").code == 0);
    CHECK(denoise("bare.exr", "e.exr").err.find("no albedo") != std::string::npos);
    writeFile(s.path("damaged.exr"), readFile(s.path("a.exr")).substr(0, 3000));
    CHECK(denoise("damaged.exr", "e.exr").code == 1);
    CHECK(denoise("a.exr", "e.png").code == 1);
    CHECK(denoise("none.exr", "e.exr").code == 1);
}

TEST_CASE("a render that is asked to end keeps its film, and goes on to the same picture",
          "[cli][film][interrupted]") {
    const Ball s;
    const std::string program = programBeside("ovrix-cli");
    std::string line = "timeout --foreground --preserve-status -s INT 4 '" + program + "'";
    for (const std::string& arg : s.command("a.exr", {"--film", s.path("a.film"), "--samples", "1000000"}))
        line += " '" + arg + "'";
    CHECK(std::system((line + " 2>'" + s.path("said") + "'").c_str()) != 0);
    CHECK(readFile(s.path("said")).find("goes on with it") != std::string::npos);
    CHECK_FALSE(fs::exists(s.path("a.exr")));
    const auto parts = s.run({"film", s.path("a.film"), "--json"}).json()["ranges"];
    REQUIRE(parts.size() == 1);
    const int made = parts[0]["passes"][1].get<int>();
    REQUIRE(made >= 1);
    const std::string more = std::to_string(made + 2);
    CHECK(s.render("a.exr", {"--film", s.path("a.film"), "--samples", more}).code == 0);
    CHECK(s.render("b.exr", {"--samples", more}).code == 0);
    CHECK(s.pixels("a.exr") == s.pixels("b.exr"));
}

TEST_CASE("a film whose render is killed at any write, or finds the disk full, is whole or not there",
          "[cli][film][interrupted]") {
    const Ball s;
    std::vector<std::string> command = s.command("a.exr", {"--film", s.path("a.film"), "--passes", "1-2"});
    command.insert(command.begin(), programBeside("ovrix-cli"));
    const int calls = runInterrupted(command, s.folder.path()).calls;
    REQUIRE(calls > 3);
    const std::string whole = readFile(s.path("a.film"));
    for (const Fate fate : {Fate::Killed, Fate::DiskFull})
        for (int at = 1; at <= calls; at += fate == Fate::Killed ? 1 : 4) {
            fs::remove(s.path("a.film")), fs::remove(s.path("a.exr"));
            runInterrupted(command, s.folder.path(), fate, at);
            if (fs::exists(s.path("a.film"))) CHECK(readFile(s.path("a.film")) == whole);
        }
}

TEST_CASE("a scene's finish is run with a render, and over its film and EXR, alike",
          "[cli][finish-picture]") {
    const Ball s;
    Document d = loadScene(s.folder / "ball.ovrix");
    for (const char* step : {"vignette", "crop", "motion_blur"})
        d = withStep(d, "finish", 99, makeStep(step, d.get("finish")));
    d = withText(withText(d, "finish/crop/right", "50"), "finish/response", "punchy");
    saveScene(d, s.folder / "ball.ovrix");
    const auto made = s.run({"render", s.path("ball.ovrix"), "--size", "40x32", "--out", s.path("a.png"),
                             "--film", s.path("a.film")});
    CHECK(made.code == 0);
    CHECK(made.err.find("motion_blur") != std::string::npos);  // which lacks its pass, and says so
    CHECK(s.render("a.exr", {}).code == 0);
    CHECK(readImage(s.folder / "a.png", "sRGB")->width == 20);
    CHECK(readImage(s.folder / "a.exr", "Raw")->width == 40);  // light as it was rendered
    for (const char* from : {"a.film", "a.exr"}) {
        CHECK(s.run({"finish", s.path("ball.ovrix"), s.path(from), "--out", s.path("b.png")}).code == 0);
        CHECK(s.pixels("b.png") == s.pixels("a.png"));
    }
    CHECK(s.run({"finish", s.path("ball.ovrix"), s.path("a.film"), "--out", s.path("b.exr")}).code == 0);
    CHECK(readImage(s.folder / "b.exr", "Raw")->width == 20);
    for (const auto& [from, to] :
         {std::pair("none.film", "b.png"), {"a.png", "b.gif"}, {"ball.ovrix", "b.png"}}) {
        const Told told = s.run({"finish", s.path("ball.ovrix"), s.path(from), "--out", s.path(to)});
        CHECK(told.code == 1);
        CHECK_FALSE(told.err.empty());
    }
}
