// Matter in cells, for paths that are scattered in it.
#pragma once
#include <array>
#include <functional>
#include <memory>
#include <vector>

#include "render/scene/cloud.h"

namespace ovrix::render {

/// How thick matter is, straight between the middles of even cells, in bricks of 8 x 8 x 8 of which those
/// without any take no memory. What is beside density (colour, light of its own) is that of the nearest cell.
/// Immutable once made; thread safe. 4 bytes a cell, 12 more where it has colours, 12 where it glows.
class VolumeGrid {
  public:
    static constexpr int kBrick = 8, kInBrick = kBrick * kBrick * kBrick;
    struct Look {
        Color albedo{0.8f}, emission{0.0f};  ///< where cells have none of their own
        V3f loss{1.0f, 1.0f, 1.0f};          ///< what red, green and blue lose, by density
        float toLight = 1.0f;                ///< how thick it is to light, by how thick it is to the eye
        float forward = 0.0f;
        uint32_t object = 0, layer = 0, material = 0, group = 0;
    };
    /// Points in cells of @p cell metres, each shared by the eight whose middles are about it; then so often
    /// the mean of each and its neighbours. Throws Error beyond @p memoryLimit bytes; Cancelled.
    VolumeGrid(const Cloud& cloud, float cell, int smoothing, size_t memoryLimit, Progress& progress);
    /// Of numbers at the middles of cells: for tests. @p density  1 / metres, x fastest
    VolumeGrid(const V3f& from, float cell, const std::array<int, 3>& cells, std::span<const float> density,
               const Look& look);

    const Look& look() const { return look_; }
    float densityAt(const V3f& world) const;
    const Color& albedoAt(const V3f& world) const { return at(albedo_, look_.albedo, world); }
    const Color& emissionAt(const V3f& world) const { return at(emission_, look_.emission, world); }
    Box3f bounds() const;
    size_t bricks() const { return most_.size(); }
    size_t bytes() const;

    /// Calls body(from, to, most) for pieces of a ray from the near to the far, in each of which no density
    /// is above most; empty ones are left out. It goes on while body gives true.
    /// @param direction  unit
    template <class Body>
    void along(const V3f& origin, const V3f& direction, float reach, const Body& body) const {
        Walk walk(*this, origin, direction, reach);
        while (walk.next())
            if (const int32_t brick = index_[walk.brick()]; brick >= 0 && most_[size_t(brick)] > 0.0f)
                if (!body(walk.from(), walk.to(), most_[size_t(brick)])) return;
    }

  private:
    /// From brick to brick.
    class Walk {
      public:
        Walk(const VolumeGrid& grid, const V3f& origin, const V3f& direction, float reach);
        bool next();
        float from() const { return from_; }
        float to() const { return to_; }
        size_t brick() const;

      private:
        const VolumeGrid& grid_;
        std::array<int, 3> at_{}, step_{};
        std::array<float, 3> next_{}, each_{};
        float from_ = 0.0f, to_ = 0.0f, end_ = -1.0f;
        bool begun_ = false;
    };
    void place(const Box3f& box, float cell);
    void lay(const std::function<bool(size_t brick)>& used, size_t memoryLimit, size_t channels);
    std::vector<uint8_t> bricksOf(const Cloud& cloud, int smoothing, Progress& progress) const;
    void addPoints(const Cloud& cloud, std::vector<uint64_t>& owner, Progress& progress);
    float cellAt(int x, int y, int z) const;
    size_t placeOf(int x, int y, int z) const;  ///< of a cell among all; SIZE_MAX where there is none
    const Color& at(const std::vector<Color>& each, const Color& all, const V3f& world) const;
    void smooth(int rounds, Progress& progress);
    void findMost();

    Look look_;
    V3f from_{0, 0, 0};
    float cell_ = 1.0f;
    std::array<int, 3> count_{0, 0, 0};  // of bricks
    std::vector<int32_t> index_;         // of each brick of the whole; below 0 for empty ones
    std::vector<float> density_, most_;
    std::vector<Color> albedo_, emission_;
};

using VolumePtr = std::shared_ptr<const VolumeGrid>;

}  // namespace ovrix::render
