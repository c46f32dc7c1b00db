// OpenVDB points behind a plain interface; the only source that includes OpenVDB.
#pragma once
#include <filesystem>

#include "io/elements_io.h"

namespace ovrix {

void writeVdbPoints(const std::filesystem::path& path, const AttributeSet& points);
ElementsInfo readVdbInfo(const std::filesystem::path& path);

}  // namespace ovrix
