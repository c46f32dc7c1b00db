// The recipes that come with the program.
#pragma once
#include <filesystem>

#include "base/house.h"

namespace ovrix::demo {

using namespace deliver;

/// Writes them into a folder, which is made if missing.
void writeRecipes(const std::filesystem::path& folder);

}  // namespace ovrix::demo
