#include "base/image.h"

#include <algorithm>

namespace ovrix::base {

namespace {

struct Bilinear {
    int x0, x1, y0, y1;
    float fx, fy;
};

int wrap(int i, int n) {
    i %= n;
    return i < 0 ? i + n : i;
}

Bilinear corners(const Image& image, float u, float v) {
    const float x = (u - std::floor(u)) * float(image.width) - 0.5f;
    const float y = (1.0f - (v - std::floor(v))) * float(image.height) - 0.5f;
    const float bx = std::floor(x), by = std::floor(y);
    return {wrap(int(bx), image.width),
            wrap(int(bx) + 1, image.width),
            wrap(int(by), image.height),
            wrap(int(by) + 1, image.height),
            x - bx,
            y - by};
}

Texel mixed(const Texel& a, const Texel& b, float part) {
    return {Color(V3f(a.color) * (1.0f - part) + V3f(b.color) * part), lerp(a.alpha, b.alpha, part)};
}

}  // namespace

Texel Image::texel(float u, float v) const {
    if (pixels.empty() || !std::isfinite(u) || !std::isfinite(v)) return {};
    const Bilinear b = corners(*this, u, v);
    const auto alpha = [&](int x, int y) {
        return float(pixels[4 * (size_t(y) * size_t(width) + size_t(x)) + 3]);
    };
    const auto row = [&](int y) {
        return Texel{Color(color(b.x0, y) * (1.0f - b.fx) + color(b.x1, y) * b.fx),
                     lerp(alpha(b.x0, y), alpha(b.x1, y), b.fx)};
    };
    return mixed(row(b.y0), row(b.y1), b.fy);
}

V2f withinEdges(const V2f& place, int width, int height, float seen) {
    if (width < 1 || height < 1) return place;
    const auto within = [&](float x, int pixels) {
        // A place stands for no more than what is about it: of a smaller size of the picture, too.
        const float half = std::min(std::max(0.5f / float(pixels), seen > 0.0f ? seen : 0.0f), 0.5f);
        return std::clamp(x, half, 1.0f - half);
    };
    return {within(place.x, width), within(place.y, height)};
}

std::shared_ptr<const Image> halved(const Image& image) {
    auto out = std::make_shared<Image>();
    out->width = std::max(1, image.width / 2), out->height = std::max(1, image.height / 2);
    out->scale = image.scale, out->stamp = image.stamp;
    out->pixels.resize(size_t(out->width) * size_t(out->height) * 4);
    const auto at = [&](int x, int y, size_t c) {
        return float(image.pixels[4 * (size_t(y) * size_t(image.width) + size_t(x)) + c]);
    };
    for (int y = 0; y < out->height; ++y)
        for (int x = 0; x < out->width; ++x)
            for (size_t c = 0; c < 4; ++c) {
                const int x0 = image.width > 1 ? 2 * x : 0, x1 = image.width > 1 ? x0 + 1 : 0,
                          y0 = image.height > 1 ? 2 * y : 0, y1 = image.height > 1 ? y0 + 1 : 0;
                out->pixels[4 * (size_t(y) * size_t(out->width) + size_t(x)) + c] =
                    half(0.25f * (at(x0, y0, c) + at(x1, y0, c) + at(x0, y1, c) + at(x1, y1, c)));
            }
    return out;
}

ImageTexture::ImageTexture(std::shared_ptr<const Image> image) : sizes_{std::move(image)} {
    while (sizes_.back()->width > 1 || sizes_.back()->height > 1) sizes_.push_back(halved(*sizes_.back()));
}

Texel ImageTexture::at(const V2f& uv, float width) const {
    const auto of = [&](size_t i) { return sizes_[i]->texel(uv.x, uv.y); };
    const float pixels = width * float(std::max(sizes_[0]->width, sizes_[0]->height));
    if (!(pixels > 1.0f)) return of(0);
    const float level = std::min(std::log2(pixels), float(sizes_.size() - 1));
    const size_t finer = size_t(level);
    const float part = level - float(finer);
    if (part == 0.0f || finer + 1 == sizes_.size()) return of(finer);
    return mixed(of(finer), of(finer + 1), part);
}

size_t ImageTexture::bytes() const {
    size_t sum = 0;
    for (const auto& image : sizes_) sum += image->pixels.size() * sizeof(half);
    return sum;
}

}  // namespace ovrix::base
