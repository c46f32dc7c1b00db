#include "render/finish/steps/depth_of_field.h"

#include <algorithm>

#include "base/parallel.h"
#include "render/finish/steps/finish_steps.h"

namespace ovrix::render {

using namespace specs;

namespace {

const struct DepthOfFieldParams : ParamTable {
    Handle<double> fstop = add(number("fstop", "f-stop", 2.8, "", 0.05, 1000, 0.7, 22,
                                      "Smaller blurs more; of a lens with the camera's focal length"));
    Handle<double> focus =
        add(number("focus", "Focus", 0, "m", 0, 1e6, 0, 50, "Distance that is sharp; 0 is the camera's"));
    Handle<std::string> focusOn = add(
        ref("focus_on", "Focus on", "object or layer", "Sharp where most of it is seen, wherever it goes"));
    Handle<double> zone = add(
        number("zone", "Sharp depth", 0, "m", 0, 1e6, 0, 5, "How deep what is sharp is, about the focus"));
    Handle<int64_t> blades = add(whole("blades", "Blades", 0, 0, 64, 0, 12, "Of the iris; under 3 is round"));
    Handle<double> turn =
        add(shownIf(number("turn", "Rotation", 0, "deg", -360, 360, -90, 90, "Of the blades"), "blades!=0"));
    Handle<double> roundness = add(shownIf(
        unitNumber("roundness", "Roundness", 0.3, "Of the blades' edges: 1 is a circle"), "blades!=0"));
    Handle<double> gain = add(number("gain", "Highlights", 0, "", 0, 1000, 0, 10,
                                     "How much brighter bright things get in their discs"));
    Handle<double> threshold = add(shownIf(
        number("threshold", "Threshold", 1, "", 0, 1e6, 0, 8, "Light that counts as bright"), "gain!=0"));
    Handle<double> most = add(number("most", "At most", 8, "%", 0.1, 50, 1, 20,
                                     "Radius that no disc passes, of the picture's height"));
    PictureMask mask{*this};
} kDepthOfField;

constexpr int kBand = 64;         // rows that are worked on together
constexpr float kSteps = 4.0f;    // radii in a pixel that are told apart
constexpr float kUnit = 0x1p30f;  // light is counted in parts of this

/// A disc's rows: where each begins and ends, from its middle.
struct Disc {
    struct Row {
        int y;
        float left, right;
    };
    std::vector<Row> rows;
    float area = 1;
};

/// Where a line at height y crosses the iris of radius 1; nothing beside it.
std::pair<float, float> crossing(const LensBlur& lens, float y) {
    if (std::abs(y) >= 1.0f) return {0, 0};
    const float round = std::sqrt(1.0f - y * y);
    if (lens.blades < 3) return {-round, round};
    // The edges of the polygon, moved out to the circle as far as it is round.
    float left = -round, right = round;
    const float inner = std::cos(kPi / float(lens.blades)), edge = lerp(inner, 1.0f, lens.roundness);
    for (int k = 0; k < lens.blades; ++k) {
        const float a = lens.turn + (2.0f * float(k) + 1.0f) * kPi / float(lens.blades);
        const float nx = std::cos(a), ny = std::sin(a), room = edge - ny * y;
        if (std::abs(nx) < 1e-6f) {
            if (room < 0) return {0, 0};
        } else if (nx > 0) {
            right = std::min(right, room / nx);
        } else {
            left = std::max(left, room / nx);
        }
    }
    return right > left ? std::pair(left, right) : std::pair(0.0f, 0.0f);
}

Disc discOf(const LensBlur& lens, float radius) {
    Disc disc;
    if (radius <= 0.5f) {
        disc.rows = {{0, -0.5f, 0.5f}};
        return disc;
    }
    disc.area = 0;
    const int reach = int(std::ceil(radius));
    for (int y = -reach; y <= reach; ++y) {
        const auto [left, right] = crossing(lens, float(y) / radius);
        if (right <= left) continue;
        disc.rows.push_back({y, left * radius, right * radius});
        disc.area += (right - left) * radius;
    }
    if (disc.rows.empty()) disc = {{{0, -0.5f, 0.5f}}, 1.0f};
    return disc;
}

/// Sums over a band of rows: red, green, blue, alpha and how much of the pixel is covered; each row by what
/// changes from pixel to pixel.
class BandSums {
  public:
    static constexpr int kChannels = 5;
    BandSums(int width, int rows) : width_(width), sums_(size_t(width + 2) * size_t(rows) * kChannels) {}
    void clear() { std::fill(sums_.begin(), sums_.end(), 0); }
    void addRow(int row, float left, float right, const std::array<float, kChannels>& value) {
        std::array<int64_t, kChannels> whole;
        for (size_t k = 0; k < kChannels; ++k) whole[k] = int64_t(std::clamp(value[k], -1e9f, 1e9f) * kUnit);
        change(row, left, whole, 1);
        change(row, right, whole, -1);
    }
    /// Turns changes into sums.
    void gather(int rows) {
        for (int y = 0; y < rows; ++y) {
            int64_t* at = &sums_[index(y, 0)];
            for (size_t i = kChannels; i < size_t(width_) * kChannels; ++i) at[i] += at[i - kChannels];
        }
    }
    std::array<float, kChannels> at(int row, int x) const {
        std::array<float, kChannels> out;
        for (size_t k = 0; k < kChannels; ++k) out[k] = float(sums_[index(row, x) + k]) * (1.0f / kUnit);
        return out;
    }

