// Steps on pictures that a lens, a film and a sharpener leave.
#include <algorithm>

#include "base/hash.h"
#include "base/parallel.h"
#include "base/random.h"
#include "render/finish/steps/finish_steps.h"

namespace ovrix::render {

using namespace specs;

namespace {

const struct VignetteParams : ParamTable {
    Handle<double> stops = add(number("stops", "Corners", -0.7, "EV", -30, 30, -4, 1,
                                      "How many stops darker the corners are, or brighter above 0"));
    Handle<double> reach = add(number("reach", "Clear", 0.6, "", 0, 10, 0, 1,
                                      "How far from the centre nothing is changed: 1 is half the height"));
    Handle<double> softness =
        add(number("softness", "Softness", 1.2, "", 0.001, 10, 0.1, 2, "Over how much more it comes on"));
    Handle<double> roundness =
        add(unitNumber("roundness", "Roundness", 0.5, "1 is a circle, 0 has the picture's own shape"));
    Handle<V3f> centre = add(specs::vector("centre", "Centre", V3d(0, 0, 0), "", 1,
                                           "From the picture's middle to the right and up, in half heights"));
    PictureMask mask{*this};
} kVignette;

const struct FringeParams : ParamTable {
    Handle<double> width = add(number("width", "Width", 0.15, "%", -10, 10, -1, 1,
                                      "How far red and blue part at the corners, of the picture's height"));
    PictureMask mask{*this};
} kFringe;

const struct DistortionParams : ParamTable {
    Handle<double> barrel = add(
        number("barrel", "Barrel", 0.05, "", -1, 1, -0.3, 0.3, "Bends lines outwards, or inwards below 0"));
    Handle<double> edge = add(
        number("edge", "At the edge", 0, "", -1, 1, -0.3, 0.3, "The same, that grows towards the corners"));
    PictureMask mask{*this};
} kDistortion;

const struct SharpenParams : ParamTable {
    Handle<double> strength =
        add(number("strength", "Strength", 0.5, "", 0, 20, 0, 2, "How much of the detail is added again"));
    Handle<double> radius = add(number("radius", "Radius", 0.12, "%", 0.01, 10, 0.05, 1,
                                       "What counts as detail, of the picture's height"));
    Handle<double> threshold = add(unitNumber("threshold", "Threshold", 0.01,
                                              "Detail fainter than this, as it is seen, stays as it is"));
    PictureMask mask{*this};
} kSharpen;

const struct GrainParams : ParamTable {
    Handle<double> strength =
        add(number("strength", "Strength", 0.06, "EV", 0, 10, 0, 0.5, "How many stops it strays, mostly"));
    Handle<double> size =
        add(number("size", "Size", 0.15, "%", 0.02, 10, 0.05, 1, "Of a grain, of the picture's height"));
    Handle<double> colored =
        add(unitNumber("colored", "Coloured", 0.2, "0 is grey, 1 lets each colour stray by itself"));
    Handle<bool> moves = add(flag("moves", "Moves", true, "Another grain in each frame"));
    Handle<int64_t> seed =
        add(whole("seed", "Seed", 0, 0, 4294967295.0, 0, 100, "Another number, other grain"));
    PictureMask mask{*this};
} kGrain;

/// From the picture's middle, in halves of its height: right and down.
V2f fromMiddle(const PictureWork& work, float x, float y) {
    const float half = 0.5f * float(work.height);
    return {(x - 0.5f * float(work.width)) / half, (y - half) / half};
}

float smooth(float t) {
    t = std::clamp(t, 0.0f, 1.0f);
    return t * t * (3.0f - 2.0f * t);
}

void vignette(PictureWork& work) {
    const ResolvedParams& p = work.params;
    const float aspect = float(work.width) / float(work.height), stops = float(p[kVignette.stops]),
                reach = float(p[kVignette.reach]), softness = float(p[kVignette.softness]);
    const float across = lerp(1.0f / aspect, 1.0f, float(p[kVignette.roundness]));
    const V3f centre = p[kVignette.centre];
    parallelFor(work.count(), work.progress, [&](size_t i) {
        const int x = int(i % size_t(work.width)), y = int(i / size_t(work.width));
        const V2f at = fromMiddle(work, float(x) + 0.5f, float(y) + 0.5f) - V2f(centre.x, -centre.y);
        const float off = std::hypot(at.x * across, at.y);
        work.light[i] *= std::exp2(stops * smooth((off - reach) / softness));
    });
}

/// Takes each colour's light from where a map of the picture onto itself says.
template <class Place>
void moveLight(PictureWork& work, const Place& place) {
    const std::vector<V3f> from = work.light;
    parallelFor(work.count(), work.progress, [&](size_t i) {
        const float x = float(i % size_t(work.width)) + 0.5f, y = float(i / size_t(work.width)) + 0.5f;
        for (int k = 0; k < 3; ++k) {
            const V2f at = place(V2f(x, y), k);
            work.light[i][k] = sampled(work, from, at.x, at.y)[k];
        }
    });
}

void partColors(PictureWork& work) {
    const V2f middle(0.5f * float(work.width), 0.5f * float(work.height));
    const float by = work.pixels(work.params[kFringe.width]) / middle.length();
    moveLight(work,
              [&](const V2f& at, int k) { return middle + (at - middle) * (1.0f + by * float(k - 1)); });
}

/// Brown, "Decentering distortion of lenses", 1966: its radial part. Scaled so that no edge shows.
void distort(PictureWork& work) {
    const float a = float(work.params[kDistortion.barrel]), b = float(work.params[kDistortion.edge]);
    const V2f middle(0.5f * float(work.width), 0.5f * float(work.height));
    const float whole = middle.length();
    const auto factor = [&](float r) { return std::max(0.05f, 1.0f + a * r * r + b * r * r * r * r); };
    float most = 0.0f;  // of where the frame's edge looks
    for (int k = 0; k <= 64; ++k) {
        const float t = float(k) / 64.0f * 2.0f - 1.0f;
        for (const V2f& edge : {V2f(middle.x * t, middle.y), V2f(middle.x, middle.y * t)})
            most = std::max(most, factor(edge.length() / whole));
    }
    moveLight(work, [&](const V2f& at, int) {
        const V2f off = at - middle;
        return middle + off * (factor(off.length() / whole) / most);
    });
}

void sharpen(PictureWork& work) {
    const ResolvedParams& p = work.params;
    const float strength = float(p[kSharpen.strength]), threshold = float(p[kSharpen.threshold]);
    const std::vector<V3f> soft =
        blurred(work.light, work.width, work.height, work.pixels(p[kSharpen.radius]), work.progress);
    parallelFor(work.count(), work.progress, [&](size_t i) {
        // By stops of brightness, so that dark edges are sharpened like bright ones and hues stay.
        const float own = luminance(work.light[i]) + 1e-4f, around = luminance(soft[i]) + 1e-4f;
        if (!(own > 0) || !(around > 0)) return;
        const float detail = std::log2(own / around);
        const float seen = std::abs(own - around) / (std::abs(own) + 0.18f);
        const float much = threshold > 0 ? smooth(seen / threshold - 0.5f) : 1.0f;
        work.light[i] *= std::exp2(std::clamp(strength * detail * much, -4.0f, 4.0f));
    });
}

/// A number about 0 with a deviation of 1: the sum of four even ones of 16 bits.
float stray(uint64_t bits) {
    const auto part = [&](int shift) { return float(bits >> shift & 0xffff); };
    return ((part(0) + part(16) + part(32) + part(48)) * (1.0f / 65536.0f) - 2.0f) * 1.7320508f;
}

/// Grey, and what red, green and blue have of their own, at a corner of the grid.
std::array<float, 4> straysAt(uint64_t seed, int64_t x, int64_t y) {
    const uint64_t bits = random4(seed, uint64_t(x) << 32 ^ uint64_t(y & 0xffffffff), Stream::Field).word(0);
    return {stray(bits), stray(mixBits(bits + 1)), stray(mixBits(bits + 2)), stray(mixBits(bits + 3))};
}

void grain(PictureWork& work) {
    const ResolvedParams& p = work.params;
    const float strength = float(p[kGrain.strength]), colored = float(p[kGrain.colored]);
    const double cell = p[kGrain.size] / 100.0;  // of the whole picture's height
    const uint64_t seed = uint64_t(p[kGrain.seed]) * 1000003u +
                          (p[kGrain.moves] ? uint64_t(int64_t(std::floor(work.setting.frame))) : 0);
    const double rows = double(work.setting.passes.height());
    parallelFor(work.count(), work.progress, [&](size_t i) {
        const int x = int(i % size_t(work.width)), y = int(i / size_t(work.width));
        // Where the pixel lies on the whole picture, in grains: so a crop has the same grain.
        const double u = (work.window.x + (x + 0.5) * work.window.width / work.width) / rows / cell,
                     v = (work.window.y + (y + 0.5) * work.window.height / work.height) / rows / cell;
        const auto s = int64_t(std::floor(u)), t = int64_t(std::floor(v));
        const float a = float(u - double(s)), b = float(v - double(t));
        const float w[4] = {(1 - a) * (1 - b), a * (1 - b), (1 - a) * b, a * b};
        const float scale = 1.0f / std::sqrt(w[0] * w[0] + w[1] * w[1] + w[2] * w[2] + w[3] * w[3]);
        std::array<float, 4> sum{};
        for (int corner = 0; corner < 4; ++corner) {
            const auto strays = straysAt(seed, s + (corner & 1), t + (corner >> 1));
            for (size_t k = 0; k < 4; ++k) sum[k] += w[corner] * scale * strays[k];
        }
        for (int k = 0; k < 3; ++k)
            work.light[i][k] *= std::exp2(strength * lerp(sum[0], sum[size_t(k) + 1], colored));
    });
}

}  // namespace

StepType vignetteStep() {
    return pictureStep("vignette", "Vignette", "Darkens the picture towards its corners", kVignette,
                       vignette);
}
StepType fringeStep() {
    return pictureStep("fringe", "Chromatic fringe",
                       "Parts the colours towards the corners, as simple lenses do", kFringe, partColors);
}
StepType distortionStep() {
    return pictureStep("distortion", "Lens distortion", "Bends straight lines, as wide lenses do",
                       kDistortion, distort);
}
StepType sharpenStep() {
    return pictureStep("sharpen", "Sharpen", "Makes small detail stand out", kSharpen, sharpen);
}
StepType grainStep() { return pictureStep("grain", "Grain", "The grain of a film", kGrain, grain); }

}  // namespace ovrix::render
