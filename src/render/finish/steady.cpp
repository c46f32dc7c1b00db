#include "render/finish/steady.h"

#include "base/parallel.h"
#include "render/film/noise.h"

namespace ovrix::render {

namespace {

/// How bright it is about each pixel: noise that is left says little there, another light much.
std::vector<float> brightnessAbout(const SteadyFrame& frame) {
    constexpr int kReach = 3;
    std::vector<float> own(frame.light.size());
    for (size_t i = 0; i < own.size(); ++i) own[i] = std::max(0.0f, luminance(frame.light[i]));
    return boxMean(own, frame.width, frame.height, kReach);
}

/// Where a pixel was in a frame before.
struct Place {
    float x, y;
    int column() const { return int(std::floor(x)); }
    int row() const { return int(std::floor(y)); }
};

/// Light at a place between pixels, of those that show the same; nothing where none does.
struct Found {
    V3f light{0, 0, 0};
    float brightness = 0, weight = 0;
};

class LookUp {
  public:
    LookUp(const SteadyFrame& now, const SteadyFrame& then, const std::vector<float>& brightness)
        : now_(now), then_(then), brightness_(brightness) {}
    Found at(size_t pixel, const Place& place) const {
        const float u = place.x - 0.5f, v = place.y - 0.5f;
        const int x = int(std::floor(u)), y = int(std::floor(v));
        Found out;
        for (int k = 0; k < 4; ++k) {
            const int i = x + k % 2, j = y + k / 2;
            if (i < 0 || j < 0 || i >= then_.width || j >= then_.height) continue;
            const size_t at = size_t(j) * size_t(then_.width) + size_t(i);
            if (!alike(pixel, at)) continue;
            const float weight =
                (k % 2 ? u - float(x) : 1.0f - u + float(x)) * (k / 2 ? v - float(y) : 1.0f - v + float(y));
            out.light += weight * then_.light[at];
            out.brightness += weight * brightness_[at];
            out.weight += weight;
        }
        if (out.weight > 0.0f) out.light /= out.weight, out.brightness /= out.weight;
        return out;
    }

  private:
    /// The same thing, about as far away, of about the same colour.
    bool alike(size_t now, size_t then) const {
        constexpr float kFar = 0.1f, kColor = 0.1f;
        if (now_.thing[now] != then_.thing[then]) return false;
        if (now_.thing[now] == 0) return true;
        const float depth = now_.depth[now];
        if (std::abs(depth - then_.depth[then]) > kFar * depth) return false;
        const V3f apart = now_.albedo[now] - then_.albedo[then];
        return std::max({std::abs(apart.x), std::abs(apart.y), std::abs(apart.z)}) <= kColor;
    }
    const SteadyFrame &now_, &then_;
    const std::vector<float>& brightness_;
};

/// 1 for the same light, next to 0 from half as much more or less on.
float trust(float now, float then) {
    constexpr float kApart = 0.28f, kDark = 1e-4f;
    const float apart = std::abs(now - then) / ((now + then) / 2 + kDark) / kApart;
    return std::exp(-apart * apart);
}

}  // namespace

SteadyFrame steadyFrameOf(const Film& film, std::vector<V3f> clean, float open) {
    SteadyFrame out{film.width(), film.height(), std::move(clean), {}, {}, {}, {}};
    out.moved.resize(film.count()), out.thing.resize(film.count());
    out.depth.resize(film.count()), out.albedo.resize(film.count());
    parallelFor(film.count(), Progress::none(), [&](size_t i) {
        const V3f motion = film.mean(Pass::Motion, i) / std::max(1e-6f, open);
        out.moved[i] = V2f(motion.x, motion.y);
        out.thing[i] = thingAt(film, i);
        out.depth[i] = film.value(Pass::Depth, i);
        out.albedo[i] = film.mean(Pass::Albedo, i);
    });
    return out;
}

std::vector<V3f> steadied(const SteadyFrame& frame, std::span<const SteadyFrame* const> before, bool still) {
    std::vector<V3f> out = frame.light;
    const std::vector<float> own = brightnessAbout(frame);
    std::vector<std::vector<float>> brightness;
    for (const SteadyFrame* then : before) brightness.push_back(brightnessAbout(*then));
    parallelFor(size_t(frame.height), Progress::none(), [&](size_t y) {
        for (int x = 0; x < frame.width; ++x) {
            const size_t i = y * size_t(frame.width) + size_t(x);
            if (frame.thing[i] == 0 && !still) continue;
            V3f sum = out[i];
            float weights = 1.0f;
            Place place{float(x) + 0.5f, float(y) + 0.5f};
            const SteadyFrame* last = &frame;
            for (size_t k = 0; k < before.size(); ++k) {
                const SteadyFrame& then = *before[k];
                const size_t at = size_t(place.row()) * size_t(frame.width) + size_t(place.column());
                const V2f moved = last->moved[at];
                place = {place.x - moved.x, place.y - moved.y};
                if (!(place.x >= 0 && place.y >= 0 && place.x < float(then.width) &&
                      place.y < float(then.height)))
                    break;
                const Found found = LookUp(frame, then, brightness[k]).at(i, place);
                if (!(found.weight > 0.0f)) break;
                const float weight = trust(own[i], found.brightness);
                sum += weight * found.light, weights += weight;
                last = &then;
            }
            out[i] = sum / weights;
        }
    });
    return out;
}

}  // namespace ovrix::render
