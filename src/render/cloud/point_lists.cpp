#include "render/cloud/point_lists.h"

#include "base/error.h"

namespace ovrix::render {

void PointLists::beginTiles(size_t points) {
    constexpr size_t kMostPieces = 128, kLeastPiece = 1u << 14;
    across_ = (frame_.width + kTile - 1) / kTile, down_ = (frame_.height + kTile - 1) / kTile;
    if (!(frame_.far > frame_.near))
        frame_.far = frame_.near + std::max(1e-6f, std::abs(frame_.near) * 1e-6f);
    piece_ = std::max(kLeastPiece, (points + kMostPieces - 1) / kMostPieces);
    counts_.assign((points + piece_ - 1) / piece_ * tiles(), 0u);
}

/// Where each piece's points of each tile go: tile by tile, and in a tile in the order of points.
void PointLists::makeRoom() {
    uint64_t sum = 0;
    tileFrom_.assign(tiles() + 1, 0u);
    for (size_t tile = 0; tile < tiles(); ++tile) {
        tileFrom_[tile] = uint32_t(sum);
        for (size_t i = tile; i < counts_.size(); i += tiles()) {
            const uint32_t count = counts_[i];
            counts_[i] = uint32_t(sum);
            sum += count;
        }
    }
    if (sum > UINT32_MAX)
        throw Error("points of a cloud are in more than 4 billion pixels", {},
                    "Make their radius smaller, or the picture");
    tileFrom_[tiles()] = uint32_t(sum);
    entries_.resize(sum);
}

namespace {

/// By their keys, those with the same as they are.
void sortByKey(std::span<PointLists::Entry> entries, std::vector<PointLists::Entry>& other) {
    constexpr size_t kFew = 64;
    if (entries.size() < kFew) {
        std::stable_sort(entries.begin(), entries.end(),
                         [](const auto& a, const auto& b) { return a.key < b.key; });
        return;
    }
    constexpr uint32_t kBits = 11, kDigits = 1u << kBits, kRounds = 3;
    std::array<std::array<uint32_t, kDigits>, kRounds> next{};
    for (const auto& e : entries)
        for (uint32_t r = 0; r < kRounds; ++r) ++next[r][e.key >> (r * kBits) & (kDigits - 1)];
    for (auto& counts : next) {
        uint32_t sum = 0;
        for (uint32_t& c : counts) sum += std::exchange(c, sum);
    }
    other.resize(entries.size());
    std::span<PointLists::Entry> from = entries, to = other;
    for (uint32_t r = 0; r < kRounds; ++r) {
        for (const auto& e : from) to[next[r][e.key >> (r * kBits) & (kDigits - 1)]++] = e;
        std::swap(from, to);
    }
    std::copy(from.begin(), from.end(), entries.begin());  // an odd number of rounds
}

}  // namespace

void PointLists::sortTiles(Progress& progress) {
    counts_ = {};
    from_.assign(size_t(frame_.width) * size_t(frame_.height), 0u);
    to_ = from_;
    parallelRanges(tiles(), 1, progress, [&](size_t begin, size_t end) {
        std::vector<Entry> other;
        for (size_t tile = begin; tile < end; ++tile) {
            const uint32_t first = tileFrom_[tile], last = tileFrom_[tile + 1];
            sortByKey({entries_.data() + first, entries_.data() + last}, other);
            const int left = int(tile % size_t(across_)) * kTile, top = int(tile / size_t(across_)) * kTile;
            for (uint32_t i = first; i < last;) {
                const uint32_t own = entries_[i].key >> kDepthBits, start = i;
                while (i < last && entries_[i].key >> kDepthBits == own) ++i;
                const size_t p =
                    size_t(top + int(own) / kTile) * size_t(frame_.width) + size_t(left + int(own) % kTile);
                from_[p] = start, to_[p] = i;
            }
        }
    });
    tileFrom_ = {};
}

}  // namespace ovrix::render