  private:
    size_t index(int row, int x) const { return (size_t(row) * size_t(width_ + 2) + size_t(x)) * kChannels; }
    void change(int row, float x, const std::array<int64_t, kChannels>& whole, int64_t sign) {
        x = std::clamp(x, 0.0f, float(width_));
        const int i = int(x);
        const float rest = x - float(i);  // of the change comes a pixel later
        int64_t* at = &sums_[index(row, i)];
        for (size_t k = 0; k < kChannels; ++k) {
            const auto later = int64_t(double(whole[k]) * double(rest));
            at[k] += sign * (whole[k] - later);
            at[k + kChannels] += sign * later;
        }
    }
    int width_;
    std::vector<int64_t> sums_;
};

class DepthBlur {
  public:
    DepthBlur(std::vector<V3f>& light, std::vector<float>& alpha, const std::vector<float>& depth, int width,
              int height, const LensBlur& lens, Progress& progress)
        : light_(light), alpha_(alpha), width_(width), height_(height), radius_(depth.size()) {
        parallelFor(depth.size(), progress, [&](size_t i) { radius_[i] = lens.radiusAt(depth[i]); });
        const auto [low, high] = std::minmax_element(radius_.begin(), radius_.end());
        low_ = *low;
        layers_ = std::clamp(int(std::ceil((*high - *low) / 0.5f)), 1, std::max(1, lens.layers));
        step_ = std::max(1e-6f, (*high - *low) / float(layers_));
        reach_ = int(std::ceil(std::max(std::abs(*low), std::abs(*high))));
        for (int k = 0; k <= int(std::ceil(float(reach_) * kSteps)); ++k)
            discs_.push_back(discOf(lens, float(k) / kSteps));
    }
    void run(Progress& progress) {
        std::vector<V3f> out(light_.size());
        std::vector<float> outAlpha(light_.size());
        const int bands = (height_ + kBand - 1) / kBand;
        parallelEach(size_t(bands), progress, [&](size_t b) {
            band(int(b) * kBand, std::min(height_, int(b + 1) * kBand), out, outAlpha, progress);
        });
        light_ = std::move(out), alpha_ = std::move(outAlpha);
    }

  private:
    struct Over {
        V3f light{0, 0, 0};
        float alpha = 0, through = 1;
    };
    int layerOf(size_t i) const { return std::clamp(int((radius_[i] - low_) / step_), 0, layers_ - 1); }
    void band(int from, int to, std::vector<V3f>& out, std::vector<float>& outAlpha,
              Progress& progress) const {
        const auto byLayer = sorted(std::max(0, from - reach_), std::min(height_, to + reach_));
        std::vector<Over> over(size_t(to - from) * size_t(width_));
        BandSums sums(width_, to - from);
        for (const std::vector<uint32_t>& layer : byLayer) {  // the nearest first
            progress.check();
            if (layer.empty()) continue;
            sums.clear();
            for (const uint32_t i : layer) spread(i, from, to, sums);
            sums.gather(to - from);
            lay(sums, to - from, over);
        }
        for (size_t k = 0; k < over.size(); ++k) {
            const size_t i = size_t(from) * size_t(width_) + k;
            const float covered = 1.0f - over[k].through;
            out[i] = covered > 1e-4f ? over[k].light / covered : light_[i];
            outAlpha[i] = covered > 1e-4f ? over[k].alpha / covered : alpha_[i];
        }
    }
    std::vector<std::vector<uint32_t>> sorted(int from, int to) const {
        std::vector<std::vector<uint32_t>> out{size_t(layers_)};
        for (size_t i = size_t(from) * size_t(width_); i < size_t(to) * size_t(width_); ++i)
            out[size_t(layerOf(i))].push_back(uint32_t(i));
        return out;
    }
    void spread(uint32_t i, int from, int to, BandSums& sums) const {
        const int x = int(i % uint32_t(width_)), y = int(i / uint32_t(width_));
        const Disc& disc = discs_[size_t(std::lround(std::abs(radius_[i]) * kSteps))];
        const float part = 1.0f / disc.area;
        const V3f c = light_[i] * part;
        const std::array<float, BandSums::kChannels> value{c.x, c.y, c.z, alpha_[i] * part, part};
        for (const Disc::Row& row : disc.rows)
            if (y + row.y >= from && y + row.y < to)
                sums.addRow(y + row.y - from, float(x) + 0.5f + row.left, float(x) + 0.5f + row.right, value);
    }
    void lay(const BandSums& sums, int rows, std::vector<Over>& over) const {
        for (int y = 0; y < rows; ++y)
            for (int x = 0; x < width_; ++x) {
                const auto [r, g, b, a, cover] = sums.at(y, x);
                if (cover < 1e-6f) continue;
                Over& o = over[size_t(y) * size_t(width_) + size_t(x)];
                const float part = o.through * std::min(1.0f, cover);
                o.light += V3f(r, g, b) * (part / cover);
                o.alpha += a * (part / cover);
                o.through -= part;
            }
    }

