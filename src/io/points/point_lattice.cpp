#include "io/points/point_lattice.h"

#include <atomic>
#include <cmath>
#include <unordered_set>

#include "base/parallel.h"

namespace ovrix::io {

namespace {

/// By a part of the points, in their order.
double voxelSizeFor(std::span<const V3f> p) {
    V3f low(0.0f), high(0.0f);
    bool any = false;
    for (const V3f& q : p) {
        if (!isFinite(q)) continue;
        if (!std::exchange(any, true)) low = high = q;
        for (int a = 0; a < 3; ++a) low[a] = std::min(low[a], q[a]), high[a] = std::max(high[a], q[a]);
    }
    double largest = 0, farthest = 0;
    for (int a = 0; a < 3; ++a) {
        largest = std::max(largest, double(high[a]) - double(low[a]));
        farthest = std::max({farthest, std::abs(double(low[a])), std::abs(double(high[a]))});
    }
    constexpr size_t kLook = 5000, kWanted = 2000;
    const size_t step = std::max<size_t>(1, p.size() / kLook);
    // Voxels are counted from the middle of the world, in 32 bits, and grids take none whose volume is next
    // to nothing.
    double block = std::exp2(std::floor(std::log2(std::max({largest / 64, farthest * 0x1p-26, 0x1p-13}))));
    for (; block < largest; block *= 2) {
        std::unordered_set<uint64_t> blocks;
        size_t looked = 0;
        for (size_t i = 0; i < p.size(); i += step) {
            if (!isFinite(p[i])) continue;
            uint64_t key = 0;
            for (int a = 0; a < 3; ++a)
                key = key << 21 | uint64_t((double(p[i][a]) - double(low[a])) / block);
            blocks.insert(key);
            ++looked;
        }
        if (looked * step >= kWanted * blocks.size()) break;
    }
    return block / 8;
}

/// Sorts by the upper 33 bits, eleven at a time; what is alike there keeps its order.
void sortKeys(std::vector<uint64_t>& keys) {
    std::vector<uint64_t> other(keys.size());
    for (const int shift : {31, 42, 53}) {
        std::array<uint32_t, 2048> next{};
        for (const uint64_t k : keys) ++next[k >> shift & 2047];
        uint32_t sum = 0;
        for (uint32_t& n : next) sum += std::exchange(n, sum);
        for (const uint64_t k : keys) other[next[k >> shift & 2047]++] = k;
        keys.swap(other);
    }
}

}  // namespace

PointLattice::PointLattice(std::span<const V3f> positions)
    : size(voxelSizeFor(positions)), voxel(positions.size()), within(positions.size()) {
    std::atomic<bool> all{true};
    const double perMetre = 1.0 / size;
    parallelRanges(positions.size(), 4096, Progress::none(), [&](size_t begin, size_t end) {
        bool same = true;
        for (size_t i = begin; i < end; ++i) {
            const V3f p = isFinite(positions[i]) ? positions[i] : V3f(0.0f);
            for (int a = 0; a < 3; ++a) {
                const double at = double(p[a]) * perMetre;
                voxel[i][size_t(a)] = int32_t(std::floor(at + 0.5));
                within[i][a] = float(at - double(voxel[i][size_t(a)]));
            }
            same &= placeIn(voxel[i], within[i], size) == positions[i];
        }
        if (!same) all = false;
    });
    exact = all;
}

PointBlocks blocksOf(const PointLattice& lattice) {
    const auto& voxel = lattice.voxel;
    const size_t n = voxel.size();
    PointBlocks blocks;
    blocks.first.push_back(0);
    if (n == 0) return blocks;
    Voxel low = voxel[0];
    for (const Voxel& v : voxel)
        for (size_t a = 0; a < 3; ++a) low[a] = std::min(low[a], v[a]);
    for (int32_t& x : low) x &= ~7;
    // Block, voxel in it, point: so few blocks a side that all of it fits.
    std::vector<uint64_t> keys(n);
    parallelFor(n, Progress::none(), [&](size_t i) {
        uint64_t block = 0, inside = 0;
        for (size_t a = 0; a < 3; ++a) {
            const auto x = uint32_t(voxel[i][a] - low[a]);
            block = block << 8 | x >> 3, inside = inside << 3 | (x & 7);
        }
        keys[i] = (block << 9 | inside) << 31 | i;
    });
    sortKeys(keys);
    blocks.order.resize(n), blocks.offset.resize(n);
    for (size_t i = 0; i < n; ++i) {
        blocks.order[i] = uint32_t(keys[i] & 0x7FFFFFFF);
        blocks.offset[i] = uint16_t(keys[i] >> 31 & 511);
        if (i > 0 && keys[i] >> 40 != keys[i - 1] >> 40) blocks.first.push_back(i);
    }
    blocks.first.push_back(n);
    return blocks;
}

}  // namespace ovrix::io
