// Denoised frames that go by those before them: the same wherever a sequence is begun.
#include "deliver/pictures/frame_render.h"
#include "deliver/shutter.h"
#include "deliver/studio.h"
#include "io/denoiser/denoiser.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// A ball that goes by, under a dome.
struct GoingBy : Studio {
    GoingBy() {
        add("dome");
        Param place = paramAt(document, {ball, "", "position"});
        place.keys = {{1, V3d(-0.5, 0, 0), KeyEase::Linear}, {9, V3d(0.5, 0, 0), KeyEase::Linear}};
        document = withMotion(withParam(document, {ball, "", "position"}, place));
    }
    std::vector<V3f> frame(FrameRenderer& renderer, int number, bool steady) {
        const auto made = renderer.render({.frame = number,
                                           .width = 64,
                                           .height = 48,
                                           .samples = 2,
                                           .denoise = true,
                                           .steady = steady,
                                           .screen = false},
                                          Progress::none());
        REQUIRE(made);
        return *made->clean;
    }
    std::vector<V3f> alone(int number, bool steady) {
        Evaluator own;
        FrameRenderer renderer(scene(), own);
        return frame(renderer, number, steady);
    }
};

}  // namespace

TEST_CASE("a steady frame is the same wherever its sequence is begun", "[steady]") {
    if (!hasDenoiser()) return;
    GoingBy s;
    FrameRenderer renderer(s.scene(), s.evaluator);
    std::vector<std::vector<V3f>> all;
    for (const int number : {1, 2, 3, 4, 5}) all.push_back(s.frame(renderer, number, true));
    CHECK(s.alone(5, true) == all[4]);
    CHECK(s.frame(renderer, 3, true) == all[2]);  // back again
    CHECK(s.alone(2, true) == all[1]);
    CHECK(s.alone(1, true) == all[0]);
    CHECK(s.alone(1, false) == all[0]);  // none is before it
    CHECK(s.alone(5, false) != all[4]);
}

TEST_CASE("steady frames need motion, and are rendered whole", "[steady]") {
    if (!hasDenoiser()) return;
    GoingBy s;
    FrameRenderer renderer(s.scene(), s.evaluator);
    FrameOptions options{
        .frame = 3, .width = 16, .height = 16, .samples = 1, .denoise = true, .steady = true};
    options.passes = std::pair(1, 1);
    CHECK_THROWS_WITH(renderer.render(options, Progress::none()), Catch::Contains("whole"));
    options.passes.reset();
    s.set("render/passes", "position");
    FrameRenderer without(s.scene(), s.evaluator);
    CHECK_THROWS_WITH(without.render(options, Progress::none()), Catch::Contains("how things move"));
    CHECK(keepsMotion(withMotion(s.document), 1));
    CHECK(withMotion(withMotion(s.document)) == withMotion(s.document));
    // More than half of the memory limit for the frames that are kept.
    s.document = withMotion(s.document);
    s.set("scene/memory", "0.3");
    FrameRenderer small(s.scene(), s.evaluator);
    FrameOptions large = options;
    large.width = 1280, large.height = 960;
    CHECK_THROWS_WITH(small.render(large, Progress::none()), Catch::Contains("steady"));
    // Stopped while the frames before are made: nothing.
    FrameRenderer stopped(SceneContext(withMotion(s.document)), s.evaluator);
    options.stop = [] { return true; };
    CHECK_FALSE(stopped.render(options, Progress::none()));
}
