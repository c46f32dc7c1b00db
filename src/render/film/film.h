// What a render has gathered so far.
#pragma once
#include <array>
#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "base/vec.h"

namespace ovrix::render {

/// Vectors are not set to 0 by themselves.
template <size_t N>
std::array<V3f, N> filled(const V3f& value) {
    std::array<V3f, N> out;
    out.fill(value);
    return out;
}

/// Sums over the samples of one pixel; ids and depth are of its first sample.
struct FilmPixel {
    V3f direct{0, 0, 0}, indirect{0, 0, 0}, normal{0, 0, 0}, albedo{0, 0, 0};
    V3f tangent{0, 0, 0};                             ///< of strands, world
    std::array<V3f, 4> fibre = filled<4>(V3f(0.0f));  ///< light of what is seen, by the lobes of its fibre
    float alpha = 0, depth = 0;
    uint32_t object = 0, layer = 0;  ///< 0 for nothing
    uint32_t samples = 0;
};

struct Rect {
    int x = 0, y = 0, width = 0, height = 0;
    bool operator==(const Rect&) const = default;
};

/// The number of a group of lights; or this, for the light of all.
constexpr int kAllLights = -1;

class Film {
  public:
    Film() = default;
    /// @param groups  names of the groups of lights that are kept apart; empty for none
    Film(int width, int height, std::vector<std::string> groups = {})
        : width_(width),
          height_(height),
          pixels_(size_t(width) * size_t(height)),
          groups_(std::move(groups)),
          byGroup_(pixels_.size() * groups_.size(), V3f(0.0f)) {}
    int width() const { return width_; }
    int height() const { return height_; }
    FilmPixel& at(int x, int y) { return pixels_[size_t(y) * size_t(width_) + size_t(x)]; }
    const FilmPixel& at(int x, int y) const { return pixels_[size_t(y) * size_t(width_) + size_t(x)]; }
    const std::vector<FilmPixel>& pixels() const { return pixels_; }
    const std::vector<std::string>& groups() const { return groups_; }
    /// Sums of each group's light in a pixel: of all together they are its direct and indirect light.
    std::span<V3f> groupsAt(int x, int y) {
        return std::span(byGroup_).subspan((size_t(y) * size_t(width_) + size_t(x)) * groups_.size(),
                                           groups_.size());
    }
    /// The sum over the samples of a pixel, rows from the top, of a group's light or of all.
    V3f sum(size_t pixel, int group = kAllLights) const {
        if (group == kAllLights) return pixels_[pixel].direct + pixels_[pixel].indirect;
        return byGroup_[pixel * groups_.size() + size_t(group)];
    }
    /// The mean of that; black where there is no sample.
    V3f light(size_t pixel, int group = kAllLights) const {
        const uint32_t samples = pixels_[pixel].samples;
        return samples ? sum(pixel, group) / float(samples) : V3f(0.0f);
    }
    void clear(int x, int y) {
        at(x, y) = FilmPixel();
        for (V3f& light : groupsAt(x, y)) light = V3f(0.0f);
    }
    /// Mean light of a pixel; black where there is no sample.
    V3f beauty(int x, int y) const { return light(size_t(y) * size_t(width_) + size_t(x)); }

  private:
    int width_ = 0, height_ = 0;
    std::vector<FilmPixel> pixels_;
    std::vector<std::string> groups_;
    std::vector<V3f> byGroup_;  // of each pixel all groups
};

}  // namespace ovrix::render
