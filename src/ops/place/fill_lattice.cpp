#include "ops/place/fill_lattice.h"

#include "base/random.h"

namespace ovrix::ops {

void FillLattice::places(const V3i& block, std::span<V3f> out) const {
    if (o_.pattern == FillVolumeOptions::Pattern::Even) return evenPlaces(block, out);
    for (size_t i = 0; i < kBlockCells; ++i) {
        const V3i cell = cellOf(block, i);
        const V3f at = o_.pattern == FillVolumeOptions::Pattern::Strict
                           ? V3f(0.5f)
                           : V3f(0.5f) + (drawn(cell) - V3f(0.5f)) * o_.jitter;
        out[i] = (V3f(cell) + at) * o_.spacing;
    }
}

V3f FillLattice::drawn(const V3i& cell) const {
    const Random4 r = random4(o_.seed, cellId(cell), Stream::Place);
    return V3f(r[0], r[1], r[2]);
}

namespace {

/// A block with as many cells about it as there are rounds of pushing.
constexpr int kRounds = 4, kWide = kBlockSide + 2 * kRounds;
constexpr size_t kWideCells = size_t(kWide) * kWide * kWide;

size_t wideIndex(const V3i& c) { return (size_t(c.z) * kWide + size_t(c.y)) * kWide + size_t(c.x); }
V3i wideCell(size_t i) { return {int(i % kWide), int(i / kWide % kWide), int(i / (kWide * kWide))}; }

/// Away from those in the cells about one that are nearer than a cell is wide.
V3f pushAt(std::span<const V3f> places, const V3i& cell) {
    constexpr int kOwn = 13;  // of the 27
    V3f push(0.0f);
    for (int k = 0; k < 27; ++k) {
        if (k == kOwn) continue;
        const V3i by(k % 3 - 1, k / 3 % 3 - 1, k / 9 - 1);
        const V3f off = places[wideIndex(cell)] - places[wideIndex(cell + by)] - V3f(by);
        const float d2 = off.dot(off);
        if (d2 >= 1.0f || d2 < 1e-12f) continue;
        const float d = std::sqrt(d2);
        push += off * ((1.0f - d) / d);
    }
    return push;
}

}  // namespace

/// Points are drawn, then a few times pushed off those that are nearer than a cell, within their own cells. A
/// point feels no others than those of its neighbours in each round, so that with so many cells about a block
/// as there are rounds its points are as in the whole lattice.
void FillLattice::evenPlaces(const V3i& block, std::span<V3f> out) const {
    constexpr float kPush = 0.4f, kEdge = 0.02f;
    const V3i corner = block * kBlockSide - V3i(kRounds);
    std::vector<V3f> now(kWideCells);
    for (size_t i = 0; i < kWideCells; ++i) now[i] = drawn(corner + wideCell(i));
    std::vector<V3f> next = now;
    for (int round = 0; round < kRounds; ++round) {
        for (size_t i = 0; i < kWideCells; ++i) {
            const V3i cell = wideCell(i);
            const int least = std::min({cell.x, cell.y, cell.z}), most = std::max({cell.x, cell.y, cell.z});
            if (least <= round || most >= kWide - 1 - round) continue;  // it does not know those about it
            const V3f to = now[i] + pushAt(now, cell) * kPush;
            for (int k = 0; k < 3; ++k) next[i][k] = std::clamp(to[k], kEdge, 1.0f - kEdge);
        }
        now.swap(next);
    }
    for (size_t i = 0; i < kBlockCells; ++i) {
        const V3i cell = cellOf(V3i(0), i);
        out[i] = (V3f(block * kBlockSide + cell) + now[wideIndex(cell + V3i(kRounds))]) * o_.spacing;
    }
}

}  // namespace ovrix::ops
