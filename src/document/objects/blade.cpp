#include "document/objects/blade.h"

#include "document/types/common.h"
#include "geo/mesh/primitives.h"
#include "params/number_text.h"

namespace ovrix::document {

using namespace specs;

static BladeOptions optionsOf(const ResolvedParams& p) {
    BladeOptions o;
    const auto number = [&](const char* id) { return float(p.number(id)); };
    const auto whole = [&](const char* id) { return int(p.integer(id)); };
    o.height = number("height"), o.width = number("width");
    o.profile = p.profile("profile");
    o.segments = whole("segments");
    o.bend = radians(number("bend")), o.curl = radians(number("curl"));
    o.twist = radians(number("twist")), o.wave = radians(number("wave"));
    o.fold = number("fold");
    o.blades = whole("blades"), o.spread = number("spread");
    o.columns = whole("columns"), o.rows = whole("rows");
    o.cells = cellsFromText(p.text("pictures"), o.columns * o.rows);
    o.seed = uint32_t(p.integer("seed"));
    return o;
}

NodeType bladeType() {
    return {
        .id = "blade",
        .title = "Blade",
        .category = Category::Object,
        .help = "A blade of grass, a leaf or a frond, or a tuft of them",
        .params =
            Specs{number("height", "Height", 0.3, "m", 1e-5, 1e4, 0.02, 2, "Along the blade"),
                  number("width", "Width", 0.02, "m", 1e-6, 1e3, 0.002, 0.3, "Where it is widest"),
                  profile("profile", "Profile", {{0, 0.6f}, {0.3f, 1}, {1, 0}},
                          "Width from foot to tip, as a part of the widest"),
                  whole("segments", "Segments", 10, 1, 256, 3, 32, "Faces along the blade"),
                  number("bend", "Bend", 30, "deg", -720, 720, 0, 120, "Leans over evenly from foot to tip"),
                  number("curl", "Curl", 20, "deg", -1440, 1440, -180, 360, "Rolls in towards the tip"),
                  number("twist", "Twist", 15, "deg", -1440, 1440, -180, 180, "Turns about itself"),
                  number("wave", "Wave", 0, "deg", 0, 180, 0, 45, "Sways to the sides along its length"),
                  unitNumber("fold", "Fold", 0.15, "Raises both edges, like a gutter"),
                  whole("blades", "Blades", 1, 1, 512, 1, 40, "More make a tuft, each a little different"),
                  number("spread", "Spread", 0.03, "m", 0, 1e3, 0, 0.3, "Radius of the tuft's foot"),
                  whole("columns", "Atlas columns", 1, 1, 64, 1, 8,
                        "Pictures side by side in the blade's image"),
                  whole("rows", "Atlas rows", 1, 1, 64, 1, 8, "Pictures above each other in it"),
                  {.id = "pictures",
                   .title = "Pictures",
                   .type = ParamType::Cells,
                   .initial = std::string(),
                   .help = "Those that the blades take in turn, counted from the upper left; all where none "
                           "is named"},
                  whole("seed", "Seed", 1, 0, 4294967295.0, 0, 100, "Another number, another tuft")} +
            objectTail(),
        .make = [](const ObjectInput& in) { return ObjectShape{makeBlades(optionsOf(in.params))}; }};
}

}  // namespace ovrix::document
