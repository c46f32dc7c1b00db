#include "base/noise.h"

#include "base/hash.h"
#include "base/lanes.h"

namespace ovrix::base {

namespace {

// All of it works on four places side by side; for a single place that is still the quickest, and so its bits
// are the same whatever stands beside it.

using Uint4 = uint32_t __attribute__((vector_size(16)));

struct Place4 {
    Float4 x{}, y{}, z{};
    void set(size_t lane, const V3f& p) { x[lane] = p.x, y[lane] = p.y, z[lane] = p.z; }
};

Place4 alone(const V3f& p) { return {all4(p.x), all4(p.y), all4(p.z)}; }
Uint4 same4(uint32_t x) { return Uint4{x, x, x, x}; }
Float4 number4(Uint4 x) { return __builtin_convertvector(Int4(x), Float4); }

Mask4 finite4(const Place4& p) {
    const Float4 inf = all4(std::numeric_limits<float>::infinity());
    return (abs4(p.x) < inf) & (abs4(p.y) < inf) & (abs4(p.z) < inf);
}

Uint4 hashLattice(Uint4 x, Uint4 y, Uint4 z, Uint4 seed) {
    Uint4 h = x * 0x8da6b343u ^ y * 0xd8163841u ^ z * 0xcb1ab31fu ^ seed * 0x9e3779b9u;
    h ^= h >> 15;
    h *= 0x2c1b3c6du;
    h ^= h >> 12;
    h *= 0x297a2d39u;
    return h ^ (h >> 15);
}

/// Dot product with one of the twelve edge directions of a cube.
Float4 edgeGradient(Uint4 h, Float4 x, Float4 y, Float4 z) {
    const Uint4 edge = h & 15u;
    const Float4 u = select4(edge < 8u, x, y);
    const Float4 v = select4(edge < 4u, y, select4((edge == 12u) | (edge == 14u), x, z));
    const auto turned = [](Float4 to, Uint4 odd) { return Float4(Uint4(to) ^ (odd << 31)); };
    return turned(u, h) + turned(v, h >> 1);
}

Float4 fade(Float4 t) { return t * t * t * (t * (t * 6.0f - 15.0f) + 10.0f); }
Float4 between(Float4 a, Float4 b, Float4 t) { return a + (b - a) * t; }

/// Where places lie on the lattice. Beyond 1e9 neighbouring floats are further apart than lattice points.
struct Lattice {
    Uint4 x, y, z;
    Float4 fx, fy, fz;
    explicit Lattice(const Place4& p) { axis(p.x, x, fx), axis(p.y, y, fy), axis(p.z, z, fz); }
    static void axis(Float4 p, Uint4& cell, Float4& rest) {
        const Float4 near = max4(min4(p, all4(1e9f)), all4(-1e9f));
        const Float4 below = _mm_floor_ps(near);
        cell = Uint4(_mm_cvttps_epi32(below));
        rest = near - below;
    }
};

Float4 gradient(const Place4& p, Uint4 seed) {
    const Lattice l(p);
    const Float4 u = fade(l.fx), v = fade(l.fy), w = fade(l.fz);
    const auto corner = [&](uint32_t i, uint32_t j, uint32_t k) {
        return edgeGradient(hashLattice(l.x + i, l.y + j, l.z + k, seed), l.fx - float(i), l.fy - float(j),
                            l.fz - float(k));
    };
    const auto side = [&](uint32_t k) {
        return between(between(corner(0, 0, k), corner(1, 0, k), u),
                       between(corner(0, 1, k), corner(1, 1, k), u), v);
    };
    return select4(finite4(p), between(side(0), side(1), w), Float4{});
}

struct Cells4 {
    Float4 first, second;
    Uint4 nearest;
};

Cells4 cells(const Place4& p, Uint4 seed) {
    const Lattice l(p);
    Float4 first = all4(1e9f), second = first;  // squared
    Uint4 nearest{};
    for (int k = 0; k < 27; ++k) {
        const int i = k % 3 - 1, j = k / 3 % 3 - 1, m = k / 9 - 1;
        const Uint4 h = hashLattice(l.x + uint32_t(i), l.y + uint32_t(j), l.z + uint32_t(m), seed);
        const Float4 x = float(i) + number4(h & 1023u) / 1024.0f - l.fx;
        const Float4 y = float(j) + number4((h >> 10) & 1023u) / 1024.0f - l.fy;
        const Float4 z = float(m) + number4((h >> 20) & 1023u) / 1024.0f - l.fz;
        const Float4 d = x * x + y * y + z * z;
        const Mask4 nearer = d < first;
        second = select4(nearer, first, min4(d, second));
        first = select4(nearer, d, first);
        nearest = Uint4(select4(nearer, Float4(h), Float4(nearest)));
    }
    const Mask4 finite = finite4(p);
    return {select4(finite, sqrt4(first), Float4{}), select4(finite, sqrt4(second), Float4{}), nearest};
}

Float4 octave(const Place4& p, Uint4 seed, NoiseKind kind) {
    const auto bump = [](Float4 distance) { return 1.0f - 2.0f * min4(distance, all4(1.0f)); };
    switch (kind) {
        case NoiseKind::Soft:
            return gradient(p, seed);
        case NoiseKind::Ridged:
            return 1.0f - 2.0f * abs4(gradient(p, seed));
        case NoiseKind::Cells:
            return bump(cells(p, seed).first);
        case NoiseKind::Cracks: {
            const Cells4 c = cells(p, seed);
            return bump(c.second - c.first);
        }
    }
    return Float4{};
}

int octavesOf(const FractalOptions& o) { return std::clamp(o.octaves, 1, 12); }
/// From an octave's place to the next one's: moved, or all octaves are zero together at the origin.
const V3f kMove(17.3f, 5.7f, 11.9f);
constexpr uint32_t kSeedStep = 101;

/// Amplitudes of the octaves that are not summed and still counted, the first of which has @p amplitude.
float leftOut(const FractalOptions& o, float amplitude) {
    float sum = 0.0f;
    for (int i = octavesOf(o); i < std::min(o.counted, 12); ++i, amplitude *= o.gain) sum += amplitude;
    return sum;
}

/// Four places, octave by octave.
Float4 sumOfFour(Place4 p, uint32_t seed, const FractalOptions& o) {
    Float4 sum{};
    float amplitude = 1.0f, total = 0.0f;
    for (int i = 0; i < octavesOf(o); ++i) {
        sum += amplitude * octave(p, same4(seed + uint32_t(i) * kSeedStep), o.kind);
        total += amplitude;
        amplitude *= o.gain;
        p.x = p.x * o.lacunarity + kMove.x;
        p.y = p.y * o.lacunarity + kMove.y;
        p.z = p.z * o.lacunarity + kMove.z;
    }
    total += leftOut(o, amplitude);
    return total > 0.0f ? sum / total : Float4{};
}

}  // namespace

float gradientNoise(const V3f& p, uint32_t seed) { return gradient(alone(p), same4(seed))[0]; }

Cells cellularNoise(const V3f& p, uint32_t seed) {
    if (!isFinite(p)) return {};
    const Cells4 c = cells(alone(p), same4(seed));
    return {c.first[0], c.second[0], uint32_t(mixBits(c.nearest[0]))};
}

// Four octaves of one place side by side.
float fractalNoise(const V3f& p, uint32_t seed, const FractalOptions& o) {
    const int octaves = octavesOf(o);
    float sum = 0.0f, amplitude = 1.0f, total = 0.0f;
    V3f q = p;
    for (int first = 0; first < octaves; first += 4) {
        Place4 positions;
        Uint4 seeds{};
        const int n = std::min(4, octaves - first);
        for (int i = 0; i < n; ++i) {
            positions.set(size_t(i), q);
            seeds[i] = seed + uint32_t(first + i) * kSeedStep;
            q = q * o.lacunarity + kMove;
        }
        const Float4 values = octave(positions, seeds, o.kind);
        for (int i = 0; i < n; ++i) {
            sum += amplitude * values[i];
            total += amplitude;
            amplitude *= o.gain;
        }
    }
    total += leftOut(o, amplitude);
    return total > 0.0f ? sum / total : 0.0f;
}

void fractalNoise(std::span<const V3f> p, uint32_t seed, const FractalOptions& o, std::span<float> out) {
    size_t i = 0;
    for (; i + 4 <= out.size(); i += 4) {
        Place4 positions;
        for (size_t k = 0; k < 4; ++k) positions.set(k, p[i + k]);
        _mm_storeu_ps(&out[i], sumOfFour(positions, seed, o));
    }
    for (; i < out.size(); ++i) out[i] = fractalNoise(p[i], seed, o);
}

}  // namespace ovrix::base
