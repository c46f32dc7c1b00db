// Points with attributes as text: a line of names, then a line for each point.
#pragma once
#include <filesystem>

#include "geo/points/elements.h"

namespace ovrix::io {

/// Numbers are written so that reading gives the same bits. Atomic; throws Error.
void writeCsvPoints(const std::filesystem::path& path, const AttributeSet& points);

/// Columns x, y, z are needed; nx, ny, nz become N, id becomes id; others stay floats, or are joined by
/// joinColumns().
/// Separated by comma, semicolon or tab. Throws Error naming the file and line.
PointSet readCsvPoints(const std::filesystem::path& path);

}  // namespace ovrix::io
