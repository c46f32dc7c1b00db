// Values of parameters, and how a parameter is declared. The card in the window, the scene file, the
// command line and the manual's reference all come from one ParamSpec.
#pragma once
#include <string>
#include <variant>
#include <vector>

#include "base/hash.h"
#include "base/vec.h"
#include "params/curve.h"
#include "params/manual_edits.h"
#include "params/painted_map.h"
#include "params/strand_edits.h"

namespace ovrix::params {

/// Two ends that a number varies between; min <= max.
struct Range {
    double min = 0.0, max = 1.0;
    bool operator==(const Range&) const = default;
};

/// One prototype and its part of the whole; parts need not add up to 1.
struct WeightedPrototype {
    std::string ref;
    double weight = 1.0;
    Range size{1, 1};  ///< factors between which each of its copies picks one
    Range tilt{0, 0};  ///< degrees that each leans to a random side
    bool operator==(const WeightedPrototype&) const = default;
};

/// The points that a curve goes through, in the curve's own space, metres.
struct CurvePoints {
    std::vector<V3f> list;
    bool operator==(const CurvePoints&) const = default;
};

/// Where a brush went over a picture.
struct PictureStroke {
    std::vector<V2f> points;  ///< parts of the picture's width and height, from the upper left
    float radius = 0.06f;     ///< part of the picture's height
    float softness = 0.5f;    ///< part of the radius over which it fades, 0 to 1
    bool erases = false;
    bool operator==(const PictureStroke&) const = default;
};
/// One over another, the first below.
struct PictureStrokes {
    std::vector<PictureStroke> list;
    bool operator==(const PictureStrokes&) const = default;
};

using Refs = std::vector<std::string>;
using PrototypeMix = std::vector<WeightedPrototype>;
using Value = std::variant<bool, int64_t, double, Range, V3d, Color, std::string, Refs, PrototypeMix,
                           MapValue, ManualEdits, CurvePoints, Curve, StrandEdits, PictureStrokes>;

enum class ParamType {
    Bool,
    Int,
    Number,
    Range,
    Vector,
    Color,
    Choice,
    Text,
    File,
    Ref,
    Refs,
    PrototypeMix,
    Map,
    Edits,
    Points,
    Cells,
    Profile,
    Combing,
    Choices,
    Strokes
};

/// What a change of a parameter changes: what is made; only where it stands; only how that looks or is shown;
/// only where frames of it are kept.
enum class Affects { Result, Placement, Appearance, Storage };

/// What one parameter is. Ranges and defaults are in @ref unit; angles in degrees.
struct ParamSpec {
    std::string id, title;
    ParamType type = ParamType::Number;
    Value initial = 0.0;
    std::string unit = {};                   ///< "m", "deg", "s", "1/m2", "EV" or empty
    double hardMin = -1e12, hardMax = 1e12;  ///< what typing accepts
    double softMin = 0.0, softMax = 1.0;     ///< what dragging covers
    bool drivable = false;                   ///< may take a field
    std::string help = {};                   ///< one line
    std::vector<std::string> choices = {};   ///< for Choice and Choices
    /// For Ref, Refs, PrototypeMix: "object", "object or layer", "material"... For File: "sequence" where
    /// #### may stand for the frame, "tiled" for an image that <UDIM> may stand in, "vectors" for a grid of
    /// them, "strands"; else what fits the node.
    std::string refKind = {};
    /// Its title where it stands under the parameter of which it says more; empty where it stands by itself.
    std::string detail = {};
    std::string showIf = {};  ///< when it applies: see specs::applies()
    Affects affects = Affects::Result;
};

/// Text of the type: "number", "int", "color", ...
std::string typeName(ParamType type);

/// The value clamped to the hard range and made finite; unchanged for types without a range.
Value clampToSpec(const ParamSpec& spec, const Value& value);

/// True when the value holds the C++ type that the spec's type stands for.
bool holdsType(ParamType type, const Value& value);

/// a + (b - a) * t where that means something, else the nearer of the two.
Value mixValues(const Value& a, const Value& b, double t);

/// How many numbers a value is made of that keys may move one by one: 1 for a number, 2 for a range, 3 for a
/// vector or a colour, else 0.
int componentsOf(const Value& value);
double component(const Value& value, int c);
/// Whole numbers are rounded. A range whose ends cross takes both at the one that was set.
void setComponent(Value& value, int c, double x);

/// Feeds a value to a running hash.
void addToHash(Hasher& hasher, const Value& value);
void addToHash(Hasher& hasher, const M44f& matrix);

/// The "seed" that everything with chance has.
ParamSpec seedSpec(std::string help);

}  // namespace ovrix::params
