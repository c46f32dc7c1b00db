// What a render has gathered so far.
#pragma once
#include <array>
#include <cstdint>
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

class Film {
  public:
    Film() = default;
    Film(int width, int height) : width_(width), height_(height), pixels_(size_t(width) * size_t(height)) {}
    int width() const { return width_; }
    int height() const { return height_; }
    FilmPixel& at(int x, int y) { return pixels_[size_t(y) * size_t(width_) + size_t(x)]; }
    const FilmPixel& at(int x, int y) const { return pixels_[size_t(y) * size_t(width_) + size_t(x)]; }
    const std::vector<FilmPixel>& pixels() const { return pixels_; }
    /// Mean light of a pixel; black where there is no sample.
    V3f beauty(int x, int y) const {
        const FilmPixel& p = at(x, y);
        return p.samples ? (p.direct + p.indirect) / float(p.samples) : V3f(0.0f);
    }

  private:
    int width_ = 0, height_ = 0;
    std::vector<FilmPixel> pixels_;
};

}  // namespace ovrix::render
