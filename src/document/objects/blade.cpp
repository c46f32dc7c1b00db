#include "document/objects/blade.h"

#include "document/types/common.h"
#include "geo/mesh/primitives.h"
#include "params/number_text.h"
#include "params/param_table.h"
#include "params/starting.h"

namespace ovrix::document {

using namespace specs;

namespace {

const struct BladeParams : ParamTable {
    Handle<double> height = add(number("height", "Height", starting(BladeOptions{}.height), "m", 1e-5, 1e4,
                                       0.02, 2, "Along the blade"));
    Handle<double> width = add(number("width", "Width", starting(BladeOptions{}.width), "m", 1e-6, 1e3, 0.002,
                                      0.3, "Where it is widest"));
    Handle<Curve> profile = add(specs::profile("profile", "Profile", {{0, 0.6f}, {0.3f, 1}, {1, 0}},
                                               "Width from foot to tip, as a fraction of the widest"));
    Handle<int64_t> segments = add(whole("segments", "Segments", starting(BladeOptions{}.segments), 1, 256, 3,
                                         32, "Faces along the blade"));
    Handle<double> bend = add(number("bend", "Bend", startingDegrees(BladeOptions{}.bend), "deg", -720, 720,
                                     0, 120, "Leans over evenly from foot to tip"));
    Handle<double> curl = add(number("curl", "Curl", startingDegrees(BladeOptions{}.curl), "deg", -1440, 1440,
                                     -180, 360, "Rolls in towards the tip"));
    Handle<double> twist = add(number("twist", "Twist", startingDegrees(BladeOptions{}.twist), "deg", -1440,
                                      1440, -180, 180, "Turns about itself"));
    Handle<double> wave = add(number("wave", "Wave", startingDegrees(BladeOptions{}.wave), "deg", 0, 180, 0,
                                     45, "Sways to the sides along its length"));
    Handle<double> fold =
        add(unitNumber("fold", "Fold", starting(BladeOptions{}.fold), "Raises both edges, like a gutter"));
    Handle<int64_t> blades = add(whole("blades", "Blades", starting(BladeOptions{}.blades), 1, 512, 1, 40,
                                       "More make a tuft, each a little different"));
    Handle<double> spread = add(number("spread", "Spread", starting(BladeOptions{}.spread), "m", 0, 1e3, 0,
                                       0.3, "Radius of the tuft's foot"));
    Handle<int64_t> columns = add(whole("columns", "Atlas columns", starting(BladeOptions{}.columns), 1, 64,
                                        1, 8, "Pictures side by side in the blade's image"));
    Handle<int64_t> rows = add(whole("rows", "Atlas rows", starting(BladeOptions{}.rows), 1, 64, 1, 8,
                                     "Pictures above each other in it"));
    Handle<std::string> pictures =
        add({.id = "pictures",
             .title = "Pictures",
             .type = ParamType::Cells,
             .initial = std::string(),
             .help = "Those that the blades take in turn, counted from the upper left; all where none "
                     "is named"});
    Handle<int64_t> seed = add(whole("seed", "Seed", starting(BladeOptions{}.seed), 0, 4294967295.0, 0, 100,
                                     "Another number, another tuft"));
    ObjectParams object{*this};
} kBlade;

}  // namespace

static BladeOptions bladeOptionsOf(const ResolvedParams& p) {
    BladeOptions o;
    const auto number = [&](const Handle<double>& h) { return float(p[h]); };
    const auto whole = [&](const Handle<int64_t>& h) { return int(p[h]); };
    o.height = number(kBlade.height), o.width = number(kBlade.width);
    o.profile = p[kBlade.profile];
    o.segments = whole(kBlade.segments);
    o.bend = radians(number(kBlade.bend)), o.curl = radians(number(kBlade.curl));
    o.twist = radians(number(kBlade.twist)), o.wave = radians(number(kBlade.wave));
    o.fold = number(kBlade.fold);
    o.blades = whole(kBlade.blades), o.spread = number(kBlade.spread);
    o.columns = whole(kBlade.columns), o.rows = whole(kBlade.rows);
    o.cells = cellsFromText(p[kBlade.pictures], o.columns * o.rows);
    o.seed = uint32_t(p[kBlade.seed]);
    return o;
}

NodeType bladeType() {
    return {.id = "blade",
            .title = "Blade",
            .category = Category::Object,
            .help = "A blade of grass, a leaf or a frond, or a tuft of them",
            .params = kBlade.specs(),
            .make = [](const ObjectInput& in) { return ObjectShape{makeBlades(bladeOptionsOf(in.params))}; },
            .problem = flatness};
}

}  // namespace ovrix::document
