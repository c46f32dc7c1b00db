// Single numbers of samples by name: of places and elements, of a component of any attribute.
#pragma once
#include <functional>
#include <span>
#include <string>
#include <vector>

#include "field/samples.h"

namespace ovrix::field {

struct FieldContext;

struct NumberReader {
    /// Gives one number for each of out.size() samples from @p begin on; 0 where there is none. Thread safe.
    std::function<void(const Samples& samples, size_t begin, std::span<double> out)> read;
    /// Whether it is of what elements carry, and not of the place alone.
    bool ofElement = false;
    /// Whether it is the light that arrives.
    bool ofLight = false;
    /// Whether it is a whole attribute that is a colour or a vector.
    bool colored = false;
};

/// How to read what a name stands for: one of numberNames(); an attribute of the context's elements, as
/// "heat", or a component of it, as "v.x" or "Cd.r". Without a component vectors give their length, colours
/// their luminance. A name that stands for nothing gives 0 where the context takes any name; else an Error is
/// thrown that begins with @p who and says what there is. Throws Error where it needs a surface that is not
/// there.
NumberReader numberNamed(const std::string& who, const std::string& name, const FieldContext& context);

/// What there is of all samples, though some give 0.
const std::vector<std::string>& numberNames();
/// Whether what numberNamed() gives is another at other frames.
bool namesTime(const std::string& name);

}  // namespace ovrix::field
