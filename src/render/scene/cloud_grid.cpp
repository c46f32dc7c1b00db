#include "render/scene/cloud_grid.h"

#include <atomic>
#include <cmath>

#include "base/parallel.h"

namespace ovrix::render {

CloudGrid::CloudGrid(std::span<const std::shared_ptr<const Cloud>> clouds, Progress& progress) {
    constexpr double kMostCells = 2097152.0, kInCell = 8.0;
    Box3f box;
    double points = 0.0;
    for (const auto& c : clouds) {
        if (c->bounds().isEmpty()) continue;
        box.extendBy(c->bounds());
        points += double(c->size());
    }
    if (box.isEmpty()) return;
    const V3d size = V3d(box.max) - V3d(box.min);  // garbage may lie further apart than a float holds
    const double longest = std::max({double(size.x), double(size.y), double(size.z), 1e-6});
    double volume = 1.0;
    for (int k = 0; k < 3; ++k) volume *= std::max(double(size[k]), longest * 1e-3);
    const double edge = std::cbrt(volume / std::clamp(points / kInCell, 1.0, kMostCells * 0.5));
    edge_ = float(edge);
    from_ = box.min - V3f(float(edge * 1e-3));
    size_t cells = 1;
    for (int k = 0; k < 3; ++k) {
        count_[size_t(k)] = int(std::min(double(size[k]) / edge + 1.01, 4096.0));
        cells *= size_t(count_[size_t(k)]);
    }
    // Whole numbers of small steps: the same sum in any order.
    const double step = edge * edge * 0x1p-24;
    std::vector<int64_t> sums(cells, 0);
    V3d loss(0.0);
    double whole = 0.0;
    for (const auto& c : clouds) {
        std::atomic<int64_t> own{0};
        parallelFor(c->size(), progress, [&](size_t i) {
            const V3f at = (c->at(i) - from_) / edge_;
            if (!isFinite(at)) return;
            size_t cell = 0;
            for (int k = 2; k >= 0; --k)
                cell = cell * size_t(count_[size_t(k)]) +
                       size_t(std::clamp(int(at[k]), 0, count_[size_t(k)] - 1));
            const double area = double(c->area(i)) * double(std::max(c->toLight(i), 0.0f));
            const auto steps = int64_t(std::min(area / step, 0x1p40));
            std::atomic_ref(sums[cell]).fetch_add(steps, std::memory_order_relaxed);
            own.fetch_add(std::min<int64_t>(steps, int64_t(1) << 24), std::memory_order_relaxed);
        });
        const auto weight = double(own.load());
        loss += V3d(c->lossToLight()) * weight;
        whole += weight;
    }
    if (whole > 0.0) loss_ = V3f(loss / whole);
    density_.resize(cells);
    for (size_t i = 0; i < cells; ++i) density_[i] = float(double(sums[i]) * step / (edge * edge * edge));
}

size_t CloudGrid::cellOf(const V3f& place) const {
    const V3f at = (place - from_) / edge_;
    std::array<int, 3> cell{};
    for (size_t k = 0; k < 3; ++k) {
        if (!(at[int(k)] >= 0.0f && at[int(k)] < float(count_[k]))) return SIZE_MAX;
        cell[k] = int(at[int(k)]);
    }
    return indexOf(cell);
}

CloudGrid::Walk::Walk(const CloudGrid& grid, const V3f& origin, const V3f& direction, float distance)
    : grid_(grid) {
    if (grid.density_.empty()) return;
    float from = 0.0f, to = distance;
    for (int k = 0; k < 3; ++k) {
        const float low = grid.from_[k], high = low + grid.edge_ * float(grid.count_[size_t(k)]);
        if (std::abs(direction[k]) < 1e-12f) {
            if (!(origin[k] >= low && origin[k] <= high)) return;
            continue;
        }
        const float a = (low - origin[k]) / direction[k], b = (high - origin[k]) / direction[k];
        from = std::max(from, std::min(a, b)), to = std::min(to, std::max(a, b));
    }
    if (!(from < to)) return;
    from_ = from, to_ = to;
    const V3f start = origin + direction * from;
    for (size_t k = 0; k < 3; ++k) {
        const float d = direction[int(k)], place = (start[int(k)] - grid.from_[int(k)]) / grid.edge_;
        at_[k] = std::clamp(int(std::floor(place)), 0, grid.count_[k] - 1);
        step_[k] = d > 0.0f ? 1 : -1;
        const bool level = std::abs(d) < 1e-12f;
        each_[k] = level ? std::numeric_limits<float>::infinity() : grid.edge_ / std::abs(d);
        const float wall = grid.from_[int(k)] + grid.edge_ * float(at_[k] + (d > 0.0f ? 1 : 0));
        next_[k] =
            level ? std::numeric_limits<float>::infinity() : std::max(from, (wall - origin[int(k)]) / d);
    }
}

bool CloudGrid::Walk::next() {
    if (!(from_ < to_)) return false;
    for (size_t k = 0; k < 3; ++k)
        if (at_[k] < 0 || at_[k] >= grid_.count_[k]) return false;
    const size_t k = next_[0] < next_[1] ? (next_[0] < next_[2] ? 0 : 2) : (next_[1] < next_[2] ? 1 : 2);
    const float end = std::min(next_[k], to_);
    cell_ = grid_.indexOf(at_);
    length_ = std::max(0.0f, end - from_);
    from_ = end;
    at_[k] += step_[k];
    next_[k] += each_[k];
    return true;
}

V3f CloudGrid::through(const V3f& origin, const V3f& direction, float distance) const {
    constexpr float kDark = 1e-4f;
    V3f all(1.0f);
    along(origin, direction, distance, [&](size_t, const V3f& own) {
        all *= own;
        return std::max({all.x, all.y, all.z}) > kDark;
    });
    return all;
}

}  // namespace ovrix::render
