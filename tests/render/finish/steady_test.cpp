#include "render/finish/steady.h"

#include <tbb/global_control.h>

#include <random>

#include "render/render_support.h"

using namespace ovrix::tests;

namespace {

constexpr int kAcross = 64, kDown = 40;

/// A pattern that goes right by a pixel and a half a frame behind a block that stands; with noise.
SteadyFrame frameAt(int number, float noise, int blockFrom = 20, int blockTo = 30) {
    SteadyFrame f{kAcross, kDown, {}, {}, {}, {}, {}};
    std::mt19937 random{uint32_t(number)};
    for (int y = 0; y < kDown; ++y)
        for (int x = 0; x < kAcross; ++x) {
            const bool block = x >= blockFrom && x < blockTo;
            const float at = float(x) - 1.5f * float(number);
            const float light = block ? 0.2f : 1.0f + 0.3f * std::sin(0.15f * at) * std::cos(0.2f * float(y));
            const float off = noise * (float(random() % 2001) / 1000.0f - 1.0f);
            f.light.push_back(V3f(light * (1.0f + off)));
            f.moved.push_back(block ? V2f(0, 0) : V2f(1.5f, 0));
            f.thing.push_back(block ? 1 : 2);
            f.depth.push_back(block ? 1.0f : 3.0f);
            f.albedo.push_back(V3f(0.5f));
        }
    return f;
}

double errorOf(const std::vector<V3f>& light, const SteadyFrame& truth, int from, int to) {
    double sum = 0;
    for (int y = 4; y < kDown - 4; ++y)
        for (int x = from; x < to; ++x) {
            const size_t i = size_t(y) * kAcross + size_t(x);
            sum += std::pow(double(light[i].x / truth.light[i].x - 1.0f), 2.0);
        }
    return std::sqrt(sum / double((to - from) * (kDown - 8)));
}

}  // namespace

TEST_CASE("noise that is another in each frame becomes less along what moves", "[steady]") {
    const SteadyFrame now = frameAt(10, 0.1f), one = frameAt(9, 0.1f), two = frameAt(8, 0.1f);
    const SteadyFrame truth = frameAt(10, 0.0f);
    const SteadyFrame* before[] = {&one, &two};
    const auto steady = steadied(now, before, true);
    for (const auto& [from, to] : {std::pair(20, 30), std::pair(34, 60)}) {
        const double was = errorOf(now.light, truth, from, to), is = errorOf(steady, truth, from, to);
        INFO(from);
        CHECK(was > 0.05);
        CHECK(is < 0.7 * was);  // of three alike it would be 0.58
    }
    // Without noise nothing changes but by what lies between pixels.
    const SteadyFrame a = frameAt(9, 0), b = frameAt(8, 0);
    const SteadyFrame* clear[] = {&a, &b};
    CHECK(errorOf(steadied(truth, clear, true), truth, 34, 60) < 0.002);
}

TEST_CASE("what comes into sight, and what is lit anew, has its own light alone", "[steady]") {
    // The block stood further right a frame ago: what it hid is seen now.
    const SteadyFrame now = frameAt(10, 0, 20, 30), then = frameAt(9, 0, 26, 36);
    const SteadyFrame* before[] = {&then};
    const auto steady = steadied(now, before, true);
    for (int y = 0; y < kDown; ++y)
        for (int x = 32; x < 36; ++x) {
            const size_t i = size_t(y) * kAcross + size_t(x);
            CHECK(steady[i] == now.light[i]);
        }
    // A lamp is switched on.
    SteadyFrame dark = frameAt(9, 0);
    for (V3f& c : dark.light) c *= 0.3f;
    const SteadyFrame lit = frameAt(10, 0);
    const SteadyFrame* darker[] = {&dark};
    CHECK(errorOf(steadied(lit, darker, true), lit, 4, 60) < 1e-3);
}

TEST_CASE("what lies behind all things is steady while the camera stands", "[steady]") {
    SteadyFrame now = frameAt(1, 0.1f, 0, 0), then = frameAt(2, 0.1f, 0, 0);
    for (SteadyFrame* f : {&now, &then}) {
        std::fill(f->thing.begin(), f->thing.end(), 0u);
        std::fill(f->moved.begin(), f->moved.end(), V2f(0, 0));
    }
    const SteadyFrame* before[] = {&then};
    CHECK(steadied(now, before, false) == now.light);
    CHECK(steadied(now, before, true) != now.light);
    CHECK(steadied(now, {}, true) == now.light);
}

TEST_CASE("motion beyond all pictures leads nowhere, on any threads", "[steady]") {
    SteadyFrame now = frameAt(10, 0.1f), then = frameAt(9, 0.1f);
    const float nowhere[] = {std::numeric_limits<float>::quiet_NaN(), 1e30f, -1e30f,
                             std::numeric_limits<float>::infinity()};
    for (size_t i = 0; i < now.moved.size(); i += 3) now.moved[i] = V2f(nowhere[i % 4], nowhere[i / 4 % 4]);
    const SteadyFrame* before[] = {&then, &then};
    const auto many = steadied(now, before, true);
    for (size_t i = 0; i < now.moved.size(); i += 3) CHECK(many[i] == now.light[i]);
    const tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
    CHECK(steadied(now, before, true) == many);
}
