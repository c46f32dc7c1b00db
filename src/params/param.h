// Parameters as the document holds them: a value, perhaps keys over time, perhaps a field.
#pragma once
#include <array>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "params/color_curves.h"
#include "params/curve.h"
#include "params/ramp.h"
#include "params/value.h"

namespace ovrix::params {

struct Field;

/// How a value goes from a key to the next: in a straight line; slow at both ends; not at all until the next;
/// in a curve that turns nowhere between keys (Fritsch and Carlson, as Curve); by the handles of both keys.
enum class KeyEase { Linear, Eased, Hold, Smooth, Free };

/// Where a handle of a key stands from it.
struct KeyHandle {
    double frames = 0.0;         ///< not negative: before the key, or after it
    std::array<double, 3> by{};  ///< how far each component is from the key's there
    bool operator==(const KeyHandle&) const = default;
};

/// A value at a frame, and how it goes on to the next key.
struct Key {
    double frame = 0.0;
    Value value;
    KeyEase ease = KeyEase::Smooth;
    KeyHandle before = {}, after = {};  ///< only used by KeyEase::Free
    bool operator==(const Key&) const = default;
};

/// What comes before the first key and after the last: its value; the keys again; the keys again, each time
/// raised by the difference between the last and the first.
enum class KeyRepeat { Hold, Cycle, Onward };

/// Frames a second where a scene does not say.
constexpr double kUsualRate = 24.0;

/// One parameter. With keys, the value at a frame comes from them; a formula stands above both. With a field,
/// the number runs from @ref low where the field is 0 to the value where it is 1; a range is walked from its
/// min to its max.
struct Param {
    Value value;
    std::vector<Key> keys;               ///< sorted by frame
    std::shared_ptr<const Field> field;  ///< null for none
    Value low = 0.0;                     ///< only used with a field on a number or a colour
    KeyRepeat repeat = KeyRepeat::Hold;
    /// Of a colour with a field: the stops between low and the value; null for none.
    std::shared_ptr<const Ramp> ramp = nullptr;
    /// Of a colour with a field: how what comes of both is changed by what it is; null for not at all.
    std::shared_ptr<const ColorCurves> curves = nullptr;
    /// By component: arithmetic over "frame" and "time" (seconds, from @p rate frames a second). One that
    /// cannot be worked out counts as none.
    std::map<int, std::string> formulas = {};

    Value at(double frame, double rate = kUsualRate) const;
    /// The integral of its components over time, from frame 0 to a frame, in value times seconds: how far
    /// something has gone whose speed it is. Exact for all but handles and formulas, if keys stand on whole
    /// frames.
    std::array<double, 3> sum(double frame, double rate = kUsualRate) const;
    bool animated() const { return !keys.empty() || !formulas.empty(); }
    bool operator==(const Param& other) const;
};

/// What a formula of a parameter gives. Throws Error when it is none, or gives no finite number.
double formulaAt(const std::string& text, double frame, double rate);

/// Parameters by id. Those that are missing have their spec's initial value.
using ParamMap = std::map<std::string, Param>;

enum class Blend { Replace, Multiply, Add, Min, Max, Subtract, Screen, Overlay, Difference };
std::string blendName(Blend blend);
/// Throws Error on an unknown name.
Blend blendFromName(const std::string& name);

/// One row of a field: what it gives at a place, remapped, then blended over what is above it.
struct FieldSource {
    std::string type;  ///< id in the source registry
    bool on = true;
    ParamMap params;
    Curve remap;
    bool invert = false;
    Blend blend = Blend::Multiply;
    Param strength = {1.0, {}, nullptr, 0.0};  ///< 0 leaves what is above, 1 is the full blend
    bool operator==(const FieldSource&) const = default;
};

/// A stack of sources from top to bottom. It starts from 1; an empty field is 1 everywhere.
struct Field {
    std::vector<FieldSource> sources;
    bool operator==(const Field&) const = default;
};

}  // namespace ovrix::params
