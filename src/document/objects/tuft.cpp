#include "document/objects/tuft.h"

#include "document/types/common.h"
#include "geo/strands/strands.h"
#include "geo/strands/tuft.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::document {

using namespace specs;

namespace {

const struct TuftParams : ParamTable {
    Handle<int64_t> strands =
        add(whole("strands", "Strands", starting(TuftOptions{}.strands), 1, 4096, 1, 60, "In one tuft"));
    Handle<double> height = add(number("height", "Height", starting(TuftOptions{}.height), "m", 1e-6, 1e4,
                                       0.002, 0.5, "Of the tallest"));
    Handle<double> vary = add(unitNumber("vary", "Height varies", starting(TuftOptions{}.vary),
                                         "Fraction by which others are lower"));
    Handle<double> foot = add(number("foot", "Foot", starting(TuftOptions{}.foot), "m", 0, 1e4, 0, 0.05,
                                     "Radius over which they start"));
    Handle<double> open = add(number("open", "Open", startingDegrees(TuftOptions{}.open), "deg", 0, 180, 0,
                                     90, "How far they lean outward"));
    Handle<double> radius = add(number("radius", "Spiral", starting(TuftOptions{}.radius), "m", 0, 1e4, 0,
                                       0.05, "Radius of their spirals; 0 is straight"));
    Handle<double> radiusVary =
        add(unitNumber("radius_vary", "Spiral varies", starting(TuftOptions{}.radiusVary),
                       "Fraction by which some are narrower"));
    Handle<double> turns = add(number("turns", "Turns", starting(TuftOptions{}.turns), "", 0, 1e3, 0, 10,
                                      "Of a spiral, from root to tip"));
    Handle<double> turnsVary = add(unitNumber("turns_vary", "Turns vary", starting(TuftOptions{}.turnsVary),
                                              "Fraction by which some have fewer"));
    Handle<double> pinch =
        add(unitNumber("pinch", "Pinch", starting(TuftOptions{}.pinch), "1 draws all tips together"));
    Handle<double> trim = add(unitNumber("trim", "Trim", starting(TuftOptions{}.trim),
                                         "Fraction of the height that is cut off level"));
    Handle<double> distortion = add(number("distortion", "Distortion", starting(TuftOptions{}.distortion),
                                           "m", 0, 1e4, 0, 0.05, "Irregular bends"));
    Handle<int64_t> segments = add(whole("segments", "Segments", starting(TuftOptions{}.segments), 1, 512, 3,
                                         48, "Pieces of each strand"));
    Handle<double> rootWidth =
        add(number("root_width", "Root width", startingMillimetres(TuftOptions{}.rootWidth), "mm", 0, 1e6,
                   0.01, 10, "Across at the root"));
    Handle<double> tipWidth =
        add(number("tip_width", "Tip width", startingMillimetres(TuftOptions{}.tipWidth), "mm", 0, 1e6, 0, 10,
                   "Across at the tip"));
    Handle<std::string> form =
        add(choice("form", "Form", "flat", {"flat", "round"}, "Ribbons that face the eye, or round strands"));
    Handle<int64_t> seed = add(whole("seed", "Seed", starting(TuftOptions{}.seed), 0, 4294967295.0, 0, 100,
                                     "Another number, another tuft"));
    ObjectParams object{*this};
} kTuft;

}  // namespace

static TuftOptions tuftOptionsOf(const ResolvedParams& p) {
    const auto number = [&](const Handle<double>& h) { return float(p[h]); };
    TuftOptions o;
    o.strands = int(p[kTuft.strands]), o.segments = int(p[kTuft.segments]);
    o.height = number(kTuft.height), o.vary = number(kTuft.vary), o.foot = number(kTuft.foot);
    o.open = radians(number(kTuft.open));
    o.radius = number(kTuft.radius), o.radiusVary = number(kTuft.radiusVary);
    o.turns = number(kTuft.turns), o.turnsVary = number(kTuft.turnsVary);
    o.pinch = number(kTuft.pinch), o.trim = number(kTuft.trim), o.distortion = number(kTuft.distortion);
    o.rootWidth = 0.001f * number(kTuft.rootWidth), o.tipWidth = 0.001f * number(kTuft.tipWidth);
    o.round = p[kTuft.form] == "round";
    o.seed = uint32_t(p[kTuft.seed]);
    return o;
}

NodeType tuftType() {
    return {.id = "tuft",
            .title = "Tuft",
            .category = Category::Object,
            .help = "A handful of strands that a layer copies as one",
            .params = kTuft.specs(),
            .make =
                [](const ObjectInput& in) {
                    ObjectShape out;  // its mesh, for drawing and keeping apart, has few sides
                    out.strands = makeTuft(tuftOptionsOf(in.params));
                    out.mesh = tubesOf(*out.strands, 3, 0.001f);
                    return out;
                },
            .problem = flatness};
}

}  // namespace ovrix::document