    std::vector<V3f>& light_;
    std::vector<float>& alpha_;
    int width_, height_, layers_ = 1, reach_ = 0;
    float low_ = 0, step_ = 1;
    std::vector<float> radius_;  // signed
    std::vector<Disc> discs_;    // by their radius
};

/// The depth that half of what is seen of it is nearer than; nothing where it is not seen.
float depthOf(const PictureWork& work, const std::string& id, const std::vector<float>& depth) {
    const std::vector<float> matte = work.matte({id});
    std::vector<float> own;
    for (size_t i = 0; i < matte.size(); ++i)
        if (matte[i] > 0.5f && depth[i] > 0) own.push_back(depth[i]);
    if (own.empty()) return 0;
    std::nth_element(own.begin(), own.begin() + std::ptrdiff_t(own.size() / 2), own.end());
    return own[own.size() / 2];
}

void blur(PictureWork& work) {
    const ResolvedParams& p = work.params;
    const std::vector<float> depth = work.depth();
    const CameraOptions& camera = work.setting.camera;
    const Camera own(camera, float(work.setting.passes.width()) / float(work.setting.passes.height()));
    LensBlur lens;
    lens.focus = p[kDepthOfField.focus] > 0 ? float(p[kDepthOfField.focus]) : own.focus();
    if (const std::string& id = p[kDepthOfField.focusOn]; !id.empty()) {
        const float at = depthOf(work, id, depth);
        if (at > 0)
            lens.focus = at;
        else
            work.notes.emplace_back("what it shall focus on is not in the picture");
    }
    if (camera.fstop > 0)
        work.notes.emplace_back("the camera has blurred the picture already: set its f-stop to 0");
    const double wholeWidth = work.wholeHeight() * work.setting.passes.width() / work.setting.passes.height();
    lens.strength = lensStrength(camera, float(p[kDepthOfField.fstop]), lens.focus) * float(wholeWidth);
    lens.zone = float(p[kDepthOfField.zone]);
    lens.most = work.pixels(p[kDepthOfField.most]);
    lens.blades = int(p[kDepthOfField.blades]), lens.turn = radians(float(p[kDepthOfField.turn]));
    lens.roundness = float(p[kDepthOfField.roundness]);
    lens.gain = float(p[kDepthOfField.gain]), lens.threshold = float(p[kDepthOfField.threshold]);
    if (work.setting.draft) lens.layers = 12;
    blurByDepth(work.light, work.alpha, depth, work.width, work.height, lens, work.progress);
}

}  // namespace

float LensBlur::radiusAt(float depth) const {
    float s = 1.0f;
    if (depth > 0) {
        const float off = depth - focus;
        const float away = std::copysign(std::max(0.0f, std::abs(off) - 0.5f * zone), off);
        s = away / std::max(1e-6f, focus + away);
    }
    return std::clamp(0.5f * strength * s, -most, most);
}

float lensStrength(const CameraOptions& camera, float fstop, float focus) {
    const float focal = camera.focal / 1000.0f, film = camera.film / 1000.0f;
    return focal * focal / std::max(1e-9f, fstop * film * focus);
}

void blurByDepth(std::vector<V3f>& light, std::vector<float>& alpha, const std::vector<float>& depth,
                 int width, int height, const LensBlur& lens, Progress& progress) {
    if (light.empty()) return;
    if (lens.gain > 0)
        for (size_t i = 0; i < light.size(); ++i)
            if (const float l = luminance(light[i]);
                l > lens.threshold && std::abs(lens.radiusAt(depth[i])) > 1)
                light[i] *=
                    1.0f + lens.gain * std::min(1.0f, (l - lens.threshold) / (lens.threshold + 1e-3f));
    DepthBlur(light, alpha, depth, width, height, lens, progress).run(progress);
}

StepType depthOfFieldStep() {
    return pictureStep("depth_of_field", "Depth of field",
                       "Blurs what is nearer and farther than the focus, by the true distances",
                       kDepthOfField, blur);
}

}  // namespace ovrix::render
