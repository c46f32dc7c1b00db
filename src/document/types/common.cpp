#include "document/types/common.h"

#include "document/model/params.h"

namespace ovrix::document {

using namespace specs;

PlacementParams::PlacementParams(ParamTable& table, Affects affects)
    : position(table.add(affects, specs::vector("position", "Position", V3d(0), "m", 5, "Where it stands"))),
      rotation(table.add(affects, specs::vector("rotation", "Rotation", V3d(0), "deg", 180,
                                                "Turned around X, then Y, then Z"))),
      scale(table.add(affects, specs::vector("scale", "Scale", V3d(1), "", 5, "Factor along its own axes"))) {
}

PathParams::PathParams(ParamTable& table, Affects affects)
    : path(table.add(affects, specs::ref("path", "Path", "curve",
                                         "Goes along a curve; its position counts from there"))),
      at(table.add(affects, shownIf(specs::unitNumber("path_at", "Along path", 0,
                                                      "Fraction of the curve's length: give it keys to go"),
                                    "path!="))),
      turn(table.add(affects,
                     shownIf(specs::flag("path_turn", "Rotates along", true, "Its +Z points along the curve"),
                             "path!="))) {}

WanderParams::WanderParams(ParamTable& table, Affects affects)
    : on(table.add(affects, specs::flag("wander", "Wanders", false, "Moves at random, without keys"))),
      move(table.add(affects, shownIf(specs::number("wander_move", "By", 0.05, "m", 0, 1e6, 0, 1,
                                                    "How far from where it stands"),
                                      "wander=true"))),
      turn(table.add(affects, shownIf(specs::number("wander_turn", "Rotation by", 5, "deg", 0, 3600, 0, 45,
                                                    "How far to each side"),
                                      "wander=true"))),
      size(table.add(affects, shownIf(specs::unitNumber("wander_size", "Size by", 0,
                                                        "Fraction by which it grows and shrinks"),
                                      "wander=true"))),
      rate(table.add(affects, shownIf(specs::number("wander_rate", "Frequency", 0.5, "1/s", 0, 1e4, 0, 5,
                                                    "Turns a second"),
                                      "wander=true"))),
      seed(table.add(affects, shownIf(specs::whole("wander_seed", "Seed", 1, 0, 4294967295.0, 0, 100,
                                                   "Another number, another motion"),
                                      "wander=true"))) {}

TransformParams::TransformParams(ParamTable& table)
    : placement(table, Affects::Placement),
      path(table, Affects::Placement),
      wander(table, Affects::Placement) {}

ObjectParams::ObjectParams(ParamTable& table)
    : material(table.add(Affects::Appearance, ref("material", "Material", "material",
                                                  "What it looks like; grey when none is chosen"))),
      blocks(
          table.add(Affects::Appearance,
                    flag("blocks_light", "Blocks light", false,
                         "Nothing sees it, and it keeps light off others, as a flag beside a stage does"))),
      transform(table) {}

ParamSpec slotsSpec() {
    return {.id = "slots",
            .title = "Slots",
            .type = ParamType::Refs,
            .initial = Refs{},
            .help = "A material for each slot of the file",
            .refKind = "material",
            .affects = Affects::Appearance};
}

AnyObjectParams::AnyObjectParams() : slots(add(slotsSpec())) {}

const AnyObjectParams kObject;

ParamSpec exposureSpec() {
    return number("exposure", "Exposure", 0, "EV", -30, 30, -6, 6, "Each step doubles the light");
}

ParamSpec tintSpec() { return color("color", "Colour", Color(1.0f), false, "Colour of the light"); }

ParamSpec powerSpec() {
    return number("power", "Power", 20, "W/m2", 0, 1e9, 0, 100,
                  "Light given by each square metre, per steradian");
}

std::string flatness(const ResolvedParams& params) {
    const V3f scale = params[kObject.object.transform.placement.scale];
    for (int axis = 0; axis < 3; ++axis)
        if (scale[axis] == 0.0f) return std::string("has no size: its scale is 0 along ") + "XYZ"[axis];
    return {};
}

}  // namespace ovrix::document
