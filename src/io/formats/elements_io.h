// Meshes, points, copies and strands in open formats, by the ending of their file: see format.h.
#pragma once
#include "io/formats/format.h"

namespace ovrix::io {

/// Atomic. Throws Error naming the file.
void writeMesh(const std::filesystem::path& path, const Mesh& mesh);

/// Writes .ply (binary, every attribute), .usda (points, or an instancer with its prototypes), .vdb (points
/// with every attribute), .csv; strands as writeStrands() does. Atomic. @p prototypes go with
/// Copies::prototypes; others may leave them empty. Throws Error naming the file.
void writeElements(const std::filesystem::path& path, const Geometry& geometry,
                   const std::vector<ExportPrototype>& prototypes = {});

/// Throws Error on files that are not whole.
ElementsInfo readElementsInfo(const std::filesystem::path& path);

/// Points from a .ply, .csv, .usda (points or instances) or .vdb file, with the attributes that are known: P,
/// N, orient, scale, stretch, id, and floats by their names. Ids are those of the file, else the order in it.
/// Throws Error naming the file.
PointSet readPoints(const std::filesystem::path& path);

/// Writes .usda (linear basis curves with widths, ids and other attributes), .ply (binary: points of all
/// strands and edges between them), .vdb (points with "id" of the strand and "point", the place along it,
/// from 0). Atomic. Throws Error naming the file.
void writeStrands(const std::filesystem::path& path, const StrandSet& strands);

/// Strands of such a file; of a PLY the edges, of a USD file all its basis curves (their control points), of
/// an OpenVDB file points by "id" and "point". Widths and colours come along; ids are those of the file, else
/// the order in it. Throws Error, naming the file and the place, on counts that do not fit, on indices out of
/// range, on edges that branch, and on files without strands.
StrandSet readStrands(const std::filesystem::path& path);

/// Whether a file holds points or strands, and no mesh. Throws Error.
bool holdsElements(const std::filesystem::path& path);
/// Whether a file holds strands and not single points.
bool holdsStrands(const std::filesystem::path& path);

}  // namespace ovrix::io
