#include "render/finish/denoise.h"

#include <cmath>

#include "base/parallel.h"
#include "render/film/fireflies.h"
#include "render/film/noise.h"

namespace ovrix::render {

namespace {

constexpr size_t kMostPixels = 1'250'000;  // of one piece, its overlap among them
constexpr float kBrightest = 65504.0f;

// A curve by which steps of light that look alike are alike: a line near black, a power, then a logarithm.
namespace curve {
constexpr float A = 1412.83765f, B = 1.64593172f, C = 0.431384981f, D = -0.00294139609f, E = 0.192653254f,
                F = 0.00626026094f, G = 0.998620152f;
constexpr float kLine = 1.5794576e-6f, kPower = 0.0322087631f;        // ends of the first two
constexpr float kLineTop = 0.00223151711f, kPowerTop = 0.370974749f;  // and what they reach

float forward(float y) {
    if (y <= kLine) return A * y;
    if (y <= kPower) return B * std::pow(y, C) + D;
    return E * std::log(y + F) + G;
}
float backward(float x) {
    if (x <= kLineTop) return x / A;
    if (x <= kPowerTop) return std::pow((x - D) / B, 1.0f / C);
    return std::exp((x - G) / E) - F;
}
float top() {
    static const float value = forward(kBrightest);
    return value;
}
}  // namespace curve

float cleanNumber(float x) { return std::isfinite(x) ? x : 0.0f; }

/// What brings the picture's key, as it is seen in blocks of 16 x 16 pixels, to a middle grey.
float exposureOf(const Film& film, std::span<const V3f> light) {
    constexpr int kBlock = 16;
    constexpr float kGrey = 0.18f, kDark = 1e-8f;
    double sum = 0.0;
    size_t blocks = 0;
    for (int top = 0; top < film.height(); top += kBlock) {
        for (int left = 0; left < film.width(); left += kBlock) {
            const int right = std::min(left + kBlock, film.width()),
                      bottom = std::min(top + kBlock, film.height());
            double mean = 0.0;
            for (int y = top; y < bottom; ++y)
                for (int x = left; x < right; ++x)
                    mean += double(std::max(0.0f, luminance(light[film.indexOf(x, y)])));
            mean /= double(right - left) * double(bottom - top);
            if (mean <= double(kDark)) continue;
            sum += std::log2(mean);
            ++blocks;
        }
    }
    return blocks ? float(double(kGrey) / std::exp2(sum / double(blocks))) : 1.0f;
}

int wholeSteps(int size) {
    return (size + DenoiserNetwork::kStep - 1) / DenoiserNetwork::kStep * DenoiserNetwork::kStep;
}

/// A side in @p count pieces, whole steps each but for the last; empty ones are left out.
std::vector<std::pair<int, int>> cutSide(int size, int count) {
    const int step = wholeSteps((size + count - 1) / count);
    std::vector<std::pair<int, int>> out;
    for (int at = 0; at < size; at += step) out.emplace_back(at, std::min(step, size - at));
    return out;
}

/// What of a film is cleaned, and the factor that brings it to a middle exposure.
struct Cleaned {
    const Film& film;
    std::span<const V3f> light;
    float exposure;
};

/// One pixel, into each of the planes. @p to  of the first  @p plane  how far they lie apart
void putPixel(const Cleaned& in, size_t pixel, size_t plane, float* to) {
    const V3f own = in.light[pixel] * in.exposure, albedo = in.film.mean(Pass::Albedo, pixel),
              normal = in.film.mean(Pass::Normal, pixel);
    for (int k = 0; k < 3; ++k, to += plane) {
        to[0] = squeezed(own[k]);
        to[3 * plane] = std::clamp(albedo[k], 0.0f, 1.0f);
        to[6 * plane] = std::clamp(normal[k], -1.0f, 1.0f) * 0.5f + 0.5f;
    }
}

/// The place in @p size pixels that stands for one, which may lie beyond them.
int mirrored(int at, int size) {
    if (at < 0) at = -1 - at;
    if (at >= size) at = 2 * size - 1 - at;
    return std::clamp(at, 0, size - 1);
}

/// @param width, height  as the network takes them: no less than those of @p r
std::vector<float> planesOf(const Cleaned& light, const Rect& r, int width, int height) {
    const int across = light.film.width(), down = light.film.height();
    const size_t plane = size_t(width) * size_t(height);
    std::vector<float> in(DenoiserNetwork::kPlanes * plane, 0.0f);
    parallelRanges(size_t(height), 8, Progress::none(), [&](size_t begin, size_t end) {
        for (size_t y = begin; y < end; ++y) {
            const size_t row = size_t(mirrored(r.y + int(y), down)) * size_t(across);
            for (int x = 0; x < width; ++x)
                putPixel(light, row + size_t(mirrored(r.x + x, across)), plane,
                         &in[y * size_t(width) + size_t(x)]);
        }
    });
    return in;
}

/// Three of the planes, cleaned by a network of their own. @param first  of them
void cleanPlanes(std::vector<float>& planes, size_t first, const V2i& size, const DenoiserNetwork& network,
                 Progress& progress) {
    const size_t plane = size_t(size.x) * size_t(size.y);
    const auto own = std::span(planes).subspan(first * plane, 3 * plane);
    const std::vector<float> noisy(own.begin(), own.end());
    network.run(noisy, size.x, size.y, own, progress);
    for (float& x : own) x = std::clamp(cleanNumber(x), 0.0f, 1.0f);
}

/// One row of a piece's core, from the planes that the network made of it.
void takeRow(const std::vector<float>& clean, const DenoisePiece& piece, int y, const V2i& size,
             float exposure, V3f* to) {
    const auto& [core, whole] = piece;
    const size_t plane = size_t(size.x) * size_t(size.y);
    const size_t from = size_t(core.y - whole.y + y) * size_t(size.x) + size_t(core.x - whole.x);
    for (size_t x = 0; x < size_t(core.width); ++x)
        for (size_t c = 0; c < 3; ++c)
            to[x][int(c)] = unsqueezed(cleanNumber(clean[c * plane + from + x])) / exposure;
}

/// Of each pixel how much of its own light stays: as much as the network's mean error about it is of both
/// errors together, which leaves least of both (shrinkage after James and Stein; for denoisers see Firmino,
/// Frisvad and Jensen, "Progressive Denoising of Monte Carlo Rendered Images", CGF 41(2), 2022,
/// doi:10.1111/cgf.14454). The network's is what the distance between both pictures has beyond the noise.
std::vector<float> ownShares(const Film& film, const std::vector<V3f>& light, const std::vector<V3f>& clean,
                             float exposure) {
    constexpr float kDark = 0.01f;
    constexpr int kReach = 7;
    std::vector<float> apart(clean.size()), noise(clean.size());
    parallelFor(clean.size(), Progress::none(), [&](size_t i) {
        // As it is seen: by ratios, but for what is dark.
        const float scale = exposure / (kDark + exposure * std::max(0.0f, luminance(clean[i])));
        const float a = luminance(clean[i] - light[i]) * scale, e = luminance(errorOf(film, i)) * scale;
        apart[i] = std::min(a * a, kBrightest), noise[i] = std::min(e * e, kBrightest);
    });
    std::vector<float> share = boxMean(apart, film.width(), film.height(), kReach);
    const std::vector<float> left = boxMean(noise, film.width(), film.height(), kReach);
    for (size_t i = 0; i < share.size(); ++i) {
        const uint32_t half = film.halfSamples(i);
        const bool known = half > 0 && half < film.samples(i);  // else nobody knows the noise
        const float bias = std::max(0.0f, share[i] - left[i]);
        share[i] = known && bias > 0.0f ? bias / (bias + left[i]) : 0.0f;
    }
    return share;
}

}  // namespace

float squeezed(float light) { return curve::forward(std::clamp(light, 0.0f, kBrightest)) / curve::top(); }
float unsqueezed(float value) { return curve::backward(std::max(0.0f, value) * curve::top()); }

std::vector<DenoisePiece> denoisePieces(int width, int height, size_t most) {
    if (width <= 0 || height <= 0) return {};
    constexpr int kReach = DenoiserNetwork::kReach, kMargin = DenoiserNetwork::kMargin;
    int across = 1, down = 1;
    const auto side = [](int size, int count) {
        const int all = wholeSteps(size) + 2 * kMargin;
        return count == 1 ? all : std::min(all, wholeSteps((size + count - 1) / count) + 2 * kReach);
    };
    // A core is not cut below the overlap: more would be worked out for the overlap than for itself.
    while (size_t(side(width, across)) * size_t(side(height, down)) > most) {
        const int coreWidth = width / across, coreHeight = height / down;
        if (std::max(coreWidth, coreHeight) <= 2 * kReach) break;
        ++(coreWidth >= coreHeight ? across : down);
    }
    std::vector<DenoisePiece> pieces;
    for (const auto& [top, tall] : cutSide(height, down)) {
        for (const auto& [left, wide] : cutSide(width, across)) {
            const int x0 = std::max(-kMargin, left - kReach),
                      x1 = std::min(width + kMargin, left + wide + kReach);
            const int y0 = std::max(-kMargin, top - kReach),
                      y1 = std::min(height + kMargin, top + tall + kReach);
            pieces.push_back({{left, top, wide, tall}, {x0, y0, x1 - x0, y1 - y0}});
        }
    }
    return pieces;
}

double denoiserBytes(int width, int height) {
    double most = 0.0;
    for (const DenoisePiece& p : denoisePieces(width, height, kMostPixels))
        most = std::max(most, double(wholeSteps(p.whole.width)) * wholeSteps(p.whole.height));
    // After the network: both pictures' distance and the noise, as they are and as means, and a half of one.
    const double pixels = double(width) * height, shares = pixels * 6 * sizeof(float);
    return std::max(most * DenoiserNetwork::kBytes, shares) + 2 * pixels * sizeof(V3f);
}

float middleExposure(const Film& film) { return exposureOf(film, lightsOf(film)); }

std::vector<V3f> denoisedPart(const Film& film, const std::vector<V3f>& light, const DenoiserNetwork& network,
                              Progress& progress, const GuideNetworks* guides, float exposure) {
    Progress::Task task(progress, "Denoising");
    const auto pieces = denoisePieces(film.width(), film.height(), kMostPixels);
    if (!(exposure > 0.0f)) exposure = exposureOf(film, light);
    std::vector<V3f> out(film.count(), V3f(0.0f));
    for (size_t n = 0; n < pieces.size(); ++n) {
        const Rect &core = pieces[n].core, &whole = pieces[n].whole;
        const int width = wholeSteps(whole.width), height = wholeSteps(whole.height);
        const size_t plane = size_t(width) * size_t(height);
        std::vector<float> in = planesOf({film, light, exposure}, whole, width, height);
        if (guides) cleanPlanes(in, 3, {width, height}, guides->albedo, progress);
        if (guides) cleanPlanes(in, 6, {width, height}, guides->normal, progress);
        std::vector<float> clean(3 * plane);
        network.run(in, width, height, clean, progress);
        parallelRanges(size_t(core.height), 8, Progress::none(), [&, &piece = pieces[n]](size_t a, size_t b) {
            for (size_t y = a; y < b; ++y)
                takeRow(clean, piece, int(y), {width, height}, exposure,
                        &out[(size_t(piece.core.y) + y) * size_t(film.width()) + size_t(piece.core.x)]);
        });
        task.report(float(n + 1) / float(pieces.size()));
    }
    return out;
}

std::vector<V3f> denoised(const Film& film, const DenoiserNetwork& network, Progress& progress, int group,
                          const GuideNetworks* guides, float exposure) {
    const std::vector<V3f> light = lightsOf(film, group);
    if (!(exposure > 0.0f)) exposure = exposureOf(film, light);
    std::vector<V3f> out = denoisedPart(film, light, network, progress, guides, exposure);
    if (group != kAllLights) return out;
    const std::vector<float> share = ownShares(film, light, out, exposure);
    for (size_t i = 0; i < out.size(); ++i) out[i] += (light[i] - out[i]) * share[i];
    return out;
}

}  // namespace ovrix::render
