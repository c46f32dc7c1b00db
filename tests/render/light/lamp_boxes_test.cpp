#include "render/light/lamp_boxes.h"

#include <random>
#include <set>

#include "support.h"

using namespace ovrix::tests;

namespace {

std::set<uint32_t> told(const LampBoxes& boxes, const V3f& origin, const V3f& direction, float reach) {
    std::set<uint32_t> out;
    boxes.along(origin, direction, reach, [&](uint32_t light) { CHECK(out.insert(light).second); });
    return out;
}

/// By the slabs of the box, in double precision. @param grown  by so much to each side
bool meets(const Box3f& box, const V3f& origin, const V3f& direction, float reach, double grown) {
    double from = 0, to = double(reach);
    for (int k = 0; k < 3; ++k) {
        const double o = double(origin[k]), d = double(direction[k]);
        const double a = (double(box.min[k]) - grown - o) / d, b = (double(box.max[k]) + grown - o) / d;
        from = std::max(from, std::min(a, b)), to = std::min(to, std::max(a, b));
    }
    return from <= to;
}

}  // namespace

TEST_CASE("rays are told of all lamps on their way", "[light]") {
    std::mt19937 random(testSeed());
    std::uniform_real_distribution<float> even(-1.0f, 1.0f);
    const auto place = [&](float far) { return V3f(even(random), even(random), even(random)) * far; };
    std::vector<LightBounds> lights(500);
    for (size_t i = 0; i < lights.size(); ++i) {
        const V3f at = place(10.0f);
        const float size = 0.05f + std::abs(even(random)) * (i % 10 == 0 ? 3.0f : 0.2f);
        lights[i].box = Box3f(at - V3f(size), at + V3f(size));
        lights[i].far = i % 50 == 7, lights[i].traced = i % 50 == 8;
    }
    const LampBoxes boxes(lights);
    size_t met = 0;
    for (int ray = 0; ray < 2000; ++ray) {
        const V3f origin = place(15.0f), direction = place(1.0f).normalized();
        const float reach =
            ray % 3 ? 5.0f + 10.0f * std::abs(even(random)) : std::numeric_limits<float>::infinity();
        const auto found = told(boxes, origin, direction, reach);
        for (uint32_t i = 0; i < lights.size(); ++i) {
            if (lights[i].far || lights[i].traced) {
                REQUIRE(found.count(i) == 0);
                continue;
            }
            // What is grown or shrunk by a thousandth may be told or not.
            if (meets(lights[i].box, origin, direction, reach, -1e-3)) REQUIRE(found.count(i) == 1);
            if (!meets(lights[i].box, origin, direction, reach, 1e-3)) REQUIRE(found.count(i) == 0);
            met += found.count(i);
        }
    }
    CHECK(met > 500);
}

TEST_CASE("of few lamps each is asked, and what is no ray meets none", "[light][damaged]") {
    std::vector<LightBounds> lights(8);
    for (size_t i = 0; i < lights.size(); ++i) lights[i].box = Box3f(V3f(float(i)), V3f(float(i) + 0.5f));
    const float none = std::numeric_limits<float>::quiet_NaN();
    CHECK(told(LampBoxes(std::span(lights).first(3)), V3f(0, 9, 0), V3f(0, 1, 0), 1.0f).size() == 3);
    CHECK(told(LampBoxes(), V3f(0.0f), V3f(0, 1, 0), 1.0f).empty());
    const LampBoxes all(lights);
    CHECK(told(all, V3f(0.25f, 0.25f, -5), V3f(0, 0, 1), 100.0f) == std::set<uint32_t>{0});
    CHECK(told(all, V3f(none), V3f(0, 0, 1), 100.0f).empty());
    CHECK(told(all, V3f(0.0f), V3f(none, 0, 1), 100.0f).empty());
    lights[2].box = Box3f(V3f(none), V3f(1.0f));
    CHECK(told(LampBoxes(lights), V3f(2.25f, 2.25f, -5), V3f(0, 0, 1), 100.0f).empty());
    const LampBoxes copy = all;  // shares what it holds
    CHECK(told(copy, V3f(7.25f, 7.25f, -5), V3f(0, 0, 1), 100.0f) == std::set<uint32_t>{7});
}
