#include "base/noise.h"

#include "base/hash.h"

namespace ovrix::base {

namespace {

uint32_t hashLattice(int32_t x, int32_t y, int32_t z, uint32_t seed) {
    uint32_t h = uint32_t(x) * 0x8da6b343u ^ uint32_t(y) * 0xd8163841u ^ uint32_t(z) * 0xcb1ab31fu ^
                 seed * 0x9e3779b9u;
    h ^= h >> 15;
    h *= 0x2c1b3c6du;
    h ^= h >> 12;
    h *= 0x297a2d39u;
    return h ^ (h >> 15);
}

/// Dot product with one of the twelve edge directions of a cube.
float edgeGradient(uint32_t h, float x, float y, float z) {
    h &= 15u;
    const float u = h < 8 ? x : y;
    const float v = h < 4 ? y : (h == 12 || h == 14 ? x : z);
    return ((h & 1u) ? -u : u) + ((h & 2u) ? -v : v);
}

float fade(float t) { return t * t * t * (t * (t * 6.0f - 15.0f) + 10.0f); }

int32_t latticeFloor(float x) { return int32_t(std::floor(x)); }

/// Beyond this, neighbouring floats are further apart than lattice points.
V3f nearOrigin(const V3f& p) {
    const auto near = [](float x) { return std::clamp(x, -1e9f, 1e9f); };
    return V3f(near(p.x), near(p.y), near(p.z));
}

}  // namespace

float gradientNoise(const V3f& place, uint32_t seed) {
    if (!isFinite(place)) return 0.0f;
    const V3f p = nearOrigin(place);
    const int32_t x = latticeFloor(p.x), y = latticeFloor(p.y), z = latticeFloor(p.z);
    const float fx = p.x - float(x), fy = p.y - float(y), fz = p.z - float(z);
    const float u = fade(fx), v = fade(fy), w = fade(fz);
    const auto corner = [&](int i, int j, int k) {
        return edgeGradient(hashLattice(x + i, y + j, z + k, seed), fx - float(i), fy - float(j),
                            fz - float(k));
    };
    const float front =
        lerp(lerp(corner(0, 0, 0), corner(1, 0, 0), u), lerp(corner(0, 1, 0), corner(1, 1, 0), u), v);
    const float back =
        lerp(lerp(corner(0, 0, 1), corner(1, 0, 1), u), lerp(corner(0, 1, 1), corner(1, 1, 1), u), v);
    return lerp(front, back, w);
}

Cells cellularNoise(const V3f& place, uint32_t seed) {
    if (!isFinite(place)) return {};
    const V3f p = nearOrigin(place);
    const int32_t x = latticeFloor(p.x), y = latticeFloor(p.y), z = latticeFloor(p.z);
    const V3f inCell = p - V3f(float(x), float(y), float(z));
    float first = 1e9f, second = 1e9f;  // squared
    uint32_t nearest = 0;
    for (int k = 0; k < 27; ++k) {
        const int i = k % 3 - 1, j = k / 3 % 3 - 1, l = k / 9 - 1;
        const uint32_t h = hashLattice(x + i, y + j, z + l, seed);
        const V3f feature(float(i) + float(h & 1023u) / 1024.0f, float(j) + float(h >> 10 & 1023u) / 1024.0f,
                          float(l) + float(h >> 20 & 1023u) / 1024.0f);
        const float d = (feature - inCell).length2();
        if (d < first)
            second = first, first = d, nearest = h;
        else
            second = std::min(second, d);
    }
    return {std::sqrt(first), std::sqrt(second), uint32_t(mixBits(nearest))};
}

namespace {

float octave(const V3f& p, uint32_t seed, NoiseKind kind) {
    switch (kind) {
        case NoiseKind::Soft:
            return gradientNoise(p, seed);
        case NoiseKind::Ridged:
            return 1.0f - 2.0f * std::abs(gradientNoise(p, seed));
        case NoiseKind::Cells:
            return 1.0f - 2.0f * std::min(1.0f, cellularNoise(p, seed).first);
        case NoiseKind::Cracks: {
            const Cells cells = cellularNoise(p, seed);
            return 1.0f - 2.0f * std::min(1.0f, cells.second - cells.first);
        }
    }
    return 0.0f;
}

}  // namespace

float fractalNoise(const V3f& p, uint32_t seed, const FractalOptions& options) {
    float sum = 0.0f, amplitude = 1.0f, total = 0.0f;
    V3f q = p;
    for (int i = 0; i < std::clamp(options.octaves, 1, 12); ++i) {
        sum += amplitude * octave(q, seed + uint32_t(i) * 101u, options.kind);
        total += amplitude;
        amplitude *= options.gain;
        q = q * options.lacunarity +
            V3f(17.3f, 5.7f, 11.9f);  // moved, or all octaves are zero together at the origin
    }
    return total > 0.0f ? sum / total : 0.0f;
}

}  // namespace ovrix::base
