// Low-discrepancy samples, a function of (pixel, pass, dimension) alone.
#pragma once
#include <array>
#include <cstdint>

namespace ovrix::render {

/// Four-dimensional Sobol points, Owen-scrambled by hashing, padded to any dimension by independent
/// shuffles. Sobol and Joe-Kuo direction numbers; Burley, "Practical Hash-based Owen Scrambling",
/// JCGT 9(4), 2020. One sequence serves all pixels, along a curve that keeps neighbours together, so that
/// what noise is left after 2^k passes differs from pixel to pixel and is hardly seen from afar: Ahmed and
/// Wonka, "Screen-Space Blue-Noise Diffusion of Monte Carlo Sampling Error via Hierarchical Ordering of
/// Pixels", ACM TOG 39(6), 2020, doi:10.1145/3414685.3417881. The same pixel, pass and call order give the
/// same numbers on any thread.
class Sampler {
  public:
    /// @param log2Passes  of the passes that make a whole, at most 16; further ones begin another whole
    Sampler(uint32_t x, uint32_t y, uint32_t pass, uint32_t seed, uint32_t log2Passes = 6)
        : index_((curve(x, y) << log2Passes) | (pass & ((1u << log2Passes) - 1u))) {
        // Where the curve has more places than the sequence has numbers, the picture is in pieces.
        const uint32_t side = (32u - log2Passes) / 2u;
        key_ = hash(hash((x >> side) ^ hash(y >> side)) ^ hash(pass >> log2Passes) ^ seed);
    }

    /// The next four numbers in [0, 1): one set of dimensions that are well spread together.
    std::array<float, 4> next4() {
        const uint32_t setKey = hash(key_ ^ (0x9e3779b9u * ++set_));
        const uint32_t index = nestedScramble(index_, setKey);
        const std::array<uint32_t, 4> point = sobol(index);
        std::array<float, 4> out;
        for (uint32_t d = 0; d < 4; ++d) {
            const uint32_t x = nestedScramble(point[d], hash(setKey ^ (0x85ebca6bu * (d + 1))));
            out[d] = float(x >> 8) * 0x1p-24f;
        }
        return out;
    }

    static std::array<uint32_t, 4> sobol(uint32_t index);

    /// One that goes on with other numbers: paths that part have each their own. @p which  any number
    Sampler parted(uint32_t which) const {
        Sampler out = *this;
        out.key_ = hash(key_ ^ (0xc2b2ae35u * (which + 1)));
        return out;
    }

  private:
    /// A pixel's place along Morton's curve.
    static uint32_t curve(uint32_t x, uint32_t y) { return spread(x) | spread(y) << 1; }
    static uint32_t spread(uint32_t x) {
        x &= 0xffffu;
        x = (x | x << 8) & 0x00ff00ffu;
        x = (x | x << 4) & 0x0f0f0f0fu;
        x = (x | x << 2) & 0x33333333u;
        return (x | x << 1) & 0x55555555u;
    }
    static uint32_t hash(uint32_t x) {
        x ^= x >> 16;
        x *= 0x21f0aaadu;
        x ^= x >> 15;
        x *= 0x735a2d97u;
        return x ^ (x >> 15);
    }
    static uint32_t reverseBits(uint32_t x) {
        x = ((x >> 1) & 0x55555555u) | ((x & 0x55555555u) << 1);
        x = ((x >> 2) & 0x33333333u) | ((x & 0x33333333u) << 2);
        x = ((x >> 4) & 0x0f0f0f0fu) | ((x & 0x0f0f0f0fu) << 4);
        return __builtin_bswap32(x);
    }
    /// Base-2 Owen scramble: each bit is flipped by a hash of the bits above it.
    static uint32_t nestedScramble(uint32_t x, uint32_t seed) {
        x = reverseBits(x);
        x ^= x * 0x3d20adeau;
        x += seed;
        x *= (seed >> 16) | 1u;
        x ^= x * 0x05526c56u;
        x ^= x * 0x53a22864u;
        return reverseBits(x);
    }
    uint32_t index_, key_, set_ = 0;
};

}  // namespace ovrix::render
