// What drawing points is measured against: keys and what they belong to, put in order.
#pragma once
#include <array>
#include <cstdint>
#include <vector>

#include "base/parallel.h"

namespace ovrix::bench {

/// By all 64 bits, in eight rounds on all threads: each piece counts, then moves its own.
inline void radixSort(std::vector<uint64_t>& keys, std::vector<uint32_t>& values) {
    constexpr size_t kDigits = 256, kPieces = 16;
    const size_t count = keys.size(), piece = (count + kPieces - 1) / kPieces;
    std::vector<uint64_t> otherKeys(count);
    std::vector<uint32_t> otherValues(count);
    std::vector<std::array<size_t, kDigits>> next(kPieces);
    const auto each = [&](const auto& body) {
        base::parallelEach(kPieces, base::Progress::none(), [&](size_t p) {
            body(next[p], std::min(count, p * piece), std::min(count, (p + 1) * piece));
        });
    };
    for (int shift = 0; shift < 64; shift += 8) {
        each([&](auto& counts, size_t begin, size_t end) {
            counts.fill(0);
            for (size_t i = begin; i < end; ++i) ++counts[keys[i] >> shift & 255];
        });
        size_t sum = 0;
        for (size_t d = 0; d < kDigits; ++d)
            for (auto& counts : next) sum += std::exchange(counts[d], sum);
        each([&](auto& to, size_t begin, size_t end) {
            for (size_t i = begin; i < end; ++i) {
                const size_t at = to[keys[i] >> shift & 255]++;
                otherKeys[at] = keys[i], otherValues[at] = values[i];
            }
        });
        keys.swap(otherKeys), values.swap(otherValues);
    }
}

}  // namespace ovrix::bench
