#include <cmath>

#include "field/band.h"
#include "field/sources.h"
#include "params/param_table.h"

namespace ovrix::field {

using namespace specs;

namespace {

ParamSpec softAngle() {
    return number("soft", "Soft edge", 8, "deg", 0, 180, 0, 45,
                  "Width of the passage from 0 to 1, half on each side of the limit");
}

const struct SlopeParams : ParamTable {
    Handle<Range> range =
        add(specs::range("range", "Between", Range{0, 35}, "deg", 0, 180, 0, 180, "Angles that pass"));
    Handle<double> soft = add(softAngle());
    Handle<std::string> up = add(choice("up", "Up is", "world", {"world", "object"},
                                        "Measured from the world's Y or from the surface's own"));
} kSlope;

const struct FacingParams : ParamTable {
    Handle<V3f> direction = add(
        vector("direction", "Direction", V3d(0, 0, 1), "", 1, "Where it looks; its length does not matter"));
    Handle<Range> range = add(specs::range("range", "Between", Range{0, 60}, "deg", 0, 180, 0, 180,
                                           "Angles from the direction that pass"));
    Handle<double> soft = add(softAngle());
} kFacing;

/// Whether the angle between the normal and an axis lies between two limits.
struct Lean : SourceKernel {
    V3f axis{0, 1, 0};
    bool ofObject = false;  ///< the axis is the object's own up
    Band band;              // radians
    // Cosines between which it is surely 1, and beyond which it is surely 0: most angles need not be known.
    float allFrom = -INFINITY, allTo = INFINITY, noneBelow = -INFINITY, noneAbove = INFINITY;
    Lean(const V3f& a, const Range& degrees, double softDegrees) : axis(a) {
        // A limit at an end of the scale lets everything beyond it pass, soft edge or not.
        band = {degrees.min <= 0 ? -10.0f : radians(float(degrees.min)),
                degrees.max >= 180 ? 10.0f : radians(float(degrees.max)), radians(float(softDegrees))};
        const float half = 0.5f * std::max(0.0f, band.soft), sure = 1e-5f;
        const auto cosine = [](float angle) { return std::cos(std::clamp(angle, 0.0f, kPi)); };
        if (band.to - half < kPi) allFrom = cosine(band.to - half) + sure;
        if (band.from + half > 0.0f) allTo = cosine(band.from + half) - sure;
        if (band.to + half < kPi) noneBelow = cosine(band.to + half) - sure;
        if (band.from - half > 0.0f) noneAbove = cosine(band.from - half) + sure;
    }
    float at(float dot) const {
        const float cosine = std::clamp(dot, -1.0f, 1.0f);
        if (cosine >= allFrom && cosine <= allTo) return 1.0f;
        if (cosine <= noneBelow || cosine >= noneAbove) return 0.0f;
        return band.at(std::acos(cosine));
    }
    void evaluate(const Samples& s, std::span<float> out) const override {
        const auto normal = s.get(channel::normal);
        if (normal.empty()) return std::fill(out.begin(), out.end(), band.at(0.0f));
        const auto toObject = ofObject ? s.get(channel::toObject) : std::span<const M44f>();
        for (size_t i = 0; i < out.size(); ++i) {
            const V3f up = toObject.empty() ? axis : upOf(toObject[i]);
            out[i] = at(normal[i].dot(up));
        }
    }
    V3f upOf(const M44f& m) const {  // the way in which the object's own height rises
        const V3f up(m[0][1], m[1][1], m[2][1]);
        return up.length() > 0 ? up.normalized() : axis;
    }
};

}  // namespace

SourceType slopeSource() {
    return {
        .id = "slope",
        .title = "Slope",
        .help =
            "1 where the surface leans between two angles from up: 0 is level, 90 upright, 180 an overhang",
        .params = kSlope.specs(),
        .compile = [](const ResolvedParams& p, const FieldContext& context) {
            const V3f up = p[kSlope.up] == "object" ? context.objectUp : V3f(0, 1, 0);
            auto kernel = std::make_unique<Lean>(up, p[kSlope.range], p[kSlope.soft]);
            kernel->ofObject = p[kSlope.up] == "object";
            return kernel;
        }};
}

SourceType facingSource() {
    return {.id = "facing",
            .title = "Facing",
            .help = "1 where the surface looks in a direction: the side to the sea, the wind or the light",
            .params = kFacing.specs(),
            .compile = [](const ResolvedParams& p, const FieldContext&) {
                const V3f d = p[kFacing.direction];
                return std::make_unique<Lean>(d.length() > 0 ? d.normalized() : V3f(0, 1, 0),
                                              p[kFacing.range], p[kFacing.soft]);
            }};
}

}  // namespace ovrix::field
