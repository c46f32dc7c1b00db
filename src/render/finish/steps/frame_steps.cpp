// Steps on pictures that lay another over it, or change its frame.
#include <algorithm>

#include "base/error.h"
#include "base/image.h"
#include "base/parallel.h"
#include "render/finish/steps/finish_steps.h"

namespace ovrix::render {

using namespace specs;

namespace {

enum class Lay { Over, Add, Multiply, Screen };
enum class Fit { Fit, Fill, Stretch };

const struct OverlayParams : ParamTable {
    Handle<std::string> file = add(specs::file("file", "Image", "What is laid over the picture"));
    Handle<std::string> space = add(choice("space", "Colour space", "sRGB", colorSpaceNames(),
                                           "The space that the file's numbers are in"));
    Handle<Lay> lay = add(choice("lay", "Blend", "over", {"over", "add", "multiply", "screen"},
                                 "over by its alpha; add for light; multiply for stains; screen for haze"));
    Handle<Fit> fit = add(choice("fit", "Laid", "fit", {"fit", "fill", "stretch"},
                                 "Whole within the picture, filling it, or of its shape"));
    Handle<double> scale = add(number("scale", "Scale", 1, "", 0.001, 1000, 0.1, 4, "Factor on its size"));
    Handle<V3f> position = add(specs::vector("position", "Position", V3d(0, 0, 0), "", 1,
                                             "From the middle to the right and up, in half heights"));
    PictureMask mask{*this};
} kOverlay;

const struct CropParams : ParamTable {
    static ParamSpec side(const char* id, const char* title) {
        return number(id, title, 0, "%", 0, 99, 0, 50, "How much is cut off there");
    }
    Handle<double> left = add(side("left", "Left"));
    Handle<double> right = add(side("right", "Right"));
    Handle<double> top = add(side("top", "Top"));
    Handle<double> bottom = add(side("bottom", "Bottom"));
    Handle<double> size =
        add(number("size", "Size", 100, "%", 1, 800, 25, 200, "Of what is left: fewer pixels, or more"));
} kCrop;

V3f laid(Lay how, const V3f& below, const Texel& over) {
    const V3f c(over.color);
    V3f all;
    switch (how) {
        case Lay::Over:
            all = c;
            break;
        case Lay::Add:
            all = below + c;
            break;
        case Lay::Multiply:
            all = below * c;
            break;
        case Lay::Screen:  // of what is brighter than white nothing is taken
            for (int k = 0; k < 3; ++k)
                all[k] = below[k] + c[k] * std::max(0.0f, 1.0f - std::max(0.0f, below[k]));
            break;
    }
    return below + (all - below) * std::clamp(over.alpha, 0.0f, 1.0f);
}

void overlay(PictureWork& work) {
    const ResolvedParams& p = work.params;
    const std::string& file = p[kOverlay.file];
    if (file.empty()) {
        work.notes.emplace_back("no image is chosen: nothing is laid over the picture");
        return;
    }
    if (!work.setting.images) throw Error("images cannot be read here", file);
    const auto image = work.setting.images->image(file, p[kOverlay.space]);
    const float wide = float(work.width) / float(work.height),
                own = float(image->width) / float(std::max(1, image->height));
    const Fit fit = p[kOverlay.fit];
    // Half its height and width, in halves of the picture's height.
    float high = 1.0f, across = wide;
    if (fit != Fit::Stretch) {
        const bool byHeight = (own < wide) == (fit == Fit::Fit);
        high = byHeight ? 1.0f : wide / own;
        across = high * own;
    }
    high *= float(p[kOverlay.scale]), across *= float(p[kOverlay.scale]);
    const V3f at = p[kOverlay.position];
    const Lay how = p[kOverlay.lay];
    parallelFor(work.count(), work.progress, [&](size_t i) {
        const float half = 0.5f * float(work.height);
        const float x = (float(i % size_t(work.width)) + 0.5f - 0.5f * float(work.width)) / half - at.x,
                    y = (half - float(i / size_t(work.width)) - 0.5f) / half - at.y;
        const float u = 0.5f + 0.5f * x / across, v = 0.5f + 0.5f * y / high;
        if (u < 0 || v < 0 || u > 1 || v > 1) return;
        const V2f inside = withinEdges(V2f(u, v), image->width, image->height);
        work.light[i] = laid(how, work.light[i], image->texel(inside.x, inside.y));
    });
}

/// How pixels of one line become others: which of them count, and how much. Fewer ones by the mean of what
/// they cover; more by the cubic of Catmull and Rom.
struct Resampling {
    struct Tap {
        int from;
        float weight;
    };
    std::vector<std::vector<Tap>> taps;
    Resampling(int from, int to) : taps(size_t(to)) {
        const double scale = double(from) / to, reach = 2.0 * std::max(1.0, scale);
        for (int i = 0; i < to; ++i) {
            const double middle = (i + 0.5) * scale - 0.5;
            double sum = 0;
            for (int k = int(std::ceil(middle - reach)); k <= int(std::floor(middle + reach)); ++k) {
                const double w = cubic(std::abs(k - middle) / std::max(1.0, scale));
                if (w == 0) continue;
                taps[size_t(i)].push_back({std::clamp(k, 0, from - 1), float(w)});
                sum += w;
            }
            for (Tap& t : taps[size_t(i)]) t.weight = float(t.weight / sum);
        }
    }
    static double cubic(double x) {
        if (x < 1) return 1 + x * x * (1.5 * x - 2.5);
        if (x < 2) return 2 + x * (-4 + x * (2.5 - 0.5 * x));
        return 0;
    }
};

template <class T>
std::vector<T> resampled(const std::vector<T>& in, int w, int h, int width, int height, Progress& progress) {
    const Resampling across(w, width), down(h, height);
    std::vector<T> half(size_t(width) * size_t(h)), out(size_t(width) * size_t(height));
    parallelEach(size_t(h), progress, [&](size_t y) {
        for (size_t x = 0; x < size_t(width); ++x) {
            T sum(0.0f);
            for (const auto& t : across.taps[x]) sum += in[y * size_t(w) + size_t(t.from)] * t.weight;
            half[y * size_t(width) + x] = sum;
        }
    });
    parallelEach(size_t(height), progress, [&](size_t y) {
        for (size_t x = 0; x < size_t(width); ++x) {
            T sum(0.0f);
            for (const auto& t : down.taps[y]) sum += half[size_t(t.from) * size_t(width) + x] * t.weight;
            out[y * size_t(width) + x] = sum;
        }
    });
    return out;
}

void crop(PictureWork& work) {
    const ResolvedParams& p = work.params;
    const auto cut = [](double percent, int all) { return int(std::lround(percent / 100.0 * all)); };
    const int x = std::min(work.width - 1, cut(p[kCrop.left], work.width)),
              y = std::min(work.height - 1, cut(p[kCrop.top], work.height));
    const int w = std::max(1, work.width - x - cut(p[kCrop.right], work.width)),
              h = std::max(1, work.height - y - cut(p[kCrop.bottom], work.height));
    std::vector<V3f> light(size_t(w) * size_t(h));
    std::vector<float> alpha(light.size());
    for (int j = 0; j < h; ++j)
        for (int i = 0; i < w; ++i) {
            const size_t to = size_t(j) * size_t(w) + size_t(i), from = work.indexOf(x + i, y + j);
            light[to] = work.light[from], alpha[to] = work.alpha[from];
        }
    const double sx = work.window.width / work.width, sy = work.window.height / work.height;
    work.window = {work.window.x + x * sx, work.window.y + y * sy, w * sx, h * sy};
    const double scale = p[kCrop.size] / 100.0;
    constexpr int kMost = 32768;
    const int width = std::clamp(int(std::lround(w * scale)), 1, kMost),
              height = std::clamp(int(std::lround(h * scale)), 1, kMost);
    if (width != w || height != h) {
        light = resampled(light, w, h, width, height, work.progress);
        alpha = resampled(alpha, w, h, width, height, work.progress);
    }
    work.width = width, work.height = height;
    work.light = std::move(light), work.alpha = std::move(alpha);
}

}  // namespace

StepType overlayStep() {
    return pictureStep("overlay", "Image over it", "Lays another picture over this one", kOverlay, overlay);
}

StepType cropStep() {
    return pictureStep("crop", "Crop and resize", "Cuts the frame, and makes it larger or smaller", kCrop,
                       crop);
}

}  // namespace ovrix::render
