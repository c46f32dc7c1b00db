// A 64-bit running hash for cache keys. Not for security.
#pragma once
#include <algorithm>
#include <cstdint>
#include <cstring>
#include <string_view>

#include "base/house.h"

namespace ovrix::base {

/// The finaliser of SplitMix64: every input bit reaches every output bit.
inline uint64_t mixBits(uint64_t x) {
    x ^= x >> 30;
    x *= 0xbf58476d1ce4e5b9ull;
    x ^= x >> 27;
    x *= 0x94d049bb133111ebull;
    return x ^ (x >> 31);
}

class Hasher {
  public:
    Hasher& add(uint64_t x) {
        state_ = mixBits(state_ ^ (x + 0x9e3779b97f4a7c15ull));
        return *this;
    }
    Hasher& add(double x) {
        uint64_t bits;
        std::memcpy(&bits, &x, sizeof bits);
        return add(bits);
    }
    Hasher& add(std::string_view text) {
        add(uint64_t(text.size()));
        for (size_t i = 0; i < text.size(); i += 8) {
            uint64_t word = 0;
            std::memcpy(&word, text.data() + i, std::min<size_t>(8, text.size() - i));
            add(word);
        }
        return *this;
    }
    uint64_t value() const { return state_; }

  private:
    uint64_t state_ = 0x6f76726978ull;
};

}  // namespace ovrix::base
