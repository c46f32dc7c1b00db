#include "render/finish/scopes.h"

#include <algorithm>
#include <cstdlib>

namespace ovrix::render {

static uint32_t part(uint32_t pixel, size_t channel) { return pixel >> (16 - 8 * channel) & 255u; }

Histogram histogramOf(std::span<const uint32_t> screen) {
    Histogram counts{};
    for (const uint32_t pixel : screen)
        for (size_t c = 0; c < 3; ++c) ++counts[c][part(pixel, c)];
    return counts;
}

/// Rec.709's share of each colour, in 256ths.
static size_t toneOf(uint32_t pixel) {
    return (part(pixel, 0) * 54 + part(pixel, 1) * 183 + part(pixel, 2) * 19) / 256;
}

std::vector<uint32_t> waveformOf(std::span<const uint32_t> screen, int width, int columns) {
    std::vector<uint32_t> counts(size_t(columns) * 256);
    for (size_t i = 0; i < screen.size(); ++i) {
        const size_t column = i % size_t(width) * size_t(columns) / size_t(width);
        ++counts[(255 - toneOf(screen[i])) * size_t(columns) + column];
    }
    return counts;
}

std::vector<uint32_t> differenceOf(std::span<const uint32_t> a, std::span<const uint32_t> b, int times) {
    std::vector<uint32_t> out(std::min(a.size(), b.size()));
    for (size_t i = 0; i < out.size(); ++i) {
        uint32_t pixel = 0xFF000000u;
        for (size_t c = 0; c < 3; ++c) {
            const int off = times * std::abs(int(part(a[i], c)) - int(part(b[i], c)));
            pixel |= uint32_t(std::min(255, off)) << (16 - 8 * c);
        }
        out[i] = pixel;
    }
    return out;
}

}  // namespace ovrix::render
