#include "document/types/field_pass.h"

#include "document/model/params.h"

namespace ovrix::document {

using namespace specs;

FieldPassParams::FieldPassParams()
    : kind(add(choice("kind", "Kind", "number", {"number", "colour"}, "One channel in files, or three"))),
      number(
          add(shownIf(drivable(specs::number("value", "Value", 1, "", -1e9, 1e9, 0, 1,
                                             "What the pass has on what is seen: its field says how much")),
                      "kind=number"))),
      color(add(shownIf(specs::color("color", "Colour", Color(1.0f), true,
                                     "What the pass has on what is seen, unlit: its field says how much"),
                        "kind=colour"))) {}

const FieldPassParams kFieldPass;

NodeType fieldPassType() {
    return {.id = "field_pass",
            .title = "Field pass",
            .category = Category::Pass,
            .help = "A field of the scene, kept by renders as a pass of its own: curvature, slope, noise...",
            .params = kFieldPass.specs()};
}

}  // namespace ovrix::document
