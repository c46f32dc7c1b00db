// Points sorted into voxels, and these into blocks of 8 x 8 x 8, as grids of points keep them.
#pragma once
#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "base/vec.h"

namespace ovrix::io {

using Voxel = std::array<int32_t, 3>;

/// Which voxel each point lies in, and where in it.
struct PointLattice {
    double size = 1;           ///< of a voxel, in metres: a power of two, so that no place loses a bit
    std::vector<Voxel> voxel;  ///< voxel (0, 0, 0) has its middle where the world has its own
    std::vector<V3f> within;   ///< from the voxel's middle, in voxels
    bool exact = true;         ///< placeIn() gives each place back to its last bit

    /// Voxels so large that a block holds some thousands of points, however they lie. What is no place lies
    /// in the middle of the world.
    explicit PointLattice(std::span<const V3f> positions);
};

inline V3f placeIn(const Voxel& voxel, const V3f& within, double size) {
    return {float((double(voxel[0]) + double(within.x)) * size),
            float((double(voxel[1]) + double(within.y)) * size),
            float((double(voxel[2]) + double(within.z)) * size)};
}

struct PointBlocks {
    std::vector<uint32_t> order;   ///< the points by block, in it by voxel, in that by index
    std::vector<uint16_t> offset;  ///< in the block, of the voxel of each in that order: x * 64 + y * 8 + z
    std::vector<size_t> first;     ///< in the order, of each block; one more for the end
};

PointBlocks blocksOf(const PointLattice& lattice);

}  // namespace ovrix::io
