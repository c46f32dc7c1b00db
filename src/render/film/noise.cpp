#include "render/film/noise.h"

#include "base/parallel.h"

namespace ovrix::render {

V3f errorOf(const Film& film, size_t pixel) {
    const float all = float(film.samples(pixel)), half = float(film.halfSamples(pixel)), rest = all - half;
    if (half < 1.0f || rest < 1.0f) return V3f(0.0f);
    const V3f whole = film.light(pixel), one = film.mean(Pass::Half, pixel);
    const V3f other = (whole * all - one * half) / rest, apart = one - other;
    // The difference has the variance of one sample times (1 / half + 1 / rest), the mean that over all.
    return apart * (std::sqrt(half * rest) / all);
}

float errorSeen(float luminance, float error) {
    constexpr float kDark = 0.0025f;  // where a screen's own black begins
    return luminance < 1.0f ? error / (2.0f * std::sqrt(std::max(0.0f, luminance) + kDark))
                            : error / (2.0f * luminance);
}

SampleBlocks::SampleBlocks(const Film& film, const NoiseGoal& goal, uint32_t passes)
    : goal_(goal),
      columns_(size_t(film.width() + kSide - 1) / kSide),
      active_(columns_ * (size_t(film.height() + kSide - 1) / kSide), 1) {
    for (size_t b = 0; goal.noise > 0.0f && b < active_.size(); ++b) {
        const auto x = int(b % columns_) * kSide, y = int(b / columns_) * kSide;
        const uint32_t samples = film.samples(film.indexOf(x, y));
        active_[b] = samples == 0 || samples >= passes;
    }
}

std::vector<float> boxMean(std::span<const float> values, int width, int height, int reach) {
    std::vector<float> across(values.size()), out(values.size());
    const auto run = [reach](const auto& at, int count, const auto& put) {
        double sum = 0.0;
        int from = 0, to = 0;  // what is in the sum
        for (int i = 0; i < count; ++i) {
            for (; to < std::min(count, i + reach + 1); ++to) sum += double(at(to));
            for (; from < i - reach; ++from) sum -= double(at(from));
            put(i, float(sum / double(to - from)));
        }
    };
    parallelFor(size_t(height), Progress::none(), [&](size_t y) {
        const size_t row = y * size_t(width);
        run([&](int x) { return values[row + size_t(x)]; }, width,
            [&](int x, float mean) { across[row + size_t(x)] = mean; });
    });
    parallelFor(size_t(width), Progress::none(), [&](size_t x) {
        run([&](int y) { return across[size_t(y) * size_t(width) + x]; }, height,
            [&](int y, float mean) { out[size_t(y) * size_t(width) + x] = mean; });
    });
    return out;
}

bool SampleBlocks::looksAfter(uint32_t passes, uint32_t least) {
    if (passes < std::max(2u, least)) return false;
    const uint32_t whole = std::bit_floor(passes);
    return passes == whole || passes == whole + whole / 2 || passes == least;
}

/// The root of the mean square over its pixels, of those that have so many samples.
float SampleBlocks::noiseOf(const Film& film, size_t block, uint32_t passes) const {
    const int x0 = int(block % columns_) * kSide, y0 = int(block / columns_) * kSide;
    double sum = 0.0;
    size_t count = 0;
    for (int y = y0; y < std::min(y0 + kSide, film.height()); ++y)
        for (int x = x0; x < std::min(x0 + kSide, film.width()); ++x) {
            const size_t i = film.indexOf(x, y);
            if (film.samples(i) != passes) continue;
            const float seen = errorSeen(luminance(film.light(i)) * goal_.exposure,
                                         luminance(errorOf(film, i)) * goal_.exposure);
            sum += double(seen) * double(seen);
            ++count;
        }
    return count ? float(std::sqrt(sum / double(count))) : std::numeric_limits<float>::infinity();
}

void SampleBlocks::update(const Film& film, uint32_t passes) {
    if (!(goal_.noise > 0.0f) || !looksAfter(passes, goal_.least)) return;
    parallelFor(active_.size(), Progress::none(), [&](size_t b) {
        if (active_[b]) active_[b] = noiseOf(film, b, passes) > goal_.noise;
    });
}

bool SampleBlocks::left(const Rect& r) const {
    for (int y = r.y / kSide * kSide; y < r.y + r.height; y += kSide)
        for (int x = r.x / kSide * kSide; x < r.x + r.width; x += kSide)
            if (active(x, y)) return true;
    return false;
}

}  // namespace ovrix::render
