// The materials that come with the program.
#pragma once
#include <filesystem>

namespace ovrix::demo {

void writeMaterials(const std::filesystem::path& folder);

}  // namespace ovrix::demo
