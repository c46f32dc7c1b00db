// Counter-based random numbers. A number is a function of (seed, element id, stream) and of nothing
// else: no order, no thread, no state, so raising a count or adding a step reshuffles nothing.
#pragma once
#include <array>
#include <cstddef>
#include <cstdint>

#include "base/house.h"

namespace ovrix::base {

/// Four 32-bit words from the Philox4x32-10 bijection.
/// Salmon, Moraes, Dror, Shaw, "Parallel Random Numbers: As Easy as 1, 2, 3", SC11,
/// doi:10.1145/2063384.2063405. Thread safe, stateless.
inline std::array<uint32_t, 4> philox(std::array<uint32_t, 4> counter, std::array<uint32_t, 2> key) {
    for (int round = 0; round < 10; ++round) {
        const uint64_t p0 = uint64_t(0xD2511F53u) * counter[0];
        const uint64_t p1 = uint64_t(0xCD9E8D57u) * counter[2];
        counter = {uint32_t(p1 >> 32) ^ counter[1] ^ key[0], uint32_t(p1),
                   uint32_t(p0 >> 32) ^ counter[3] ^ key[1], uint32_t(p0)};
        key[0] += 0x9E3779B9u;
        key[1] += 0xBB67AE85u;
    }
    return counter;
}

/// What a random number is used for; numbers of different streams are independent.
enum class Stream : uint32_t {
    Place = 1,
    Keep,
    Pick,
    Roll,
    Tilt,
    TiltAxis,
    Size,
    Field,
    Width,
    Height,
    Depth,
    Hue,
    Saturation,
    Brightness,
    Lift,
    PrototypeSize,
    Show,
    Length,
    Lean,
    Clump,
    Curl,
    Frizz,
    Bundle,
    Fly,
    Grey,
    Color,
    Tuft,
    Birth,
    Life,
    Speed,
    Spin,
    Weight,
    Gust,
    Wander,
    Target,
    Branch,
    User = 1000
};

/// Four independent uniform numbers in [0, 1) for one element.
struct Random4 {
    std::array<uint32_t, 4> bits;
    float operator[](int i) const { return float(bits[size_t(i)] >> 8) * 0x1p-24f; }
    /// Two of the four at once, bit for bit: to sort by, or as the key of further ones. @p half 0 or 1.
    uint64_t word(size_t half) const { return uint64_t(bits[2 * half]) << 32 | bits[2 * half + 1]; }
};

inline Random4 random4(uint64_t seed, uint64_t id, uint32_t stream) {
    return {philox({uint32_t(id), uint32_t(id >> 32), stream, 0}, {uint32_t(seed), uint32_t(seed >> 32)})};
}
inline Random4 random4(uint64_t seed, uint64_t id, Stream stream) {
    return random4(seed, id, uint32_t(stream));
}

/// One uniform number in [0, 1).
inline float random1(uint64_t seed, uint64_t id, Stream stream) { return random4(seed, id, stream)[0]; }

}  // namespace ovrix::base
