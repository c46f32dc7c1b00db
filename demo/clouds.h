// Points as matter: a whelk, spray, and a coat.
#pragma once
#include <filesystem>
#include <vector>

namespace ovrix::demo {

/// @return the scenes' files
std::vector<std::filesystem::path> writeClouds(const std::filesystem::path& folder);

}  // namespace ovrix::demo
