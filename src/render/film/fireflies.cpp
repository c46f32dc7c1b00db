#include "render/film/fireflies.h"

#include <map>

#include "base/parallel.h"

namespace ovrix::render {

namespace {

constexpr size_t kBins = Film::kBins;
constexpr float kMostGain = 0.1f;  // of the light that is there, at each width

/// Of a bin without a sample: counts for nothing.
constexpr float kNone = -1.0f;

/// The bins of all pixels as numbers, and whose light each pixel's is.
struct Bins {
    int width, height;
    std::vector<std::array<float, kBins>> values;
    std::vector<float> mean;      ///< over a pixel's samples
    std::vector<uint64_t> thing;  ///< that is seen there
    struct Sum {
        float light = 0.0f, most = 0.0f;
        uint32_t count = 0;  ///< of bins that have samples
    };
    std::vector<Sum> sums;  ///< over the bins of a pixel
    size_t at(int x, int y) const { return size_t(y) * size_t(width) + size_t(x); }
};

Bins binsOf(const Film& film) {
    Bins out{film.width(), film.height(), {}, {}, {}, {}};
    out.values.resize(film.count()), out.mean.resize(film.count()), out.thing.resize(film.count());
    out.sums.resize(film.count());
    parallelFor(film.count(), Progress::none(), [&](size_t i) {
        double sum = 0.0;
        for (size_t k = 0; k < kBins; ++k) {
            const uint32_t count = film.binSamples(i, k);
            const double light = std::max(0.0, film.binSum(i, k));
            out.values[i][k] = count ? float(light / count) : kNone;
            if (count) out.sums[i].light += out.values[i][k], ++out.sums[i].count;
            out.sums[i].most = std::max(out.sums[i].most, out.values[i][k]);
            sum += count ? light : 0.0;
        }
        out.mean[i] = film.samples(i) ? float(sum / film.samples(i)) : 0.0f;
        out.thing[i] = thingAt(film, i);
    });
    return out;
}

/// The bins of a pixel and of those beside it.
struct Around {
    std::array<float, 9 * kBins> values;
    size_t count = 0;
    double sum = 0.0;
    Around(const Bins& bins, int x, int y) {
        for (int j = std::max(0, y - 1); j <= std::min(bins.height - 1, y + 1); ++j)
            for (int i = std::max(0, x - 1); i <= std::min(bins.width - 1, x + 1); ++i)
                for (const float v : bins.values[bins.at(i, j)])
                    if (v >= 0.0f) values[count++] = v, sum += double(v);
    }
    /// How many, itself among them, are about as bright as @p value, or brighter.
    float alike(float value) const {
        constexpr float kAlike = 4.0f;  // times as dark counts in full
        float out = 0.0f;
        for (size_t i = 0; i < count; ++i) {
            const float part = std::min(1.0f, kAlike * values[i] / value);
            out += part * part * part;
        }
        return out;
    }
};

/// Whether one of a pixel's bins is so much brighter than those about it that somebody looks closer.
bool standsOut(const Bins& bins, int x, int y) {
    constexpr float kBeyond = 8.0f;  // times their mean
    Bins::Sum all;
    for (int j = std::max(0, y - 1); j <= std::min(bins.height - 1, y + 1); ++j)
        for (int i = std::max(0, x - 1); i <= std::min(bins.width - 1, x + 1); ++i) {
            const Bins::Sum& one = bins.sums[bins.at(i, j)];
            all.light += one.light, all.count += one.count;
        }
    const float most = bins.sums[bins.at(x, y)].most;
    return all.count > 1 && most > 0.0f && most * float(all.count) >= kBeyond * all.light;
}

/// What is not believed of a pixel's light: a part of its mean.
float takenOf(const Bins& bins, const Film& film, int x, int y) {
    constexpr float kBelieved = 4.0f;  // so many alike, and it is whole
    const size_t pixel = bins.at(x, y);
    if (!standsOut(bins, x, y)) return 0.0f;
    const Around around(bins, x, y);
    double taken = 0.0;
    for (size_t k = 0; k < kBins; ++k) {
        const float value = bins.values[pixel][k];
        if (value <= 0.0f) continue;
        const float weight = std::clamp((around.alike(value) - 1.0f) / (kBelieved - 1.0f), 0.0f, 1.0f);
        const double rest = (around.sum - double(value)) / double(around.count - 1);
        const double doubt = (1.0 - double(weight)) * std::max(0.0, double(value) - rest);
        taken += doubt * film.binSamples(pixel, k);
    }
    return float(taken / film.samples(pixel));
}

/// Light that looks for a place.
struct Loose {
    float x, y;
    uint64_t thing;
    double light;
};

/// A grid of hats over the picture: each pixel lies under four, whose heights there add up to 1. What lies
/// under one is told apart by thing.
class Hats {
  public:
    Hats(const Bins& bins, int side)
        : bins_(bins), side_(side), columns_(bins.width / side + 2), rows_(bins.height / side + 2) {
        hats_.resize(size_t(columns_) * size_t(rows_)), gives_.resize(hats_.size());
    }
    /// Gives each its light among that which is there, as far as that may be; the rest comes back, from the
    /// middle of each hat. Once.
    std::vector<Loose> give(std::span<const Loose> all, std::span<const float> light) {
        for (const Loose& one : all) forHats(one.x, one.y, [&](size_t h, float) { gives_[h] = 1; });
        parallelRanges(hats_.size(), 1, Progress::none(), [&](size_t begin, size_t end) {
            for (size_t h = begin; h < end; ++h)
                if (gives_[h]) gather(h, light);
        });
        for (const Loose& one : all) give(one);
        std::vector<Loose> rest;
        for (size_t h = 0; h < hats_.size(); ++h)
            for (auto& [thing, under] : hats_[h]) {
                if (under.gain <= double(kMostGain)) continue;
                const int x = int(h) % columns_ * side_, y = int(h) / columns_ * side_;
                rest.push_back({float(x), float(y), thing, (under.gain - double(kMostGain)) * under.light});
                under.gain = double(kMostGain);
            }
        return rest;
    }
    /// By how much of itself the light of a pixel grows.
    float gain(int x, int y) const {
        double out = 0.0;
        forHats(float(x), float(y), [&](size_t h, float height) {
            if (!gives_[h]) return;
            const auto found = hats_[h].find(bins_.thing[bins_.at(x, y)]);
            if (found != hats_[h].end()) out += double(height) * found->second.gain;
        });
        return float(out);
    }

