// Depth of field from distances: discs by the lens formula, edges without seams.
#include <tbb/global_control.h>

#include "base/random.h"
#include "render/finish/finish_support.h"
#include "render/finish/steps/depth_of_field.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// A radius by how far light lies from its middle: of an even disc the mean square is half of its own.
double radiusOf(const Bench& b, double x, double y) {
    double sum = 0, moment = 0;
    for (int j = 0; j < b.height; ++j)
        for (int i = 0; i < b.width; ++i) {
            const double light = b.light[size_t(j) * size_t(b.width) + size_t(i)].x;
            sum += light, moment += light * ((i - x) * (i - x) + (j - y) * (j - y));
        }
    return std::sqrt(2 * moment / sum);
}

ParamMap lens(double fstop) { return values({{"fstop", fstop}, {"most", 50.0}}); }

}  // namespace

TEST_CASE("a point becomes a disc of the size that the thin lens gives it", "[finish-steps][dof]") {
    // Diameter on the film: f^2 / N * |d - s| / (d s), by the film's width in picture widths.
    for (const float depth : {2.0f, 20.0f, 0.0f}) {
        Bench b(240, 240, V3f(0.0f));
        b.camera.focal = 50, b.camera.film = 36, b.camera.focus = 5;
        b.passes.set(Pass::Depth, [&](int, int) { return depth; });
        b.at(120, 120) = V3f(1000.0f);
        b.run(depthOfFieldStep(), lens(0.7));
        const double away = depth > 0 ? std::abs(depth - 5.0) / (depth * 5.0) : 1.0 / 5.0;
        const double diameter = 0.05 * 0.05 / 0.7 * away / 0.036 * 240;
        INFO(depth << ": " << diameter);
        REQUIRE(diameter > 3);
        // Radii go by quarters of a pixel, and ends of rows are soft.
        CHECK(radiusOf(b, 120, 120) == Approx(diameter / 2).margin(0.35));
        CHECK(sumOf(b.light).x == Approx(1000).epsilon(1e-3));
    }
    Bench sharp(40, 40, V3f(0.0f));
    sharp.at(20, 20) = V3f(8.0f);
    sharp.run(depthOfFieldStep(), lens(1.4));  // all of it lies at the focus
    CHECK(sharp.at(20, 20).x == Approx(8.0f));
    CHECK(sharp.at(21, 20).x == 0.0f);
}

TEST_CASE("what is even stays even, whatever lies before it", "[finish-steps][dof]") {
    Bench b(90, 60, V3f(0.5f, 0.25f, 2.0f));
    b.passes.set(Pass::Depth, [](int x, int y) {
        return x > 30 && y > 20 ? 1.5f : x < 10 ? 0.0f : 8.0f + 0.1f * float(y);
    });
    b.run(depthOfFieldStep(), lens(0.5));
    for (const V3f& c : b.light) {
        CHECK(c.x == Approx(0.5f).epsilon(1e-3));
        CHECK(c.z == Approx(2.0f).epsilon(1e-3));
    }
}

TEST_CASE("a sharp thing keeps its edge before a blurred ground, a blurred one gets soft",
          "[finish-steps][dof]") {
    const auto split = [](float left, float right) {
        Bench b(120, 40, V3f(0.0f));
        b.camera.focus = 5;
        b.passes.set(Pass::Depth, [=](int x, int) { return x < 60 ? left : right; });
        for (int y = 0; y < 40; ++y)
            for (int x = 60; x < 120; ++x) b.at(x, y) = V3f(1.0f);
        b.run(depthOfFieldStep(), lens(0.05));
        return b;
    };
    // Dark and sharp before bright and far: no light runs over it, and no seam runs along it.
    Bench far = split(5, 50);
    CHECK(far.at(59, 20).x < 1e-3f);
    CHECK(far.at(60, 20).x > 0.98f);
    // Dark and near before bright and sharp: it lies softly over the ground.
    Bench near = split(1.2f, 5);
    CHECK(near.at(64, 20).x < 0.9f);
    CHECK(near.at(64, 20).x > 0.1f);
    for (int x = 62; x < 119; ++x) CHECK(near.at(x + 1, 20).x >= near.at(x, 20).x - 1e-4f);
}

