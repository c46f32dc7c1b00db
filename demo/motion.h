// Scenes of "Low tide" that move.
#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "base/house.h"

namespace ovrix::demo {

using namespace deliver;

/// Writes the scenes that move into a folder, each with its bake beside it, so that it opens at once. Gives
/// their paths. Bakes that still hold stay.
std::vector<std::filesystem::path> writeMotion(const std::filesystem::path& folder);

}  // namespace ovrix::demo
