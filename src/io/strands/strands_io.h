// Strands in open formats: USD's text form, PLY lines, OpenVDB points.
#pragma once
#include <filesystem>

#include "geo/strands/strands.h"

namespace ovrix::io {

/// Writes by the ending: .usda (linear basis curves with widths, ids and other attributes), .ply (binary:
/// points of all strands and edges between them), .vdb (points with "id" of the strand and "point", the place
/// along it, from 0). Atomic. Throws Error naming the file.
void writeStrands(const std::filesystem::path& path, const StrandSet& strands);

/// Strands of such a file; of a PLY the edges, of a USD file all its basis curves (their control points), of
/// an OpenVDB file points by "id" and "point". Widths and colours come along; ids are those of the file, else
/// the order in it. Throws Error, naming the file and the place, on counts that do not fit, on indices out of
/// range, on edges that branch, and on files without strands.
StrandSet readStrands(const std::filesystem::path& path);

/// Whether a file holds strands and not single points.
bool holdsStrands(const std::filesystem::path& path);

}  // namespace ovrix::io
