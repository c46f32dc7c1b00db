// What is drawn: shades of the light that arrives in place of scattered light, and contours.
#pragma once
#include "field/field.h"

namespace ovrix::render {

/// Lines around what wears a material. Of two things that meet at an edge, the nearer one draws.
struct Contours {
    enum class Unit {
        Pixels,   ///< held, whatever the size of the picture
        Picture,  ///< thousandths of its height
        Metres
    };
    Unit unit = Unit::Picture;
    Varying width{0, 2.0f, nullptr};  ///< asked where the line is drawn; half of it on each side of the edge
    VaryingColor color{Color(0.0f), Color(0.0f), nullptr};
    float darkened = -1.0f;  ///< 0 to 1: the line is the shading, so much of it; below 0 it has its color
    bool objects = true;     ///< where another object, layer or nothing begins
    bool elements = false;   ///< where another copy or strand begins
    bool materials = true;   ///< where another material begins
    float crease = kPi;      ///< radians; where faces turn by more: a half turn is nowhere
    float jump = 0.0f;       ///< metres; where it hides itself by more; 0 for nowhere
    /// The widest that it may be.
    float most() const { return std::max({width.high, width.field ? width.low : 0.0f, 0.0f}); }
};

/// How light that arrives becomes a colour.
struct LineArt {
    enum class Shading { Flat, Steps, Smooth };
    Shading shading = Shading::Steps;
    int steps = 2;
    float edge = 0.3f, softness = 0.02f;  ///< light at which the first step ends, and its passage
    VaryingColor shadow{Color(0.0f), Color(0.3f), nullptr};  ///< the light colour is the material's base

    /// A form about the place where a light would be mirrored.
    struct Highlight {
        Varying weight{0, 0.0f, nullptr};
        uint32_t light = 0;                              ///< the node's number; 0 for each
        float size = 0.2f, stretch = 1.0f, turn = 0.0f;  ///< radians; width by height; radians
        float softness = 0.1f;
        V2f offset{0, 0};  ///< in sizes, to the right and up as they lie about the light
        /// Asked at texture places across the form's square: what is over a half is the form. None: a disc.
        Varying form{0, 1.0f, nullptr};
        bool lightens = false;  ///< the shading's own colour, brighter; else the tint
        VaryingColor tint{Color(0.0f), Color(1.0f), nullptr};
    } highlight;

    /// Where it turns away from who sees it.
    struct Rim {
        Varying weight{0, 0.0f, nullptr};
        float width = 0.3f, softness = 0.1f;
        VaryingColor color{Color(0.0f), Color(1.0f), nullptr};
    } rim;
};

}  // namespace ovrix::render
