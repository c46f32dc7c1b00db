#include "document/objects/tuft.h"

#include "document/types/common.h"
#include "geo/strands/strands.h"
#include "geo/strands/tuft.h"

namespace ovrix::document {

using namespace specs;

static TuftOptions optionsOf(const ResolvedParams& p) {
    const auto number = [&](const char* id) { return float(p.number(id)); };
    TuftOptions o;
    o.strands = int(p.integer("strands")), o.segments = int(p.integer("segments"));
    o.height = number("height"), o.vary = number("vary"), o.foot = number("foot");
    o.open = radians(number("open"));
    o.radius = number("radius"), o.radiusVary = number("radius_vary");
    o.turns = number("turns"), o.turnsVary = number("turns_vary");
    o.pinch = number("pinch"), o.trim = number("trim"), o.distortion = number("distortion");
    o.rootWidth = 0.001f * number("root_width"), o.tipWidth = 0.001f * number("tip_width");
    o.round = p.text("form") == "round";
    o.seed = uint32_t(p.integer("seed"));
    return o;
}

NodeType tuftType() {
    return {
        .id = "tuft",
        .title = "Tuft",
        .category = Category::Object,
        .help = "A handful of strands that a layer copies as one",
        .params = Specs{whole("strands", "Strands", 7, 1, 4096, 1, 60, "In one tuft"),
                        number("height", "Height", 0.03, "m", 1e-6, 1e4, 0.002, 0.5, "Of the tallest"),
                        unitNumber("vary", "Height varies", 0.3, "Part by which others are lower"),
                        number("foot", "Foot", 0.004, "m", 0, 1e4, 0, 0.05, "Radius over which they start"),
                        number("open", "Open", 20, "deg", 0, 180, 0, 90, "How far they lean outward"),
                        number("radius", "Spiral", 0.003, "m", 0, 1e4, 0, 0.05,
                               "Radius of their spirals; 0 is straight"),
                        unitNumber("radius_vary", "Spiral varies", 0.4, "Part by which some are narrower"),
                        number("turns", "Turns", 2, "", 0, 1e3, 0, 10, "Of a spiral, from root to tip"),
                        unitNumber("turns_vary", "Turns vary", 0.4, "Part by which some have fewer"),
                        unitNumber("pinch", "Pinch", 0, "1 draws all tips together"),
                        unitNumber("trim", "Trim", 0, "Part of the height that is cut off level"),
                        number("distortion", "Distortion", 0.002, "m", 0, 1e4, 0, 0.05, "Irregular bends"),
                        whole("segments", "Segments", 12, 1, 512, 3, 48, "Pieces of each strand"),
                        number("root_width", "Root width", 0.6, "mm", 0, 1e6, 0.01, 10, "Across at the root"),
                        number("tip_width", "Tip width", 0.1, "mm", 0, 1e6, 0, 10, "Across at the tip"),
                        choice("form", "Form", "flat", {"flat", "round"},
                               "Ribbons that face the eye, or round strands"),
                        whole("seed", "Seed", 1, 0, 4294967295.0, 0, 100, "Another number, another tuft")} +
                  objectTail(),
        .make = [](const ObjectInput& in) {
            ObjectShape out;  // its mesh, for drawing and keeping apart, has few sides
            out.strands = makeTuft(optionsOf(in.params));
            out.mesh = tubesOf(*out.strands, 3, 0.001f);
            return out;
        }};
}

}  // namespace ovrix::document
