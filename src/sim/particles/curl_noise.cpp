#include "sim/particles/curl_noise.h"

#include <algorithm>

#include "base/lanes.h"

namespace ovrix::sim {

namespace {

/// Random numbers of a lattice point.
inline uint32_t hashPoint(uint32_t x, uint32_t y, uint32_t z, uint32_t seed) {
    uint32_t h = x * 0x8da6b343u ^ y * 0xd8163841u ^ z * 0xcb1ab31fu ^ seed * 0x9e3779b9u;
    h ^= h >> 15;
    h *= 0x2c1b3c6du;
    h ^= h >> 12;
    h *= 0x297a2d39u;
    return h ^ (h >> 15);
}

/// Gradients of the three noises at a lattice point, a noise in each lane: (x, y, z) drawn from 1024 unit
/// vectors, made once.
struct Gradients {
    alignas(16) float x[1024][4], y[1024][4], z[1024][4];
    Gradients() {
        for (uint32_t i = 0; i < 1024; ++i)
            for (uint32_t lane = 0; lane < 4; ++lane) {
                const uint32_t a = hashPoint(i, lane, 17, 1), b = hashPoint(i, lane, 29, 2);
                const float up = 1.0f - 2.0f * (float(a >> 8) + 0.5f) * 0x1p-24f;
                const float around = 2.0f * kPi * float(b >> 8) * 0x1p-24f;
                const float r = std::sqrt(std::max(0.0f, 1.0f - up * up));
                x[i][lane] = r * std::cos(around), y[i][lane] = r * std::sin(around), z[i][lane] = up;
            }
    }
};
const Gradients kGradients;

inline Float4 load(const float* p) { return *reinterpret_cast<const Float4*>(p); }

/// One octave at one place. Each lane is a noise; value and gradient of the trilinear sum with a quintic
/// fade.
struct Octave {
    uint32_t seed;
    float turnCos, turnSin;  // how far the gradients have turned from one set towards another

    V3f curl(const V3f& p) const {
        const float fx0 = std::floor(p.x), fy0 = std::floor(p.y), fz0 = std::floor(p.z);
        const auto ix = uint32_t(int32_t(fx0)), iy = uint32_t(int32_t(fy0)), iz = uint32_t(int32_t(fz0));
        const float x = p.x - fx0, y = p.y - fy0, z = p.z - fz0;
        const auto fade = [](float t) { return t * t * t * (t * (t * 6.0f - 15.0f) + 10.0f); };
        const auto slope = [](float t) { return 30.0f * t * t * (t - 1.0f) * (t - 1.0f); };
        const float ux = fade(x), uy = fade(y), uz = fade(z);
        const float sx = slope(x), sy = slope(y), sz = slope(z);
        const Float4 none = all4(0.0f);
        Float4 dx = none, dy = none, dz = none;  // of the three noises, along each axis
        for (uint32_t corner = 0; corner < 8; ++corner) {
            const uint32_t i = corner & 1u, j = corner >> 1 & 1u, k = corner >> 2;
            const uint32_t h = hashPoint(ix + i, iy + j, iz + k, seed);
            const uint32_t a = h & 1023u, b = h >> 10 & 1023u;
            const Float4 gx = load(kGradients.x[a]) * turnCos + load(kGradients.x[b]) * turnSin;
            const Float4 gy = load(kGradients.y[a]) * turnCos + load(kGradients.y[b]) * turnSin;
            const Float4 gz = load(kGradients.z[a]) * turnCos + load(kGradients.z[b]) * turnSin;
            const float wx = i ? ux : 1.0f - ux, wy = j ? uy : 1.0f - uy, wz = k ? uz : 1.0f - uz;
            const float tx = i ? sx : -sx, ty = j ? sy : -sy, tz = k ? sz : -sz;
            const Float4 value = gx * (x - float(i)) + gy * (y - float(j)) + gz * (z - float(k));
            const float w = wx * wy * wz;
            dx += gx * w + value * (tx * wy * wz);
            dy += gy * w + value * (wx * ty * wz);
            dz += gz * w + value * (wx * wy * tz);
        }
        return V3f(dy[2] - dz[1], dz[0] - dx[2], dx[1] - dy[0]);
    }
};

/// Measured over many places: the size of one octave's curl, as root of the mean square.
constexpr float kMeanSize = 1.19f;

}  // namespace

void curlNoise(const V3f* p, size_t count, const CurlNoiseOptions& o, V3f* out) {
    std::fill(out, out + count, V3f(0.0f));
    float amplitude = 1.0f, total = 0.0f, frequency = 1.0f / std::max(o.scale, 1e-6f);
    for (int k = 0; k < std::clamp(o.octaves, 1, 8); ++k) {
        // Smaller whirls change faster; by no whole number, so that nothing comes back all together.
        const double turn = 2.0 * double(kPi) * o.phase * std::pow(1.618, k) + 0.7 * k;
        const Octave octave{o.seed + uint32_t(k) * 101u, float(std::cos(turn)), float(std::sin(turn))};
        const V3f moved(17.3f * float(k), 5.7f * float(k), 11.9f * float(k));
        for (size_t i = 0; i < count; ++i) {
            const V3f q = p[i] * frequency + moved;
            // Beyond this, neighbouring floats are further apart than lattice points.
            if (std::abs(q.x) < 1e8f && std::abs(q.y) < 1e8f && std::abs(q.z) < 1e8f)
                out[i] += amplitude * octave.curl(q);
        }
        total += amplitude * amplitude;
        amplitude *= o.gain;
        frequency *= 2.0f;
    }
    const float size = 1.0f / (kMeanSize * std::sqrt(total));
    for (size_t i = 0; i < count; ++i) out[i] *= size;
}

V3f curlNoise(const V3f& p, const CurlNoiseOptions& options) {
    V3f out;
    curlNoise(&p, 1, options, &out);
    return out;
}

}  // namespace ovrix::sim
