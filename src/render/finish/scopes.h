// What a screen's picture is judged by beside looking at it. Pixels are 0xAARRGGBB, rows from the top.
#pragma once
#include <array>
#include <cstdint>
#include <span>
#include <vector>

namespace ovrix::render {

/// Of red, green and blue: how many pixels have each of 256 tones.
using Histogram = std::array<std::array<uint32_t, 256>, 3>;
Histogram histogramOf(std::span<const uint32_t> screen);

/// How many pixels have each of 256 tones in each of some columns across the picture: rows from the lightest.
std::vector<uint32_t> waveformOf(std::span<const uint32_t> screen, int width, int columns);

/// How far each pixel's colours differ, that many times; what is black is alike. Of pictures of one size.
std::vector<uint32_t> differenceOf(std::span<const uint32_t> a, std::span<const uint32_t> b, int times);

}  // namespace ovrix::render