TEST_CASE("blades shape the discs, highlights brighten them, a zone stays sharp", "[finish-steps][dof]") {
    const auto spread = [](const ParamMap& more, float light = 10.0f) {
        Bench b(121, 121, V3f(0.0f));
        b.passes.set(Pass::Depth, [](int, int) { return 40.0f; });
        b.at(60, 60) = V3f(light);
        ParamMap all = lens(0.03);
        for (const auto& [id, p] : more) all[id] = p;
        b.run(depthOfFieldStep(), all);
        return b;
    };
    const Bench round = spread({}), square = spread(values({{"blades", int64_t(4)}, {"roundness", 0.0}}));
    size_t inRound = 0, inSquare = 0;
    for (size_t i = 0; i < round.light.size(); ++i)
        inRound += round.light[i].x > 0, inSquare += square.light[i].x > 0;
    CHECK(double(inSquare) / double(inRound) == Approx(2 / 3.14159).margin(0.05));
    CHECK(sumOf(square.light).x == Approx(10).epsilon(1e-3));
    CHECK(sumOf(spread(values({{"gain", 3.0}, {"threshold", 1.0}})).light).x == Approx(40).epsilon(0.01));
    CHECK(sumOf(spread(values({{"gain", 3.0}, {"threshold", 1.0}}), 0.5f).light).x ==
          Approx(0.5).epsilon(0.01));
    const Bench zone = spread(values({{"zone", 80.0}}));
    CHECK(zone.light[size_t(60) * 121 + 60].x == Approx(10.0f));
}

TEST_CASE("focus goes with a thing, and says where it is not seen", "[finish-steps][dof]") {
    Bench b(60, 40, V3f(0.0f));
    b.passes.set(Pass::Depth, [](int x, int) { return x < 30 ? 2.0f : 30.0f; });
    b.passes.mattes["pup"] = b.passes.planeOf([](int x, int) { return x < 30 ? 1.0f : 0.0f; });
    b.at(10, 20) = b.at(45, 20) = V3f(4.0f);
    ParamMap params = lens(0.3);
    params["focus_on"].value = std::string("pup");
    b.run(depthOfFieldStep(), params);
    CHECK(b.at(10, 20).x == Approx(4.0f));
    CHECK(b.at(45, 20).x < 1.0f);
    CHECK(b.notes.empty());
    params["focus_on"].value = std::string("urchin");
    b.run(depthOfFieldStep(), params);
    CHECK(b.notes.size() == 1);
}

TEST_CASE("blur by depth has the same bits on any threads, and bounds what it reaches",
          "[finish-steps][dof]") {
    std::vector<V3f> bits;
    for (const size_t threads : {size_t(1), size_t(4)}) {
        const tbb::global_control limit(tbb::global_control::max_allowed_parallelism, threads);
        std::vector<V3f> light(200 * 150);
        std::vector<float> alpha(light.size(), 1.0f), depth(light.size());
        for (size_t i = 0; i < light.size(); ++i) {
            const Random4 r = random4(5, i, Stream::Color);
            light[i] = V3f(r[0], r[1], r[2] * 1e4f), depth[i] = 10 * r[3];
        }
        LensBlur lens;
        lens.strength = 1e6f, lens.focus = 3, lens.most = 20;
        blurByDepth(light, alpha, depth, 200, 150, lens, Progress::none());
        for (const V3f& c : light) REQUIRE(isFinite(c));
        for (const float a : alpha) REQUIRE(a == Approx(1.0f).margin(1e-3));
        if (bits.empty()) bits = light;
        CHECK(light == bits);
    }
}
