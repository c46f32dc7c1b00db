// Points in the pixels of a picture, in each from the nearest on.
#pragma once
#include <cstdint>
#include <span>
#include <vector>

#include "base/parallel.h"

namespace ovrix::render {

/// Points fall into tiles first and are put in order within each, so that no sort is longer than what lies in
/// one tile. Of those in one pixel that are as far the first comes first: the same on any threads. 8 bytes a
/// point and pixel that it is in, 4 a pixel. Const functions are thread safe.
class PointLists {
  public:
    /// The picture, and between which distances points lie; what is nearer or further counts as there.
    struct Frame {
        int width = 0, height = 0;
        float near = 0.0f, far = 1.0f;
    };
    struct Entry {
        uint32_t key;  ///< pixel within its tile, then depth
        uint32_t point;
    };
    PointLists() = default;
    /// @param place  called with (point, put) on many threads, twice each, with the same result; it calls
    /// put(x, y, depth) for each pixel that the point is in. Pixels outside of the frame are left out.
    template <class Place>
    PointLists(size_t points, const Frame& frame, const Place& place, Progress& progress) : frame_(frame) {
        beginTiles(points);
        eachPiece(points, progress, [&](size_t piece, size_t begin, size_t end) {
            uint32_t* counts = counts_.data() + piece * tiles();
            for (size_t i = begin; i < end; ++i)
                place(i, [&](int x, int y, float) {
                    if (inside(x, y)) ++counts[tileOf(x, y)];
                });
        });
        makeRoom();
        eachPiece(points, progress, [&](size_t piece, size_t begin, size_t end) {
            uint32_t* next = counts_.data() + piece * tiles();
            for (size_t i = begin; i < end; ++i)
                place(i, [&](int x, int y, float depth) {
                    if (inside(x, y)) entries_[next[tileOf(x, y)]++] = {keyOf(x, y, depth), uint32_t(i)};
                });
        });
        sortTiles(progress);
    }

    const Frame& frame() const { return frame_; }
    size_t size() const { return entries_.size(); }
    std::span<const Entry> pixel(int x, int y) const {
        const size_t p = size_t(y) * size_t(frame_.width) + size_t(x);
        return {entries_.data() + from_[p], entries_.data() + to_[p]};
    }
    float depthOf(const Entry& e) const {
        return frame_.near + (float(e.key & kDepthMask) + 0.5f) * (frame_.far - frame_.near) / kDepths;
    }
    size_t bytes() const { return entries_.capacity() * sizeof(Entry) + 2 * from_.size() * sizeof(uint32_t); }

  private:
    static constexpr int kTile = 32;
    static constexpr uint32_t kDepthBits = 22, kDepthMask = (1u << kDepthBits) - 1u;
    static constexpr float kDepths = float(1u << kDepthBits);
    bool inside(int x, int y) const { return x >= 0 && y >= 0 && x < frame_.width && y < frame_.height; }
    size_t tiles() const { return size_t(across_) * size_t(down_); }
    size_t tileOf(int x, int y) const { return size_t(y / kTile) * size_t(across_) + size_t(x / kTile); }
    uint32_t keyOf(int x, int y, float depth) const {
        const float part = (depth - frame_.near) / (frame_.far - frame_.near) * kDepths;
        const uint32_t level = part > 0.0f ? uint32_t(std::min(part, kDepths - 1.0f)) : 0u;
        return uint32_t(y % kTile * kTile + x % kTile) << kDepthBits | level;
    }
    template <class Body>
    void eachPiece(size_t points, Progress& progress, const Body& body) const {
        parallelEach((points + piece_ - 1) / piece_, progress, [&](size_t piece) {
            body(piece, piece * piece_, std::min(points, (piece + 1) * piece_));
        });
    }
    void beginTiles(size_t points);
    void makeRoom();
    void sortTiles(Progress& progress);

    Frame frame_;
    int across_ = 0, down_ = 0;
    size_t piece_ = 1;
    std::vector<uint32_t> counts_;  // by piece and tile: how many, then where the next goes
    std::vector<uint32_t> tileFrom_;
    std::vector<Entry> entries_;
    std::vector<uint32_t> from_, to_;  // of pixels
};

}  // namespace ovrix::render
