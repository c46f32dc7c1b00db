#include "render/scene/volume_grid.h"

#include <fmt/format.h>

#include <atomic>
#include <cmath>

#include "base/error.h"
#include "base/parallel.h"
#include "ops/step.h"

namespace ovrix::render {

namespace {

constexpr float kInfinite = std::numeric_limits<float>::infinity();

/// The eight cells about a place, and how much each has of it.
template <class Body>
void eachCell(const V3f& at, const Body& body) {
    std::array<int, 3> low{};
    std::array<float, 3> part{};
    for (size_t k = 0; k < 3; ++k) {
        const float middle = at[int(k)] - 0.5f;
        low[k] = int(std::floor(middle));
        part[k] = middle - float(low[k]);
    }
    for (int corner = 0; corner < 8; ++corner) {
        const int x = corner & 1, y = corner >> 1 & 1, z = corner >> 2;
        body(
            low[0] + x, low[1] + y, low[2] + z,
            (x ? part[0] : 1.0f - part[0]) * (y ? part[1] : 1.0f - part[1]) * (z ? part[2] : 1.0f - part[2]));
    }
}

}  // namespace

/// Over a box, with one cell more to each side. Throws Error where that would be too many bricks.
void VolumeGrid::place(const Box3f& box, float cell) {
    constexpr double kMostBricks = 2e8;  // of the whole, empty ones too
    cell_ = cell;
    from_ = box.min - V3f(1.5f * cell);
    double whole = 1.0;
    for (int k = 0; k < 3; ++k) {
        const double cells = (double(box.max[k]) - double(box.min[k])) / double(cell) + 3.0;
        count_[size_t(k)] = int(std::min(std::ceil(cells / kBrick), 1e6));
        whole *= double(count_[size_t(k)]);
    }
    if (whole > kMostBricks)
        throw Error(fmt::format("cells of {} m are too small for a cloud of that size", cell), {},
                    "Make its voxels larger");
}

/// @param used  whether a brick of the whole is not empty
void VolumeGrid::lay(const std::function<bool(size_t)>& used, size_t memoryLimit, size_t channels) {
    index_.assign(size_t(count_[0]) * size_t(count_[1]) * size_t(count_[2]), -1);
    int32_t count = 0;
    for (size_t b = 0; b < index_.size(); ++b)
        if (used(b)) index_[b] = count++;
    requireMemory(double(count) * kInBrick * (12.0 + 12.0 * double(channels)) + 4.0 * double(index_.size()),
                  memoryLimit, double(count) * kInBrick);
    density_.assign(size_t(count) * kInBrick, 0.0f);
}

size_t VolumeGrid::placeOf(int x, int y, int z) const {
    const std::array<int, 3> at{x, y, z};
    size_t brick = 0, within = 0;
    for (size_t k = 3; k-- > 0;) {
        if (at[k] < 0 || at[k] >= count_[k] * kBrick) return SIZE_MAX;
        brick = brick * size_t(count_[k]) + size_t(at[k] / kBrick);
        within = within * kBrick + size_t(at[k] % kBrick);
    }
    const int32_t own = index_[brick];
    return own < 0 ? SIZE_MAX : size_t(own) * kInBrick + within;
}

float VolumeGrid::cellAt(int x, int y, int z) const {
    const size_t place = placeOf(x, y, z);
    return place == SIZE_MAX ? 0.0f : density_[place];
}

float VolumeGrid::densityAt(const V3f& world) const {
    const V3f at = (world - from_) / cell_;
    constexpr float kFar = 1e8f;
    if (!(std::abs(at.x) < kFar && std::abs(at.y) < kFar && std::abs(at.z) < kFar)) return 0.0f;
    float sum = 0.0f;
    eachCell(at, [&](int x, int y, int z, float part) { sum += part * cellAt(x, y, z); });
    return sum;
}

const Color& VolumeGrid::at(const std::vector<Color>& each, const Color& all, const V3f& world) const {
    if (each.empty()) return all;
    const V3f at = (world - from_) / cell_;
    const size_t place = placeOf(int(std::floor(at.x)), int(std::floor(at.y)), int(std::floor(at.z)));
    return place == SIZE_MAX ? all : each[place];
}

/// Which bricks points, and the smoothing of what they make, reach into.
std::vector<uint8_t> VolumeGrid::bricksOf(const Cloud& cloud, int smoothing, Progress& progress) const {
    std::vector<uint8_t> used(size_t(count_[0]) * size_t(count_[1]) * size_t(count_[2]), 0);
    const auto mark = [&](int x, int y, int z) {
        if (x < 0 || y < 0 || z < 0 || x >= count_[0] * kBrick || y >= count_[1] * kBrick ||
            z >= count_[2] * kBrick)
            return;
        const size_t brick =
            (size_t(z / kBrick) * size_t(count_[1]) + size_t(y / kBrick)) * size_t(count_[0]) +
            size_t(x / kBrick);
        std::atomic_ref(used[brick]).store(1, std::memory_order_relaxed);
    };
    parallelFor(cloud.size(), progress, [&](size_t i) {
        const V3f p = cloud.at(i);
        if (!isFinite(p)) return;
        eachCell((p - from_) / cell_, [&](int x, int y, int z, float) {
            for (int k = 0; k < (smoothing > 0 ? 27 : 1); ++k)
                mark(x + (k % 3 - 1) * smoothing, y + (k / 3 % 3 - 1) * smoothing,
                     z + (k / 9 - 1) * smoothing);
        });
    });
    return used;
}

/// What points make each cell, as whole numbers of small steps: the same sum in any order.
/// @param owner  gets the least of the points that are near to a cell; empty where nobody asks
void VolumeGrid::addPoints(const Cloud& cloud, std::vector<uint64_t>& owner, Progress& progress) {
    constexpr float kNear = 0.125f;
    const double volume = double(cell_) * cell_ * cell_,
                 step = 0x1p-20 * std::max(1e-3 * volume, double(cloud.area(0)));
    std::vector<int64_t> sums(density_.size(), 0);
    parallelFor(cloud.size(), progress, [&](size_t i) {
        const V3f p = cloud.at(i);
        if (!isFinite(p)) return;
        const double area = double(cloud.area(i));
        eachCell((p - from_) / cell_, [&](int x, int y, int z, float part) {
            const size_t place = placeOf(x, y, z);
            if (place == SIZE_MAX) return;
            std::atomic_ref(sums[place])
                .fetch_add(int64_t(std::min(area * double(part) / step, 0x1p40)), std::memory_order_relaxed);
            if (owner.empty() || part < kNear) return;
            std::atomic_ref least(owner[place]);
            uint64_t now = least.load();
            while (uint64_t(i) < now && !least.compare_exchange_weak(now, uint64_t(i))) {
            }
        });
    });
    for (size_t i = 0; i < sums.size(); ++i) density_[i] = float(double(sums[i]) * step / volume);
}

VolumeGrid::VolumeGrid(const Cloud& cloud, float cell, int smoothing, size_t memoryLimit,
                       Progress& progress) {
    look_ = {.albedo = cloud.albedo(0),
             .emission = cloud.emits() ? cloud.emission(0) : Color(0.0f),
             .loss = cloud.lossToEye(),
             .toLight = cloud.toLight(0),
             .forward = cloud.look().scatter == CloudMaterial::Scatter::Lobes ? cloud.forward(0) : 0.0f,
             .object = cloud.object(),
             .layer = cloud.layer(),
             .material = cloud.material(),
             .group = cloud.group()};
    if (cloud.bounds().isEmpty()) return;
    const bool colors = cloud.variesInColor(), glows = cloud.emits() && cloud.variesInEmission();
    place(cloud.bounds(), cell);
    const std::vector<uint8_t> used = bricksOf(cloud, smoothing, progress);
    lay([&](size_t b) { return used[b] != 0; }, memoryLimit, size_t(colors) + size_t(glows));
    progress.check();
    std::vector<uint64_t> owner(colors || glows ? density_.size() : 0, UINT64_MAX);
    addPoints(cloud, owner, progress);
    if (colors) albedo_.assign(density_.size(), look_.albedo);
    if (glows) emission_.assign(density_.size(), look_.emission);
    for (size_t i = 0; i < owner.size(); ++i) {
        if (owner[i] == UINT64_MAX) continue;
        if (colors) albedo_[i] = cloud.albedo(owner[i]);
        if (glows) emission_[i] = cloud.emission(owner[i]);
    }
    smooth(smoothing, progress);
    findMost();
}

VolumeGrid::VolumeGrid(const V3f& from, float cell, const std::array<int, 3>& cells,
                       std::span<const float> density, const Look& look)
    : look_(look) {
    const V3f size = V3f(float(cells[0]), float(cells[1]), float(cells[2])) * cell;
    place(Box3f(from, from + size), cell);
    lay([](size_t) { return true; }, SIZE_MAX, 0);
    from_ = from - V3f(cell);  // whole cells
    size_t i = 0;
    for (int z = 0; z < cells[2]; ++z)
        for (int y = 0; y < cells[1]; ++y)
            for (int x = 0; x < cells[0]; ++x, ++i) {
                const float d = density[i];
                density_[placeOf(x + 1, y + 1, z + 1)] = std::isfinite(d) ? std::max(d, 0.0f) : 0.0f;
            }
    findMost();
}

/// The mean of each cell and its six neighbours.
void VolumeGrid::smooth(int rounds, Progress& progress) {
    for (int round = 0; round < rounds; ++round) {
        std::vector<float> out(density_.size());
        const int nx = count_[0] * kBrick, ny = count_[1] * kBrick, nz = count_[2] * kBrick;
        parallelRanges(size_t(nz), 4, progress, [&](size_t begin, size_t end) {
            for (int z = int(begin); z < int(end); ++z)
                for (int y = 0; y < ny; ++y)
                    for (int x = 0; x < nx; ++x) {
                        const size_t place = placeOf(x, y, z);
                        if (place == SIZE_MAX) continue;
                        out[place] = (2.0f * density_[place] + cellAt(x - 1, y, z) + cellAt(x + 1, y, z) +
                                      cellAt(x, y - 1, z) + cellAt(x, y + 1, z) + cellAt(x, y, z - 1) +
                                      cellAt(x, y, z + 1)) /
                                     8.0f;
                    }
        });
        density_.swap(out);
    }
}

/// What is between cells is no more than the larger: of those of a brick and their neighbours.
void VolumeGrid::findMost() {
    most_.assign(density_.size() / kInBrick, 0.0f);
    for (int bz = 0; bz < count_[2]; ++bz)
        for (int by = 0; by < count_[1]; ++by)
            for (int bx = 0; bx < count_[0]; ++bx) {
                const int32_t own =
                    index_[(size_t(bz) * size_t(count_[1]) + size_t(by)) * size_t(count_[0]) + size_t(bx)];
                if (own < 0) continue;
                float most = 0.0f;
                for (int z = -1; z <= kBrick; ++z)
                    for (int y = -1; y <= kBrick; ++y)
                        for (int x = -1; x <= kBrick; ++x)
                            most = std::max(most, cellAt(bx * kBrick + x, by * kBrick + y, bz * kBrick + z));
                most_[size_t(own)] = most;
            }
}

Box3f VolumeGrid::bounds() const {
    if (index_.empty()) return {};
    return {from_, from_ + V3f(float(count_[0]), float(count_[1]), float(count_[2])) * (cell_ * kBrick)};
}

size_t VolumeGrid::bytes() const {
    return index_.size() * sizeof(int32_t) + (density_.size() + most_.size()) * sizeof(float) +
           (albedo_.size() + emission_.size()) * sizeof(Color);
}

/// Amanatides and Woo, "A Fast Voxel Traversal Algorithm for Ray Tracing", Eurographics 1987.
VolumeGrid::Walk::Walk(const VolumeGrid& grid, const V3f& origin, const V3f& direction, float reach)
    : grid_(grid) {
    const float edge = grid.cell_ * kBrick;
    float from = 0.0f, to = reach;
    for (int k = 0; k < 3; ++k) {
        const float low = grid.from_[k], high = low + edge * float(grid.count_[size_t(k)]);
        if (std::abs(direction[k]) < 1e-12f) {
            if (!(origin[k] >= low && origin[k] <= high)) return;
            continue;
        }
        const float a = (low - origin[k]) / direction[k], b = (high - origin[k]) / direction[k];
        from = std::max(from, std::min(a, b)), to = std::min(to, std::max(a, b));
    }
    if (!(from < to)) return;
    from_ = to_ = from, end_ = to;
    const V3f start = origin + direction * from;
    for (size_t k = 0; k < 3; ++k) {
        const float d = direction[int(k)];
        at_[k] =
            std::clamp(int(std::floor((start[int(k)] - grid.from_[int(k)]) / edge)), 0, grid.count_[k] - 1);
        step_[k] = d > 0.0f ? 1 : -1;
        const bool level = std::abs(d) < 1e-12f;
        each_[k] = level ? kInfinite : edge / std::abs(d);
        const float wall = grid.from_[int(k)] + edge * float(at_[k] + (d > 0.0f ? 1 : 0));
        next_[k] = level ? kInfinite : std::max(from, (wall - origin[int(k)]) / d);
    }
}

bool VolumeGrid::Walk::next() {
    if (begun_) {
        if (to_ >= end_) return false;
        const size_t k = next_[0] < next_[1] ? (next_[0] < next_[2] ? 0 : 2) : (next_[1] < next_[2] ? 1 : 2);
        at_[k] += step_[k];
        if (at_[k] < 0 || at_[k] >= grid_.count_[k]) return false;
        next_[k] += each_[k];
    } else if (end_ < 0.0f) {
        return false;
    }
    begun_ = true;
    from_ = to_;
    to_ = std::min(end_, std::min({next_[0], next_[1], next_[2]}));
    return true;
}

size_t VolumeGrid::Walk::brick() const {
    return (size_t(at_[2]) * size_t(grid_.count_[1]) + size_t(at_[1])) * size_t(grid_.count_[0]) +
           size_t(at_[0]);
}

}  // namespace ovrix::render
