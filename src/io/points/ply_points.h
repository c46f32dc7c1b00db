// Points and lines in PLY files.
#pragma once
#include <filesystem>

#include "geo/points/elements.h"

namespace ovrix::io {

/// Points from a PLY file without faces. Scalar properties x, y, z and nx, ny, nz become P and N; id_low and
/// id_high become id; others stay floats, or are joined by joinColumns(). Throws Error.
PointSet readPlyPoints(const std::filesystem::path& path);

/// True when a PLY file promises faces: then it is a mesh.
bool plyHasFaces(const std::filesystem::path& path);

/// True when a PLY file promises edges: then it holds lines.
bool plyHasEdges(const std::filesystem::path& path);

/// Points and the edges between them.
struct PlyLines {
    AttributeSet points;  ///< as readPlyPoints() gives them, and "color" of red, green and blue
    std::vector<std::pair<uint32_t, uint32_t>> edges;
};
/// Throws Error on files that are not whole or hold no edges. Indices are not checked.
PlyLines readPlyLines(const std::filesystem::path& path);

/// Binary, every attribute. Atomic. Throw Error naming the file.
void writePlyPoints(const std::filesystem::path& path, const AttributeSet& points);
void writePlyLines(const std::filesystem::path& path, const AttributeSet& points,
                   const std::vector<std::pair<uint32_t, uint32_t>>& edges);

}  // namespace ovrix::io
