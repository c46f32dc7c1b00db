// Gradient noise of one place, one number after another: what bare loops are measured with.
#pragma once
#include <cmath>
#include <cstdint>

#include "base/vec.h"

namespace ovrix::bench {

/// A call for each, as of a library. As Perlin, "Improving Noise", SIGGRAPH 2002, with a hash in place of the
/// table.
[[gnu::noinline]] inline float plainNoise(const V3f& p, uint32_t seed) {
    const auto fade = [](float t) { return t * t * t * (t * (t * 6.0f - 15.0f) + 10.0f); };
    const int32_t x = int32_t(std::floor(p.x)), y = int32_t(std::floor(p.y)), z = int32_t(std::floor(p.z));
    const float fx = p.x - float(x), fy = p.y - float(y), fz = p.z - float(z);
    const auto corner = [&](int i, int j, int k) {
        uint32_t h = uint32_t(x + i) * 0x8da6b343u ^ uint32_t(y + j) * 0xd8163841u ^
                     uint32_t(z + k) * 0xcb1ab31fu ^ seed * 0x9e3779b9u;
        h = (h ^ h >> 15) * 0x2c1b3c6du;
        h = (h ^ h >> 12) * 0x297a2d39u;
        h = (h ^ h >> 15) & 15u;
        const float a = fx - float(i), b = fy - float(j), c = fz - float(k);
        const float u = h < 8 ? a : b, v = h < 4 ? b : h == 12 || h == 14 ? a : c;
        return (h & 1u ? -u : u) + (h & 2u ? -v : v);
    };
    const float u = fade(fx), v = fade(fy), w = fade(fz);
    const auto side = [&](int k) {
        return lerp(lerp(corner(0, 0, k), corner(1, 0, k), u), lerp(corner(0, 1, k), corner(1, 1, k), u), v);
    };
    return lerp(side(0), side(1), w);
}

}  // namespace ovrix::bench
