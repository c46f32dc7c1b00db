// Steps on pictures that change the light of each pixel by itself.
#include <algorithm>

#include "base/parallel.h"
#include "base/srgb.h"
#include "params/oklab.h"
#include "render/finish/steps/finish_steps.h"
#include "render/light/black_body.h"

namespace ovrix::render {

using namespace specs;

namespace {

template <class Change>
void eachPixel(PictureWork& work, const Change& change) {
    parallelFor(work.count(), work.progress, [&](size_t i) { work.light[i] = change(work.light[i]); });
}

template <class Change>
V3f eachOf(const V3f& c, const Change& change) {
    return {change(c.x), change(c.y), change(c.z)};
}

const struct LightGroupParams : ParamTable {
    Handle<std::string> group = add(text("group", "Group", "", "The light group whose light is changed"));
    Handle<double> stops =
        add(number("stops", "Strength", 0, "EV", -30, 30, -4, 4, "Each doubles the light of the group"));
    Handle<Color> color = add(specs::color("color", "Colour", Color(1.0f), false, "A factor on its light"));
    PictureMask mask{*this};
} kLightGroup;

const struct ExposureParams : ParamTable {
    Handle<double> stops = add(number("stops", "Stops", 0, "EV", -30, 30, -4, 4, "Each doubles the light"));
    PictureMask mask{*this};
} kExposure;

const struct WhiteBalanceParams : ParamTable {
    Handle<double> temperature = add(number("temperature", "Light was", 6500, "K", 1000, 40000, 2500, 12000,
                                            "The heat of the light that shall be white: 3200 a lamp, 6500 "
                                            "an overcast day"));
    Handle<double> tint = add(number("tint", "Tint", 0, "EV", -4, 4, -1, 1,
                                     "Green that is taken out, or put in below 0, in stops"));
    PictureMask mask{*this};
} kWhiteBalance;

const struct LevelsParams : ParamTable {
    Handle<double> black = add(number("black", "Black", 0, "", -10, 10, 0, 0.5, "Light that becomes black"));
    Handle<double> white =
        add(number("white", "White", 1, "", -10, 1000, 0.2, 4, "Light that becomes white"));
    Handle<double> gamma = add(number("gamma", "Middle", 1, "", 0.01, 100, 0.3, 3,
                                      "Brightens what lies between, or darkens it below 1"));
    Handle<double> lowest =
        add(number("lowest", "Black becomes", 0, "", -10, 10, 0, 0.5, "How bright black is made"));
    Handle<double> highest =
        add(number("highest", "White becomes", 1, "", -10, 1000, 0.5, 2, "How bright white is made"));
    PictureMask mask{*this};
} kLevels;

const struct CurvesParams : ParamTable {
    static ParamSpec curve(const char* id, const char* title) {
        return profile(
            id, title, {{0, 0}, {1, 1}},
            "From dark to white as it is seen, to what it becomes; brighter light goes on from white");
    }
    Handle<Curve> all = add(curve("all", "All"));
    Handle<Curve> red = add(curve("red", "Red"));
    Handle<Curve> green = add(curve("green", "Green"));
    Handle<Curve> blue = add(curve("blue", "Blue"));
    PictureMask mask{*this};
} kCurves;

const struct HueParams : ParamTable {
    Handle<double> hue = add(number("hue", "Hue", 0, "deg", -360, 360, -180, 180, "Turns colours round"));
    Handle<double> saturation =
        add(number("saturation", "Saturation", 1, "", 0, 100, 0, 2, "0 leaves grey, 2 doubles it"));
    Handle<double> lightness =
        add(number("lightness", "Lightness", 0, "EV", -30, 30, -2, 2, "Stops, of these colours"));
    Handle<double> around =
        add(number("around", "Around", 0, "deg", -360, 360, 0, 360,
                   "The hue that is changed: 30 is red, 110 yellow, 140 green, 260 blue"));
    Handle<double> width = add(number("width", "Width", 360, "deg", 1, 360, 10, 360,
                                      "Hues that are changed, about that one; 360 is all"));
    PictureMask mask{*this};
} kHue;

const struct GradeParams : ParamTable {
    Handle<V3f> slope =
        add(specs::vector("slope", "Slope", V3d(1, 1, 1), "", 2, "Factors on red, green and blue"));
    Handle<V3f> offset = add(specs::vector("offset", "Offset", V3d(0, 0, 0), "", 0.2, "Added to them"));
    Handle<V3f> power =
        add(specs::vector("power", "Power", V3d(1, 1, 1), "", 2, "Exponents: above 1 darkens the middle"));
    Handle<double> saturation =
        add(number("saturation", "Saturation", 1, "", 0, 100, 0, 2, "0 leaves grey, 2 doubles it"));
    PictureMask mask{*this};
} kGrade;

/// Values of a curve over light as it is seen, to be looked up.
class CurveTable {
  public:
    explicit CurveTable(const Curve& curve) : same_(curve.isIdentity()) {
        for (size_t k = 0; k < kSize; ++k) value_[k] = decodeSrgb(curve.at(float(k) / float(kSize - 1)));
    }
    float at(float light) const {
        if (same_) return light;
        if (light >= 1.0f) return value_.back() * light;
        const float x = encodeSrgb(std::max(0.0f, light)) * float(kSize - 1);
        const size_t k = std::min(size_t(x), kSize - 2);
        return lerp(value_[k], value_[k + 1], x - float(k));
    }

