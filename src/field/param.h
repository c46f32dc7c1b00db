// Parameters as the document holds them: a value, perhaps keys over time, perhaps a field.
#pragma once
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "base/curve.h"
#include "base/value.h"

namespace ovrix {

struct Field;

enum class KeyEase { Linear, Smooth, Hold };

/// A value at a frame, and how it goes on to the next key.
struct Key {
    double frame = 0.0;
    Value value;
    KeyEase ease = KeyEase::Smooth;
    bool operator==(const Key&) const = default;
};

/// One parameter. With keys, the value at a frame comes from them. With a field, the number runs from
/// @ref low where the field is 0 to the value where it is 1; a range is walked from its min to its max.
struct Param {
    Value value;
    std::vector<Key> keys;               ///< sorted by frame
    std::shared_ptr<const Field> field;  ///< null for none
    Value low = 0.0;                     ///< only used with a field on a number or a colour

    Value at(double frame) const;
    bool animated() const { return !keys.empty(); }
    bool operator==(const Param& other) const;
};

/// Parameters by id. Those that are missing have their spec's initial value.
using ParamMap = std::map<std::string, Param>;

enum class Blend { Replace, Multiply, Add, Min, Max };
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

}  // namespace ovrix
