// What a render will be like, before it is begun.
#include "deliver/pictures/preflight.h"
#include "deliver/pictures/frame_render.h"
#include "deliver/studio.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

struct Ahead : Studio {
    Ahead() { set("render/width", "640"), set("render/height", "400"); }
    Preflight look(const std::string& out, int frames = 1) {
        FrameRenderer renderer(scene(), evaluator);
        return lookAhead(renderer.jobFor({.samples = 64}, Progress::none()),
                         out.empty() ? std::filesystem::path() : folder / out, frames, Progress::none());
    }
};

bool says(const Preflight& found, const std::string& part) {
    for (const std::string& problem : found.problems)
        if (problem.find(part) != std::string::npos) return true;
    return false;
}

}  // namespace

TEST_CASE("a look ahead counts up time, memory and files, and finds what makes a render useless",
          "[preflight]") {
    Ahead s;
    CHECK(says(s.look(""), "black"));
    s.add("dome");
    const Preflight good = s.look("a.png");
    CHECK(good.problems.empty());
    CHECK(good.seconds > 0);
    CHECK(good.filmBytes == 640.0 * 400.0 * FilmLayout{.bins = true}.bytesOfPixel());
    CHECK(good.fileBytes == 640.0 * 400.0 * 4);
    CHECK(s.look("").fileBytes == 0);
    CHECK(s.look("a.exr").fileBytes > good.fileBytes);
    CHECK(says(s.look("no/such/a.png"), "cannot be written"));
    CHECK(says(s.look("a.####.exr", 1000000000), "are free there"));
    s.set("camera/target", "0,0,20");  // the other way
    CHECK(says(s.look("a.png"), "nothing of the scene"));
    // One row, and one that is larger than the look itself.
    s.set("camera/target", "0,0,0"), s.set("render/width", "8192"), s.set("render/height", "1");
    CHECK(s.look("").filmBytes == 8192.0 * FilmLayout{.bins = true}.bytesOfPixel());
}

TEST_CASE("durations are told as people tell them", "[preflight]") {
    CHECK(durationText(0) == "1 s");
    Preflight found;
    found.seconds = 90, found.filmBytes = 2e9, found.fileBytes = 5e6;
    CHECK(aheadText(found, 1) == "About 2 min; the film takes 2.0 GB, a file up to 5 MB");
    found.fileBytes = 0, found.cut = 0.25;
    CHECK(aheadText(found, 3) ==
          "About 2 min a frame, 5 min in all; the film takes 2.0 GB\nThe firefly limit takes 25.0 % of the "
          "light of "
          "the picture");
    CHECK(durationText(59.4) == "59 s");
    CHECK(durationText(90) == "2 min");
    CHECK(durationText(12000) == "3 h 20 min");
}

TEST_CASE("a camera within something closed is told", "[preflight][checks]") {
    Ahead s;
    CHECK_FALSE(s.hasCheck("stands within"));
    s.set("camera/position", "0,0,0.2");
    CHECK(s.hasCheck("stands within"));
    s.set(s.ball + "/rendered", "false");
    CHECK_FALSE(s.hasCheck("stands within"));
}
