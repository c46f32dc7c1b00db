// The demo scene.
#pragma once
#include <filesystem>

#include "document/model/document.h"

namespace ovrix::demo {

using namespace deliver;

/// Writes the meshes and NAME "low_tide.ovrix" into a folder, which is made if missing; gives the scene's
/// path.
std::filesystem::path writeLowTide(const std::filesystem::path& folder);

}  // namespace ovrix::demo