  private:
    struct Under {
        double light = 0.0, gain = 0.0;
    };
    template <class Body>
    void forHats(float x, float y, const Body& body) const {
        const float u = std::clamp(x / float(side_), 0.0f, float(columns_ - 1)),
                    v = std::clamp(y / float(side_), 0.0f, float(rows_ - 1));
        const int i = std::min(int(u), columns_ - 2), j = std::min(int(v), rows_ - 2);
        const float fx = u - float(i), fy = v - float(j);
        const size_t h = size_t(j) * size_t(columns_) + size_t(i);
        body(h, (1 - fx) * (1 - fy)), body(h + 1, fx * (1 - fy));
        body(h + size_t(columns_), (1 - fx) * fy), body(h + size_t(columns_) + 1, fx * fy);
    }
    void gather(size_t h, std::span<const float> light) {
        const int cx = int(h) % columns_ * side_, cy = int(h) / columns_ * side_;
        uint64_t last = 0;
        double* sum = nullptr;  // of the last thing: pixels side by side show the same
        for (int y = std::max(0, cy - side_ + 1); y < std::min(bins_.height, cy + side_); ++y)
            for (int x = std::max(0, cx - side_ + 1); x < std::min(bins_.width, cx + side_); ++x) {
                const size_t i = bins_.at(x, y);
                if (!(light[i] > 0.0f)) continue;
                const double height =
                    (1.0 - std::abs(x - cx) / double(side_)) * (1.0 - std::abs(y - cy) / double(side_));
                if (!sum || bins_.thing[i] != last) sum = &hats_[h][last = bins_.thing[i]].light;
                *sum += height * double(light[i]);
            }
    }
    void give(const Loose& one) {
        double under = 0.0;
        forHats(one.x, one.y, [&](size_t h, float height) {
            const auto found = hats_[h].find(one.thing);
            if (found != hats_[h].end()) under += double(height) * found->second.light;
        });
        if (!(under > 0.0)) return;
        forHats(one.x, one.y, [&](size_t h, float height) {
            const auto found = hats_[h].find(one.thing);
            if (found != hats_[h].end()) found->second.gain += double(height) * one.light / under;
        });
    }

    const Bins& bins_;
    int side_, columns_, rows_;
    std::vector<std::map<uint64_t, Under>> hats_;
    std::vector<char> gives_;  // whether any that is loose lies under a hat
};

}  // namespace

std::vector<float> fireflyFactors(const Film& film) {
    if (!film.layout().bins || film.count() == 0) return {};
    const Bins bins = binsOf(film);
    std::vector<float> kept = bins.mean;
    parallelFor(size_t(film.height()), Progress::none(), [&](size_t y) {
        for (int x = 0; x < film.width(); ++x) kept[bins.at(x, int(y))] -= takenOf(bins, film, x, int(y));
    });
    std::vector<Loose> loose;
    for (int y = 0; y < film.height(); ++y)
        for (int x = 0; x < film.width(); ++x)
            if (const size_t i = bins.at(x, y); kept[i] < bins.mean[i])
                loose.push_back({float(x), float(y), bins.thing[i], double(bins.mean[i] - kept[i])});
    if (loose.empty()) return {};
    std::vector<float> gain(film.count(), 1.0f);
    for (int side = 16; !loose.empty() && side <= 1024; side *= 4) {
        Hats hats(bins, side);
        loose = hats.give(loose, kept);
        parallelFor(size_t(film.height()), Progress::none(), [&](size_t y) {
            for (int x = 0; x < film.width(); ++x) gain[bins.at(x, int(y))] += hats.gain(x, int(y));
        });
    }
    parallelFor(gain.size(), Progress::none(), [&](size_t i) {
        const float whole = luminance(film.light(i)), straight = std::max(0.0f, whole - bins.mean[i]);
        gain[i] = whole > 0.0f ? (straight + kept[i] * gain[i]) / std::max(whole, bins.mean[i]) : 1.0f;
    });
    return gain;
}

double cutShare(const Film& film) {
    if (!film.has(Pass::Cut)) return 0.0;
    double cut = 0.0, left = 0.0;
    for (size_t i = 0; i < film.count(); ++i) {
        cut += double(std::max(0.0f, luminance(film.mean(Pass::Cut, i))));
        left += double(std::max(0.0f, luminance(film.light(i))));
    }
    return cut > 0.0 ? cut / (cut + left) : 0.0;
}

std::vector<V3f> lightsOf(const Film& film, int group, const std::vector<float>* factors) {
    if (!factors) {
        const std::vector<float> own = fireflyFactors(film);
        return lightsOf(film, group, &own);
    }
    std::vector<V3f> out = film.lights(group);
    for (size_t i = 0; i < factors->size(); ++i) out[i] *= (*factors)[i];
    return out;
}

}  // namespace ovrix::render
