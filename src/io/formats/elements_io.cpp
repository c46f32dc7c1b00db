#include "io/formats/elements_io.h"

#include "base/error.h"
#include "base/files.h"

namespace ovrix::io {

void writeMesh(const std::filesystem::path& path, const Mesh& mesh) {
    requireFormat(path, Use::WriteMesh).writeMesh(path, mesh);
}

void writeStrands(const std::filesystem::path& path, const StrandSet& strands) {
    requireFormat(path, Use::WriteStrands).writeStrands(path, strands);
}

void writeElements(const std::filesystem::path& path, const Geometry& geometry,
                   const std::vector<ExportPrototype>& prototypes) {
    if (auto* strands = std::get_if<std::shared_ptr<const StrandSet>>(&geometry))
        return writeStrands(path, **strands);
    attributesOf(geometry);  // refuses what is no element before it speaks of the file
    requireFormat(path, Use::WritePoints).writePoints(path, geometry, prototypes);
}

bool holdsElements(const std::filesystem::path& path) {
    const Format* format = formatOf(path);
    return format && format->can(Use::ReadElements) && !(format->holdsFaces && format->holdsFaces(path));
}

bool holdsStrands(const std::filesystem::path& path) {
    const Format* format = formatOf(path);
    return format && format->holdsStrands && format->holdsStrands(path);
}

StrandSet readStrands(const std::filesystem::path& path) {
    requireReadable(path);
    return requireFormat(path, Use::ReadStrands).readStrands(path);
}

PointSet readPoints(const std::filesystem::path& path) {
    requireReadable(path);
    PointSet set = requireFormat(path, Use::ReadPoints).readPoints(path);
    for (const V3f& p : set.attributes.find<V3f>("P"))
        if (!isFinite(p)) throw Error("has a place that is no number", path.string(), "Write the file again");
    if (set.attributes.find<uint64_t>("id").empty()) {  // in the order of the file
        set.attributes.remove("id");
        auto id = set.attributes.add<uint64_t>("id");
        for (size_t i = 0; i < id.size(); ++i) id[i] = i;
    }
    return set;
}

ElementsInfo readElementsInfo(const std::filesystem::path& path) {
    requireReadable(path);
    const Format& format = requireFormat(path, Use::ReadElements);
    if (!holdsStrands(path)) return format.readInfo(path);
    const StrandSet strands = readStrands(path);
    ElementsInfo info{"strands", strands.size(), {}, {}};
    for (const V3f& p : strands.points.find<V3f>("P")) info.bounds.extendBy(p);
    for (const AttributeSet* set : {&strands.points, &strands.strands})
        for (const auto& [name, column] : set->columns())
            if (set == &strands.points || name == "id")
                info.attributes.emplace_back(name, columnTypeName(*column));
    return info;
}

}  // namespace ovrix::io
