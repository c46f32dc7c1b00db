// How thick clouds are from cell to cell, for rays that ask for no single point.
#pragma once
#include <array>
#include <cmath>
#include <span>

#include "render/scene/cloud.h"

namespace ovrix::render {

/// At most 2 million even cells over all clouds, each as thick as the points in it make it: where they are
/// when the shutter closes. 4 bytes a cell. Immutable and thread safe.
class CloudGrid {
  public:
    CloudGrid(std::span<const std::shared_ptr<const Cloud>> clouds, Progress& progress);
    /// What of light comes so far.
    /// @param direction  unit  @param distance  metres, or infinite
    V3f through(const V3f& origin, const V3f& direction, float distance) const;
    /// The same from cell to cell: calls body(cell, left) with what comes through each of it, while that
    /// gives true.
    template <class Body>
    void along(const V3f& origin, const V3f& direction, float distance, const Body& body) const {
        Walk walk(*this, origin, direction, distance);
        while (walk.next()) {
            const float depth = density_[walk.cell()] * walk.length();
            if (depth > 0.0f && !body(walk.cell(), left(depth))) return;
        }
    }
    size_t cells() const { return density_.size(); }
    /// The cell of a place within; SIZE_MAX for others.
    size_t cellOf(const V3f& place) const;

  private:
    /// From cell to cell: Amanatides and Woo, "A Fast Voxel Traversal Algorithm for Ray Tracing",
    /// Eurographics 1987.
    class Walk {
      public:
        Walk(const CloudGrid& grid, const V3f& origin, const V3f& direction, float distance);
        bool next();
        size_t cell() const { return cell_; }
        float length() const { return length_; }

      private:
        const CloudGrid& grid_;
        std::array<int, 3> at_{}, step_{};
        std::array<float, 3> next_{}, each_{};
        float from_ = 0.0f, to_ = -1.0f, length_ = 0.0f;
        size_t cell_ = 0;
    };
    V3f left(float depth) const {
        return {std::exp(-depth * loss_.x), std::exp(-depth * loss_.y), std::exp(-depth * loss_.z)};
    }
    size_t indexOf(const std::array<int, 3>& at) const {
        return (size_t(at[2]) * size_t(count_[1]) + size_t(at[1])) * size_t(count_[0]) + size_t(at[0]);
    }

    V3f from_{0, 0, 0};
    float edge_ = 1.0f;
    std::array<int, 3> count_{0, 0, 0};
    V3f loss_{1, 1, 1};           // a mean of the clouds'
    std::vector<float> density_;  // 1 / metres
};

}  // namespace ovrix::render
