// What a parameter could be: values to render side by side, and to choose from.
#pragma once
#include "document/edits/edits.h"

namespace ovrix::deliver {

/// Values of parameters that belong together.
using Variation = std::vector<std::pair<ParamPath, Value>>;

/// Whether it can be varied: numbers, whole numbers, flags, choices, colours and ranges.
bool canVary(const ParamSpec& spec);

/// Where a number is tried first: half to one and a half of what it is, or what dragging covers where it is
/// 0; within what it may be.
Range usualRange(const ParamSpec& spec, const Value& now);

/// @p count values or fewer, each once: numbers evenly over the range; seeds each another; a flag both ways;
/// all choices; colours around the hue, the present one first.
/// @param round  other seeds, and other hues, for other rounds
std::vector<Value> variedValues(const ParamSpec& spec, const Value& now, const Range& range, size_t count,
                                uint64_t round = 0);

/// A part of the range about a value of it: half as wide, and within it.
Range rangeAround(const Range& range, double middle);

/// All seeds of a node: its own, those of its steps, and those of the fields of both.
std::vector<ParamPath> seedsOf(const Document& document, const std::string& node);

/// The document with these values. Throws Error where one is not there.
Document varied(const Document& document, const Variation& variation);

/// As people read a value: "0.25", "soft", "#a0b1c2".
std::string textOfValue(const ParamSpec& spec, const Value& value);

}  // namespace ovrix::deliver