  private:
    static constexpr size_t kSize = 2049;
    bool same_;
    std::array<float, kSize> value_;
};

/// 1 at the hue, 0 outside of the width, soft over the outer half of it.
float hueWeight(float degreesOff, float width) {
    if (width >= 360.0f) return 1.0f;
    const float off = std::abs(degreesOff - 360.0f * std::round(degreesOff / 360.0f)) / (0.5f * width);
    const float t = std::clamp(2.0f * (1.0f - off), 0.0f, 1.0f);
    return t * t * (3.0f - 2.0f * t);
}

void changeHues(PictureWork& work) {
    const ResolvedParams& p = work.params;
    const float turn = radians(float(p[kHue.hue])), saturation = float(p[kHue.saturation]),
                gain = std::exp2(float(p[kHue.lightness])), around = float(p[kHue.around]),
                width = float(p[kHue.width]);
    eachPixel(work, [&](const V3f& c) {
        const V3f lab = toOklab(c);
        const float chroma = std::hypot(lab.y, lab.z), hue = std::atan2(lab.z, lab.y);
        // Greys have no hue that would be meant.
        const float colored = width >= 360.0f ? 1.0f : chroma / (chroma + 0.02f * std::abs(lab.x) + 1e-9f);
        const float w = hueWeight(degrees(hue) - around, width) * colored;
        const float a = hue + turn * w, r = chroma * lerp(1.0f, saturation, w);
        return fromOklab({lab.x, r * std::cos(a), r * std::sin(a)}) * lerp(1.0f, gain, w);
    });
}

/// By the open Colour Decision List of the cinematographers' society: slope, offset, power, saturation.
void grade(PictureWork& work) {
    const ResolvedParams& p = work.params;
    const V3f slope = p[kGrade.slope], offset = p[kGrade.offset], power = p[kGrade.power];
    const float saturation = float(p[kGrade.saturation]);
    eachPixel(work, [&](const V3f& c) {
        V3f out;
        for (int k = 0; k < 3; ++k)
            out[k] = std::pow(std::max(0.0f, c[k] * slope[k] + offset[k]), std::max(1e-3f, power[k]));
        const V3f grey(luminance(out));
        return grey + (out - grey) * saturation;
    });
}

void setLevels(PictureWork& work) {
    const ResolvedParams& p = work.params;
    const float black = float(p[kLevels.black]), span = float(p[kLevels.white] - p[kLevels.black]),
                power = 1.0f / float(p[kLevels.gamma]), low = float(p[kLevels.lowest]),
                high = float(p[kLevels.highest]);
    const float by = std::abs(span) < 1e-6f ? 1e6f : 1.0f / span;
    eachPixel(work, [&](const V3f& c) {
        return eachOf(c, [&](float x) {
            return low + (high - low) * std::pow(std::max(0.0f, (x - black) * by), power);
        });
    });
}

V3f toCones(const V3f& c) {
    const V3f xyz(0.4123908f * c.x + 0.3575843f * c.y + 0.1804808f * c.z,
                  0.2126390f * c.x + 0.7151687f * c.y + 0.0721923f * c.z,
                  0.0193308f * c.x + 0.1191948f * c.y + 0.9505322f * c.z);
    return {0.8951f * xyz.x + 0.2664f * xyz.y - 0.1614f * xyz.z,
            -0.7502f * xyz.x + 1.7135f * xyz.y + 0.0367f * xyz.z,
            0.0389f * xyz.x - 0.0685f * xyz.y + 1.0296f * xyz.z};
}

V3f fromCones(const V3f& c) {
    const V3f xyz(0.9869929f * c.x - 0.1470543f * c.y + 0.1599627f * c.z,
                  0.4323053f * c.x + 0.5183603f * c.y + 0.0492912f * c.z,
                  -0.0085287f * c.x + 0.0400428f * c.y + 0.9684867f * c.z);
    return {3.2409699f * xyz.x - 1.5373832f * xyz.y - 0.4986108f * xyz.z,
            -0.9692436f * xyz.x + 1.8759675f * xyz.y + 0.0415551f * xyz.z,
            0.0556301f * xyz.x - 0.2039770f * xyz.y + 1.0569715f * xyz.z};
}

/// Factors on the cones, and on green.
struct BalanceGains {
    V3f cones;
    float green;
    explicit BalanceGains(const WhiteBalance& b) {
        const V3f neutral = toCones(V3f(blackBody(6500.0f))),
                  lit = toCones(V3f(blackBody(float(b.temperature))));
        cones = V3f(neutral.x / lit.x, neutral.y / lit.y, neutral.z / lit.z);
        green = std::exp2(-float(b.tint));
    }
    V3f operator()(const V3f& light) const {
        V3f c = fromCones(toCones(light) * cones);
        c.y *= green;
        return c;
    }
};

}  // namespace

V3f balanced(const V3f& light, const WhiteBalance& balance) { return BalanceGains(balance)(light); }

WhiteBalance balanceOf(const V3f& light) {
    WhiteBalance b;
    if (!(light.x > 0 && light.y > 0 && light.z > 0)) return b;
    // Hotter light is bluer: halve until red and blue are alike; the rest is green's.
    double low = std::log(1000.0), high = std::log(40000.0);
    for (int i = 0; i < 48; ++i) {
        b.temperature = std::exp(0.5 * (low + high));
        const V3f c = balanced(light, b);
        (c.x > c.z ? high : low) = std::log(b.temperature);
    }
    const V3f c = balanced(light, b);
    const float mean = 0.5f * (c.x + c.z);
    b.tint = c.y > 0 && mean > 0 ? std::clamp(double(std::log2(c.y / mean)), -4.0, 4.0) : 0.0;
    return b;
}

StepType lightGroupStep() {
    return pictureStep(
        "light_group", "Light group",
        "Makes the light of a group of lights stronger, weaker or of another colour, without "
        "rendering again",
        kLightGroup, [](PictureWork& work) {
            const ResolvedParams& p = work.params;
            const std::vector<V3f> light = work.groupLight(p[kLightGroup.group]);
            const V3f more = V3f(p[kLightGroup.color]) * std::exp2(float(p[kLightGroup.stops])) - V3f(1.0f);
            parallelFor(work.count(), work.progress, [&](size_t i) { work.light[i] += light[i] * more; });
        });
}

StepType exposureStep() {
    return pictureStep("exposure", "Exposure", "Brighter or darker by stops", kExposure,
                       [](PictureWork& work) {
                           const float gain = std::exp2(float(work.params[kExposure.stops]));
                           eachPixel(work, [&](const V3f& c) { return c * gain; });
                       });
}

StepType whiteBalanceStep() {
    return pictureStep("white_balance", "White balance",
                       "Makes the light of a lamp or of a day white, and all else with it", kWhiteBalance,
                       [](PictureWork& work) {
                           const BalanceGains gains(
                               {work.params[kWhiteBalance.temperature], work.params[kWhiteBalance.tint]});
                           eachPixel(work, [&](const V3f& c) { return gains(c); });
                       });
}

StepType levelsStep() {
    return pictureStep("levels", "Levels", "Where black, white and the middle lie", kLevels, setLevels);
}

StepType curvesStep() {
    return pictureStep("curves", "Curves", "Light by curves, of all and of each colour", kCurves,
                       [](PictureWork& work) {
                           const ResolvedParams& p = work.params;
                           const CurveTable all(p[kCurves.all]), red(p[kCurves.red]), green(p[kCurves.green]),
                               blue(p[kCurves.blue]);
                           eachPixel(work, [&](const V3f& c) {
                               return V3f(red.at(all.at(c.x)), green.at(all.at(c.y)), blue.at(all.at(c.z)));
                           });
                       });
}

StepType hueStep() {
    return pictureStep("hue", "Hue and saturation", "Turns, strengthens and lightens all colours or some",
                       kHue, changeHues);
}

StepType gradeStep() {
    return pictureStep("grade", "Grade", "Slope, offset, power and saturation, of all or where the mask says",
                       kGrade, grade);
}

}  // namespace ovrix::render
