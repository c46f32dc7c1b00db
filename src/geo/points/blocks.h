// What geometry takes of memory when parts of it are shared.
#pragma once
#include <unordered_map>

#include "geo/points/elements.h"

namespace ovrix::geo {

/// A column, or another piece of memory that several results may share, and its bytes.
struct Block {
    const void* at;
    size_t bytes;
};
std::vector<Block> blocksOf(const Geometry& geometry);

/// Counts each piece once, however many hold it. Of one thread at a time.
class BlockCount {
  public:
    size_t bytes() const { return bytes_; }
    void add(const std::vector<Block>& blocks) {
        for (const Block& b : blocks)
            if (held_[b.at]++ == 0) bytes_ += b.bytes;
    }
    void remove(const std::vector<Block>& blocks) {
        for (const Block& b : blocks) {
            const auto it = held_.find(b.at);
            if (it == held_.end() || --it->second > 0) continue;
            bytes_ -= b.bytes;
            held_.erase(it);
        }
    }

  private:
    std::unordered_map<const void*, size_t> held_;
    size_t bytes_ = 0;
};

}  // namespace ovrix::geo
