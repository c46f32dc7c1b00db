// A sheet of kelp in one ink, and shells drawn on it.
#pragma once
#include <filesystem>

namespace ovrix::demo {

/// @return the scene's file
std::filesystem::path writeKelpPrint(const std::filesystem::path& folder);

}  // namespace ovrix::demo
