#include "render/finish/finish.h"

#include <algorithm>
#include <array>

#include "base/parallel.h"
#include "base/srgb.h"

namespace ovrix::render {

namespace {

constexpr float kKnee = 0.55f, kWhite = 6.0f;  // light above the knee reaches 1 at kWhite

float rollOff(float x) {
    if (!(x > kKnee)) return std::max(0.0f, x);
    const float room = 1.0f - kKnee, t = (x - kKnee) / room, white = (kWhite - kKnee) / room;
    return std::min(1.0f, kKnee + room * t * (1.0f + t / (white * white)) / (1.0f + t));
}

/// The transfer function for eight-bit screens, looked up: pow() for each pixel of each update is too slow.
uint32_t encode8(float linear) {
    static const auto table = [] {
        std::array<uint8_t, 4097> t{};
        for (size_t i = 0; i < t.size(); ++i)
            t[i] = uint8_t(std::lround(255.0f * encodeSrgb(float(i * i) / (4096.0f * 4096.0f))));
        return t;
    }();
    return table[size_t(std::lround(std::sqrt(std::clamp(linear, 0.0f, 1.0f)) * 4096.0f))];
}

uint32_t encoded(V3f c, bool soft) {
    if (soft) c = V3f(rollOff(c.x), rollOff(c.y), rollOff(c.z));
    return 0xFF000000u | encode8(c.x) << 16 | encode8(c.y) << 8 | encode8(c.z);
}

}  // namespace

V3f finished(const V3f& light, const FinishOptions& o) {
    const V3f c = light * std::exp2(o.exposure);
    if (!o.soft) return V3f(std::max(0.0f, c.x), std::max(0.0f, c.y), std::max(0.0f, c.z));
    return V3f(rollOff(c.x), rollOff(c.y), rollOff(c.z));
}

void toScreen(const Film& film, const FinishOptions& o, std::vector<uint32_t>& out, int group) {
    out.resize(film.count());
    const float gain = std::exp2(o.exposure);
    parallelFor(out.size(), Progress::none(),
                [&](size_t i) { out[i] = encoded(film.light(i, group) * gain, o.soft); });
}

void toScreen(const std::vector<V3f>& light, const FinishOptions& o, std::vector<uint32_t>& out) {
    out.resize(light.size());
    const float gain = std::exp2(o.exposure);
    parallelFor(out.size(), Progress::none(), [&](size_t i) { out[i] = encoded(light[i] * gain, o.soft); });
}

}  // namespace ovrix::render
