// Blur of what moves, by the motion of each pixel.
#include <algorithm>

#include "base/parallel.h"
#include "base/random.h"
#include "render/finish/steps/finish_steps.h"

namespace ovrix::render {

using namespace specs;

namespace {

const struct MotionBlurParams : ParamTable {
    Handle<double> length = add(number("length", "Length", 0.5, "", 0, 100, 0, 1,
                                       "Of the way that things go in a frame, the part that is smeared"));
    Handle<double> most = add(
        number("most", "At most", 10, "%", 0.1, 50, 1, 20, "No smear is longer, of the picture's height"));
    PictureMask mask{*this};
} kMotionBlur;

/// Of squares of pixels and those around them the longest motion.
class LongestAround {
  public:
    LongestAround(const std::vector<V2f>& motion, int width, int height, int side)
        : side_(side), columns_((width + side - 1) / side), rows_((height + side - 1) / side) {
        std::vector<V2f> own(size_t(columns_) * size_t(rows_), V2f(0.0f));
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x) {
                const V2f v = motion[size_t(y) * size_t(width) + size_t(x)];
                V2f& most = own[size_t(y / side) * size_t(columns_) + size_t(x / side)];
                if (v.length2() > most.length2()) most = v;
            }
        around_ = own;
        for (int r = 0; r < rows_; ++r)
            for (int c = 0; c < columns_; ++c)
                for (int j = std::max(0, r - 1); j <= std::min(rows_ - 1, r + 1); ++j)
                    for (int i = std::max(0, c - 1); i <= std::min(columns_ - 1, c + 1); ++i) {
                        const V2f v = own[size_t(j) * size_t(columns_) + size_t(i)];
                        V2f& most = around_[size_t(r) * size_t(columns_) + size_t(c)];
                        if (v.length2() > most.length2()) most = v;
                    }
    }
    V2f at(int x, int y) const { return around_[size_t(y / side_) * size_t(columns_) + size_t(x / side_)]; }

  private:
    int side_, columns_, rows_;
    std::vector<V2f> around_;
};

/// 1 where a smear of that length reaches, soft at its end.
float reaches(float distance, float length) {
    return std::clamp(1.0f - distance / std::max(1e-3f, length), 0.0f, 1.0f);
}

/// Whether a depth lies in front of another, soft over a hundredth of it; 0 is infinitely far.
float inFront(float depth, float other) {
    if (!(depth > 0)) return other > 0 ? 0.0f : 1.0f;
    if (!(other > 0)) return 1.0f;
    return std::clamp(1.0f - (depth - other) / (0.01f * other), 0.0f, 1.0f);
}

/// McGuire et al., "A reconstruction filter for plausible motion blur", I3D 2012,
/// doi:10.1145/2159616.2159639; here the smear lies behind what moves, as the shutter sees it.
void smear(PictureWork& work) {
    const ResolvedParams& p = work.params;
    const auto planes = work.planes(Pass::Motion);
    const std::vector<float> depth = work.depth();
    const float scale = float(double(work.width) / std::max(1e-6, work.window.width) * p[kMotionBlur.length]);
    const float most = std::max(1.0f, work.pixels(p[kMotionBlur.most]));
    std::vector<V2f> motion(work.count());
    float longest = 0;
    for (size_t i = 0; i < motion.size(); ++i) {
        V2f v = V2f(planes[0][i], planes[1][i]) * scale;
        if (const float l = v.length(); l > most) v *= most / l;
        motion[i] = v;
        longest = std::max(longest, v.length());
    }
    if (longest < 0.5f) {
        work.notes.emplace_back("nothing moves in this picture");
        return;
    }
    const LongestAround around(motion, work.width, work.height, int(std::ceil(longest)));
    const std::vector<V3f> from = work.light;
    const int taps = work.setting.draft ? 12 : std::clamp(int(longest * 1.5f), 16, 96);
    parallelFor(work.count(), work.progress, [&](size_t i) {
        const int x = int(i % size_t(work.width)), y = int(i / size_t(work.width));
        const V2f way = around.at(x, y);
        const float length = way.length();
        if (length < 0.5f) return;
        // Another place within each step in each pixel, so that steps are not seen.
        const float shift = random4(1, i, Stream::Field)[0];
        const float own = motion[i].length();
        float sum = 1.0f / (1.0f + own);  // what stands still counts as a whole pixel
        V3f light = from[i] * sum;
        for (int k = 0; k < taps; ++k) {
            const float t = (float(k) + shift) / float(taps), off = t * length;
            const V2f at = V2f(float(x), float(y)) + way * t;
            const int u = std::clamp(int(std::lround(at.x)), 0, work.width - 1),
                      v = std::clamp(int(std::lround(at.y)), 0, work.height - 1);
            const size_t j = work.indexOf(u, v);
            const float other = motion[j].length();
            // What moves in front of it smears over it; behind what moves here more of the ground is seen.
            float w = inFront(depth[j], depth[i]) * reaches(off, other) * (1.0f / (1.0f + other)) +
                      inFront(depth[i], depth[j]) * reaches(off, own) * (1.0f / (1.0f + own));
            w *= length / float(taps);
            light += from[j] * w;
            sum += w;
        }
        work.light[i] = light / sum;
    });
}

}  // namespace

StepType motionBlurStep() {
    return pictureStep("motion_blur", "Motion blur", "Smears what moves along its way, by the pass of motion",
                       kMotionBlur, smear);
}

}  // namespace ovrix::render
