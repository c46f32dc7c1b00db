#include "geo/points/point_measure.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "base/parallel.h"

namespace ovrix::geo {

namespace {

Box3f boundsOfPlaces(std::span<const V3f> points) {
    Box3f box;
    for (const V3f& p : points)
        if (isFinite(p)) box.extendBy(p);
    return box;
}

constexpr uint64_t kAcross = 1u << 20;  // cells each way

struct Cell {
    uint64_t key;
    uint32_t count;
};

/// Those that have points, in the order of their keys.
std::vector<Cell> cellsOf(std::span<const V3f> points, const Box3f& box, double edge) {
    std::vector<uint64_t> keys;
    keys.reserve(points.size());
    for (const V3f& p : points) {
        if (!isFinite(p)) continue;
        uint64_t key = 0;
        for (int k = 0; k < 3; ++k) {
            const double at = (double(p[k]) - double(box.min[k])) / edge;
            key = key * kAcross + std::min(uint64_t(std::max(at, 0.0)), kAcross - 1);
        }
        keys.push_back(key);
    }
    parallelSort(keys);
    std::vector<Cell> cells;
    for (const uint64_t key : keys)
        if (!cells.empty() && cells.back().key == key)
            ++cells.back().count;
        else
            cells.push_back({key, 1});
    return cells;
}

/// Whether all cells about one have points: then it lies within, and not at a rim.
bool isWithin(const std::vector<Cell>& cells, const Cell& cell) {
    for (const uint64_t x : {uint64_t(0) - kAcross * kAcross, uint64_t(0), kAcross * kAcross})
        for (const uint64_t y : {uint64_t(0) - kAcross, uint64_t(0), kAcross}) {
            const uint64_t middle = cell.key + x + y;
            const auto first = std::lower_bound(cells.begin(), cells.end(), middle - 1,
                                                [](const Cell& c, uint64_t key) { return c.key < key; });
            if (cells.end() - first < 3 || first->key != middle - 1 || (first + 2)->key != middle + 1)
                return false;
        }
    return true;
}

/// How many others are in the cell of one: a mean over points whose cells lie within, or over all where those
/// are few.
double othersInCell(const std::vector<Cell>& cells) {
    constexpr double kFew = 0.1;
    double all = 0.0, pairs = 0.0, within = 0.0, pairsWithin = 0.0;
    for (const Cell& c : cells) {
        const double n = c.count;
        all += n, pairs += n * (n - 1.0);
        if (!isWithin(cells, c)) continue;
        within += n, pairsWithin += n * (n - 1.0);
    }
    return within > kFew * all ? pairsWithin / within : pairs / all;
}

/// How many cells of a square lattice points fall into, as they are seen along an axis.
double cellsSeen(std::span<const V3f> points, const Box3f& box, int axis, double edge) {
    const int a = (axis + 1) % 3, b = (axis + 2) % 3;
    std::vector<uint64_t> cells;
    cells.reserve(points.size());
    constexpr double kMost = 2e9;
    const auto cell = [&](float x, float from) {
        return uint64_t(std::clamp((double(x) - double(from)) / edge, 0.0, kMost));
    };
    for (const V3f& p : points)
        if (isFinite(p)) cells.push_back(cell(p[a], box.min[a]) << 32 | cell(p[b], box.min[b]));
    parallelSort(cells);
    return double(std::unique(cells.begin(), cells.end()) - cells.begin());
}

}  // namespace

double volumeOfPoint(std::span<const V3f> points) {
    constexpr double kInCell = 64.0;
    const Box3f box = boundsOfPlaces(points);
    size_t count = 0;
    for (const V3f& p : points) count += isFinite(p);
    if (count == 0) return 0.0;
    const V3d size = V3d(box.max) - V3d(box.min);  // garbage may lie further apart than a float holds
    const double longest = std::max({double(size.x), double(size.y), double(size.z), 1e-9});
    // Points of a plane or a line fill a slab of it that is as thick as they are apart.
    double whole = 1.0;
    for (int k = 0; k < 3; ++k) whole *= std::max(double(size[k]), longest / std::cbrt(double(count)) * 0.5);
    double edge = std::cbrt(whole / double(count) * kInCell), density = 0.0;
    for (int round = 0; round < 3; ++round) {
        const double near = othersInCell(cellsOf(points, box, edge));
        density = std::max(near, 1e-3) / (edge * edge * edge);
        if (near > 0.5 * kInCell && near < 2.0 * kInCell) break;
        edge = std::clamp(std::cbrt(kInCell / density), longest / double(kAcross), longest * 1.0001);
    }
    return 1.0 / density;
}

PointMeasure measured(std::span<const V3f> points) {
    PointMeasure out;
    for (const V3f& p : points) out.points += isFinite(p);
    if (out.points == 0) return out;
    out.volume = volumeOfPoint(points);
    const Box3f box = boundsOfPlaces(points);
    const double edge = 2.0 * std::cbrt(out.volume);
    for (int k = 0; k < 3; ++k) out.across[size_t(k)] = cellsSeen(points, box, k, edge) * edge * edge;
    return out;
}

double PointMeasure::thickness() const {
    double sum = 0.0;
    for (const double area : across)
        if (area > 0.0) sum += double(points) * volume / area;
    return sum / 3.0;
}

}  // namespace ovrix::geo
