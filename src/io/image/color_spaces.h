// Colour spaces by name, through OpenColorIO. The program's own space is "Linear Rec.709".
#pragma once
#include <span>
#include <string>

namespace ovrix::io {

/// Converts @p pixels of @p channels floats (3 or 4; alpha is left) in place. Thread safe. Throws Error on a
/// name that is not in colorSpaceNames(). "Raw" leaves the numbers as they are.
void toLinear(std::span<float> pixels, int channels, const std::string& fromSpace);
void fromLinear(std::span<float> pixels, int channels, const std::string& toSpace);

}  // namespace ovrix::io
