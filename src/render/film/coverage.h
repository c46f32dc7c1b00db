// How much of a pixel each of the things that are seen in it covers.
#pragma once
#include <algorithm>
#include <cstdint>
#include <vector>

#include "base/house.h"

namespace ovrix::render {

/// Of one pixel: how many samples saw each thing, by its number, in the numbers' order; so the order in which
/// samples come changes nothing. 8 bytes for each thing that is seen.
class Coverage {
  public:
    struct Seen {
        uint32_t number = 0, count = 0;
        bool operator==(const Seen&) const = default;
    };
    /// @param count  of samples
    void add(uint32_t number, uint32_t count = 1) {
        const auto at = std::lower_bound(seen_.begin(), seen_.end(), number,
                                         [](const Seen& s, uint32_t n) { return s.number < n; });
        if (at != seen_.end() && at->number == number)
            at->count += count;
        else
            seen_.insert(at, {number, count});
    }
    void add(const Coverage& other) {
        for (const Seen& s : other.seen_) add(s.number, s.count);
    }
    const std::vector<Seen>& all() const { return seen_; }
    void clear() { seen_.clear(); }

  private:
    std::vector<Seen> seen_;
};

}  // namespace ovrix::render
