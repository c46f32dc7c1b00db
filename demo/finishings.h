// Finishes that come with the program.
#pragma once
#include <filesystem>

#include "base/house.h"

namespace ovrix::demo {

using namespace deliver;

/// Writes them into a folder.
void writeFinishings(const std::filesystem::path& folder);

}  // namespace ovrix::demo
