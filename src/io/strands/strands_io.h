// Strands in open formats.
#pragma once
#include <filesystem>

#include "geo/strands/strands.h"

namespace ovrix::io {

// As readStrands() and writeStrands() say, each of one format.
void writeUsdStrands(const std::filesystem::path& path, const StrandSet& strands);
void writePlyStrands(const std::filesystem::path& path, const StrandSet& strands);
void writeVdbStrands(const std::filesystem::path& path, const StrandSet& strands);
StrandSet readUsdStrands(const std::filesystem::path& path);
StrandSet readPlyStrands(const std::filesystem::path& path);
StrandSet readVdbStrands(const std::filesystem::path& path);

// Whether a file of that format holds strands and not single points; plyHasEdges() for PLY.
bool usdHoldsStrands(const std::filesystem::path& path);
bool vdbHoldsStrands(const std::filesystem::path& path);

}  // namespace ovrix::io
