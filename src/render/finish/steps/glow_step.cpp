// Light that a lens and the eye spread about what is bright.
#include <algorithm>

#include "base/parallel.h"
#include "render/finish/steps/finish_steps.h"

namespace ovrix::render {

using namespace specs;

namespace {

const struct GlowParams : ParamTable {
    Handle<double> threshold = add(number("threshold", "Threshold", 1, "", 0, 1e6, 0, 8,
                                          "Light that is brighter spreads; 1 is white, 0 spreads all"));
    Handle<double> strength =
        add(unitNumber("strength", "Bloom", 0.15, "Which part of it spreads all around"));
    Handle<double> radius = add(number("radius", "Radius", 12, "%", 0.1, 100, 1, 50,
                                       "How far it is seen to reach, of the picture's height"));
    Handle<double> glare = add(unitNumber("glare", "Glare", 0, "Which part of it is drawn out to rays"));
    Handle<int64_t> rays =
        add(shownIf(whole("rays", "Rays", 6, 2, 16, 2, 12, "About each light"), "glare!=0"));
    Handle<double> length =
        add(shownIf(number("length", "Length", 15, "%", 0.1, 200, 1, 60, "Of a ray, of the picture's height"),
                    "glare!=0"));
    Handle<double> turn =
        add(shownIf(number("turn", "Rotation", 15, "deg", -360, 360, 0, 90, "Of the rays"), "glare!=0"));
    Handle<Color> tint = add(specs::color("tint", "Tint", Color(1.0f), false, "Of what spreads"));
    PictureMask mask{*this};
} kGlow;

struct Plane {
    int width = 0, height = 0;
    std::vector<V3f> light;
    V3f at(int x, int y) const {
        return light[size_t(std::clamp(y, 0, height - 1)) * size_t(width) +
                     size_t(std::clamp(x, 0, width - 1))];
    }
    V3f between(float x, float y) const {  // in pixels, 0.5 is a middle
        const float u = x - 0.5f, v = y - 0.5f;
        const int i = int(std::floor(u)), j = int(std::floor(v));
        const float s = u - float(i), t = v - float(j);
        return (at(i, j) * (1 - s) + at(i + 1, j) * s) * (1 - t) +
               (at(i, j + 1) * (1 - s) + at(i + 1, j + 1) * s) * t;
    }
    /// Black beyond the edges: what is not in the picture gives no rays.
    V3f within(float x, float y) const {
        return x < 0 || y < 0 || x > float(width) || y > float(height) ? V3f(0.0f) : between(x, y);
    }
};

/// Each pixel goes to the two on both sides of it, so that its middle stays where it is.
Plane halved(const Plane& from, Progress& progress) {
    constexpr float kWeights[] = {0.125f, 0.375f, 0.375f, 0.125f};
    Plane out{(from.width + 1) / 2, (from.height + 1) / 2, {}};
    out.light.resize(size_t(out.width) * size_t(out.height));
    parallelEach(size_t(out.height), progress, [&](size_t row) {
        const int y = int(row);
        for (int x = 0; x < out.width; ++x) {
            V3f sum(0.0f);
            for (int j = 0; j < 4; ++j)
                for (int i = 0; i < 4; ++i)
                    sum += from.at(2 * x - 1 + i, 2 * y - 1 + j) * (kWeights[i] * kWeights[j]);
            out.light[row * size_t(out.width) + size_t(x)] = sum;
        }
    });
    return out;
}

/// A sum of bells, each twice as wide as the one before and as strong in all: about as the eye's own glare,
/// which falls with the square of the distance. Spencer et al., "Physically-based glare effects for digital
/// images", SIGGRAPH 95, doi:10.1145/218380.218466. Nothing is lost but at the edges.
std::vector<V3f> bloomOf(const Plane& bright, float radius, Progress& progress) {
    std::vector<Plane> sizes{bright};
    const int levels = std::clamp(int(std::lround(std::log2(std::max(1.0f, radius)))), 1, 12);
    while (int(sizes.size()) < levels && std::min(sizes.back().width, sizes.back().height) > 1)
        sizes.push_back(halved(sizes.back(), progress));
    for (Plane& p : sizes) p.light = blurred(p.light, p.width, p.height, 1.0f, progress);
    for (size_t k = sizes.size() - 1; k-- > 0;) {  // each size is what the smaller ones have, and its own
        Plane& to = sizes[k];
        const Plane& from = sizes[k + 1];
        const float own = 1.0f / float(sizes.size() - k), rest = 1.0f - own;
        const float sx = float(from.width) / float(to.width), sy = float(from.height) / float(to.height);
        parallelEach(size_t(to.height), progress, [&](size_t y) {
            for (int x = 0; x < to.width; ++x) {
                V3f& c = to.light[y * size_t(to.width) + size_t(x)];
                c = c * own + from.between((float(x) + 0.5f) * sx, (float(y) + 0.5f) * sy) * rest;
            }
        });
    }
    return std::move(sizes[0].light);
}

/// Rays whose light falls by e over a third of their length, by doubling: each round lays what is there over
/// itself, twice as far away.
std::vector<V3f> raysOf(const Plane& bright, int rays, float length, float turn, Progress& progress) {
    std::vector<V3f> sum(bright.light.size(), V3f(0.0f));
    for (int r = 0; r < rays; ++r) {
        const float a = turn + 2.0f * kPi * float(r) / float(rays);
        const V2f way(std::cos(a), std::sin(a));
        Plane ray = bright;
        for (float step = 1.0f; step < length; step *= 2.0f) {
            const float keeps = std::exp(-3.0f * step / length), scale = 1.0f / (1.0f + keeps);
            const Plane from = ray;
            parallelEach(size_t(ray.height), progress, [&](size_t y) {
                for (int x = 0; x < ray.width; ++x)
                    ray.light[y * size_t(ray.width) + size_t(x)] =
                        (from.at(x, int(y)) +
                         from.within(float(x) + 0.5f - way.x * step, float(y) + 0.5f - way.y * step) *
                             keeps) *
                        scale;
            });
        }
        for (size_t i = 0; i < sum.size(); ++i) sum[i] += ray.light[i] / float(rays);
    }
    return sum;
}

void glow(PictureWork& work) {
    const ResolvedParams& p = work.params;
    const float threshold = float(p[kGlow.threshold]);
    const float bloom = float(p[kGlow.strength]), glare = float(p[kGlow.glare]);
    Plane bright{work.width, work.height, std::vector<V3f>(work.count())};
    for (size_t i = 0; i < work.count(); ++i) {
        const V3f& c = work.light[i];
        const float most = std::max({c.x, c.y, c.z, 0.0f});
        bright.light[i] = most > threshold ? c * ((most - threshold) / most) : V3f(0.0f);
    }
    const V3f tint(p[kGlow.tint]);
    const auto add = [&](const std::vector<V3f>& spread, float part) {
        for (size_t i = 0; i < work.count(); ++i) {
            const V3f s = spread[i] * tint;
            work.light[i] += (s - bright.light[i]) * part;
        }
    };
    if (bloom > 0) add(bloomOf(bright, work.pixels(p[kGlow.radius]), work.progress), bloom);
    if (glare > 0)
        add(raysOf(bright, int(p[kGlow.rays]), work.pixels(p[kGlow.length]), radians(float(p[kGlow.turn])),
                   work.progress),
            glare);
}

}  // namespace

StepType glowStep() {
    return pictureStep("glow", "Bloom and glare",
                       "Spreads what is brighter than white, as a lens and an eye do", kGlow, glow);
}

}  // namespace ovrix::render
