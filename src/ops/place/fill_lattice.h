// The lattice that fills go by: blocks of cells, with a place in each cell that depends on it alone.
#pragma once
#include "ops/place/fill_volume.h"

namespace ovrix::ops {

inline constexpr int kBlockSide = 8;  ///< cells along a block
inline constexpr size_t kBlockCells = size_t(kBlockSide) * kBlockSide * kBlockSide;
inline constexpr int kMostCells = 1 << 20;  ///< cells from the origin

/// The cell of a block by its number there, x first.
inline V3i cellOf(const V3i& block, size_t i) {
    return block * kBlockSide +
           V3i(int(i % kBlockSide), int(i / kBlockSide % kBlockSide), int(i / (kBlockSide * kBlockSide)));
}

/// 21 bits for each axis.
inline uint64_t cellId(const V3i& cell) {
    const auto part = [](int c) { return uint64_t(c + kMostCells) & 0x1FFFFFu; };
    return part(cell.z) << 42 | part(cell.y) << 21 | part(cell.x);
}

/// Refers to the options. Const is thread safe.
class FillLattice {
  public:
    explicit FillLattice(const FillVolumeOptions& options) : o_(options) {}
    /// Those of a block's cells, in the meshes' space. @param out  kBlockCells of them
    void places(const V3i& block, std::span<V3f> out) const;

  private:
    V3f drawn(const V3i& cell) const;
    void evenPlaces(const V3i& block, std::span<V3f> out) const;
    const FillVolumeOptions& o_;
};

}  // namespace ovrix::ops
