// What an image file says of the screen that its numbers are for.
#pragma once
#include <cstdint>
#include <string>
#include <vector>

namespace ovrix::io {

/// A profile by ICC.1:2022 (version 4) for one of screenNames(); empty for sRGB, which is taken where nothing
/// is said, and for screens of a configuration, whose colours it does not tell.
std::vector<uint8_t> iccProfileOf(const std::string& screen);

}  // namespace ovrix::io
