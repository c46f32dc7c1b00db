// Points and instances as USD text.
#pragma once
#include <filesystem>

#include "geo/points/elements.h"
#include "io/points/elements_info.h"

namespace ovrix::io {

/// A prototype as an export needs it.
struct ExportPrototype {
    std::string name;
    MeshPtr mesh;
};

/// Points, or an instancer with its prototypes, as text. @p prototypes go with Copies::prototypes.
std::string usdOf(const Geometry& geometry, const std::vector<ExportPrototype>& prototypes);
/// Points or instances of such a file. Throws Error.
PointSet readUsdPoints(const std::filesystem::path& path);
ElementsInfo readUsdInfo(const std::filesystem::path& path);
/// The columns of points and copies. Throws Error where there are none.
const AttributeSet& attributesOf(const Geometry& geometry);

}  // namespace ovrix::io
