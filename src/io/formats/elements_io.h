// Points and copies in open formats: PLY, USD's text form, OpenVDB points.
#pragma once
#include <filesystem>

#include "geo/points/elements.h"
#include "io/points/elements_info.h"
#include "io/points/ply_points.h"

namespace ovrix::io {

/// A prototype as an export needs it.
struct ExportPrototype {
    std::string name;
    MeshPtr mesh;
};

/// Writes by the ending: .ply (binary, every attribute), .usda (points, or an instancer with its prototypes),
/// .vdb (points with every attribute); strands as writeStrands() does. Atomic. @p prototypes go with
/// Copies::prototypes; others may leave them empty. Throws Error naming the file.
void writeElements(const std::filesystem::path& path, const Geometry& geometry,
                   const std::vector<ExportPrototype>& prototypes = {});

/// Throws Error on files that are not whole.
ElementsInfo readElementsInfo(const std::filesystem::path& path);

/// Points from a .ply, .csv, .usda (points or instances) or .vdb file, with the attributes that are known: P,
/// N, orient, scale, stretch, id, and floats by their names. Ids are those of the file, else the order in it.
/// Throws Error naming the file.
PointSet readPoints(const std::filesystem::path& path);

}  // namespace ovrix::io
