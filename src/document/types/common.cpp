#include "document/types/common.h"

namespace ovrix::document {

using namespace specs;

Specs standing() {
    return {vector("position", "Position", V3d(0), "m", 5, "Where it stands"),
            vector("rotation", "Rotation", V3d(0), "deg", 180, "Turned around X, then Y, then Z"),
            vector("scale", "Scale", V3d(1), "", 5, "Factor along its own axes")};
}

static Specs follows() {
    return {ref("path", "Path", "curve", "Goes along a curve; its position counts from there"),
            shownIf(unitNumber("path_at", "Along path", 0, "Part of the curve's length: give it keys to go"),
                    "path!="),
            shownIf(flag("path_turn", "Rotates along", true, "Its +Z points along the curve"), "path!=")};
}

Specs wanders() {
    return {
        flag("wander", "Wanders", false, "Moves at random, without keys"),
        shownIf(number("wander_move", "By", 0.05, "m", 0, 1e6, 0, 1, "How far from where it stands"),
                "wander=true"),
        shownIf(number("wander_turn", "Rotation by", 5, "deg", 0, 3600, 0, 45, "How far to each side"),
                "wander=true"),
        shownIf(unitNumber("wander_size", "Size by", 0, "Part by which it grows and shrinks"), "wander=true"),
        shownIf(number("wander_rate", "Frequency", 0.5, "1/s", 0, 1e4, 0, 5, "Turns a second"),
                "wander=true"),
        shownIf(whole("wander_seed", "Seed", 1, 0, 4294967295.0, 0, 100, "Another number, another way"),
                "wander=true")};
}

Specs transformSpecs() { return affecting(Affects::Placement, standing() + follows() + wanders()); }

Specs objectTail() {
    return Specs{affecting(Affects::Appearance, ref("material", "Material", "material",
                                                    "What it looks like; grey when none is chosen"))} +
           transformSpecs();
}

ParamSpec exposureSpec() {
    return number("exposure", "Exposure", 0, "EV", -30, 30, -6, 6, "Each step doubles the light");
}

ParamSpec tintSpec() { return color("color", "Colour", Color(1.0f), false, "Colour of the light"); }

ParamSpec powerSpec() {
    return number("power", "Power", 20, "W/m2", 0, 1e9, 0, 100,
                  "Light given by each square metre, per steradian");
}

}  // namespace ovrix::document
