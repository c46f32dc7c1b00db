#include "io/vdb_points.h"

#include <openvdb/openvdb.h>
#include <openvdb/points/PointAttribute.h>
#include <openvdb/points/PointConversion.h>
#include <openvdb/points/PointCount.h>

#include "base/error.h"

namespace vdb = openvdb;

namespace ovrix {

namespace {

void initialise() {
    static const bool done = [] {
        vdb::initialize();
        return true;
    }();
    (void)done;
}

/// About eight points a voxel, so that leaves are neither empty nor crowded.
double voxelSizeFor(const std::vector<vdb::Vec3R>& p) {
    if (p.empty()) return 1.0;
    vdb::BBoxd box;
    for (const auto& q : p) box.expand(q);
    const auto size = box.extents();
    const double largest = std::max({size.x(), size.y(), size.z(), 1e-4});
    const double area = largest * std::max({std::min(size.x(), size.y()), std::min(size.y(), size.z()),
                                            std::min(size.x(), size.z()), largest * 0.01});
    return std::max(std::sqrt(area * 8.0 / double(p.size())), largest * 1e-4);
}

using IndexGrid = vdb::tools::PointIndexGrid;

template <class Vdb, class Convert>
void addAttribute(vdb::points::PointDataGrid& grid, const IndexGrid& index, const std::string& name,
                  size_t count, const Convert& convert) {
    std::vector<Vdb> values(count);
    for (size_t i = 0; i < count; ++i) values[i] = convert(i);
    vdb::points::appendAttribute<Vdb>(grid.tree(), name);
    vdb::points::PointAttributeVector<Vdb> wrapper(values);
    vdb::points::populateAttribute<vdb::points::PointDataTree, vdb::tools::PointIndexTree,
                                   vdb::points::PointAttributeVector<Vdb>>(grid.tree(), index.tree(), name,
                                                                           wrapper);
}

void addColumn(vdb::points::PointDataGrid& grid, const IndexGrid& index, const std::string& name,
               const Column& column) {
    using V3 = vdb::Vec3f;
    if (auto* v = std::get_if<std::vector<float>>(&column))
        addAttribute<float>(grid, index, name, v->size(), [&](size_t i) { return (*v)[i]; });
    if (auto* v = std::get_if<std::vector<int32_t>>(&column))
        addAttribute<int32_t>(grid, index, name, v->size(), [&](size_t i) { return (*v)[i]; });
    if (auto* v = std::get_if<std::vector<uint64_t>>(&column))
        addAttribute<int64_t>(grid, index, name, v->size(), [&](size_t i) { return int64_t((*v)[i]); });
    if (auto* v = std::get_if<std::vector<V3f>>(&column))
        addAttribute<V3>(grid, index, name, v->size(),
                         [&](size_t i) { return V3((*v)[i].x, (*v)[i].y, (*v)[i].z); });
    if (auto* v = std::get_if<std::vector<Color>>(&column))
        addAttribute<V3>(grid, index, name, v->size(),
                         [&](size_t i) { return V3((*v)[i].x, (*v)[i].y, (*v)[i].z); });
    if (auto* v = std::get_if<std::vector<V2f>>(&column))
        addAttribute<V3>(grid, index, name, v->size(),
                         [&](size_t i) { return V3((*v)[i].x, (*v)[i].y, 0.0f); });
    if (auto* v = std::get_if<std::vector<Quatf>>(&column))
        addAttribute<vdb::math::Quat<float>>(grid, index, name, v->size(), [&](size_t i) {
            const Quatf& q = (*v)[i];
            return vdb::math::Quat<float>(q.v.x, q.v.y, q.v.z, q.r);
        });
}

}  // namespace

void writeVdbPoints(const std::filesystem::path& path, const AttributeSet& points) {
    initialise();
    const auto p = points.find<V3f>("P");
    std::vector<vdb::Vec3R> positions;
    for (const V3f& q : p) positions.emplace_back(q.x, q.y, q.z);
    const auto transform = vdb::math::Transform::createLinearTransform(voxelSizeFor(positions));
    vdb::points::PointAttributeVector<vdb::Vec3R> wrapper(positions);
    const auto index = vdb::tools::createPointIndexGrid<IndexGrid>(wrapper, *transform);
    auto grid = vdb::points::createPointDataGrid<vdb::points::NullCodec, vdb::points::PointDataGrid>(
        *index, wrapper, *transform);
    grid->setName("points");
    for (const auto& [name, column] : points.columns())
        if (name != "P") addColumn(*grid, *index, name, *column);
    vdb::io::File file(path.string());
    file.setCompression(vdb::io::COMPRESS_BLOSC | vdb::io::COMPRESS_ACTIVE_MASK);
    file.write({grid});
    file.close();
}

ElementsInfo readVdbInfo(const std::filesystem::path& path) {
    initialise();
    ElementsInfo info;
    try {
        vdb::io::File file(path.string());
        file.open(false);
        for (auto it = file.beginName(); it != file.endName(); ++it) {
            const auto grid = vdb::gridPtrCast<vdb::points::PointDataGrid>(file.readGrid(it.gridName()));
            if (!grid) continue;
            info.kind = "points";
            info.count += vdb::points::pointCount(grid->tree());
            for (auto leaf = grid->tree().cbeginLeaf(); leaf; ++leaf) {
                const auto handle =
                    vdb::points::AttributeHandle<vdb::Vec3f>::create(leaf->constAttributeArray("P"));
                for (auto i = leaf->beginIndexOn(); i; ++i) {
                    const auto w =
                        grid->transform().indexToWorld(vdb::Vec3d(handle->get(*i)) + i.getCoord().asVec3d());
                    info.bounds.extendBy(V3f(float(w.x()), float(w.y()), float(w.z())));
                }
                if (!info.attributes.empty()) continue;
                const auto& descriptor = leaf->attributeSet().descriptor();
                for (const auto& [name, position] : descriptor.map())
                    info.attributes.emplace_back(name, descriptor.valueType(position));
            }
        }
        file.close();
    } catch (const vdb::Exception& e) {
        throw Error(std::string("could not be read as OpenVDB points (") + e.what() + ")", path.string(),
                    "Write it again from where it came");
    }
    if (info.kind.empty()) throw Error("holds no points", path.string());
    return info;
}

namespace {

/// Appends one leaf's values of an attribute, if it has the type.
template <class T, class Out, class Convert>
bool appendValues(const vdb::points::AttributeArray& array, const std::vector<vdb::Index>& on,
                  std::vector<Out>& out, const Convert& convert) {
    if (array.valueType() != vdb::typeNameAsString<T>()) return false;
    const auto handle = vdb::points::AttributeHandle<T>::create(array);
    for (vdb::Index i : on) out.push_back(convert(handle->get(i)));
    return true;
}

}  // namespace

PointSet readVdbPoints(const std::filesystem::path& path) {
    initialise();
    std::vector<V3f> places;
    std::vector<uint64_t> ids;
    std::map<std::string, std::vector<float>> numbers;
    std::map<std::string, std::vector<V3f>> vectors;
    std::map<std::string, std::vector<Quatf>> turns;
    try {
        vdb::io::File file(path.string());
        file.open(false);
        for (auto it = file.beginName(); it != file.endName(); ++it) {
            const auto grid = vdb::gridPtrCast<vdb::points::PointDataGrid>(file.readGrid(it.gridName()));
            if (!grid) continue;
            for (auto leaf = grid->tree().cbeginLeaf(); leaf; ++leaf) {
                std::vector<vdb::Index> on;
                const auto p =
                    vdb::points::AttributeHandle<vdb::Vec3f>::create(leaf->constAttributeArray("P"));
                for (auto i = leaf->beginIndexOn(); i; ++i) {
                    const auto w =
                        grid->transform().indexToWorld(vdb::Vec3d(p->get(*i)) + i.getCoord().asVec3d());
                    places.push_back(V3f(float(w.x()), float(w.y()), float(w.z())));
                    on.push_back(*i);
                }
                for (const auto& [name, position] : leaf->attributeSet().descriptor().map()) {
                    if (name == "P") continue;
                    const auto& array = leaf->constAttributeArray(position);
                    if (name == "id" &&
                        appendValues<int64_t>(array, on, ids, [](int64_t x) { return uint64_t(x); }))
                        continue;
                    appendValues<float>(array, on, numbers[name], [](float x) { return x; }) ||
                        appendValues<int32_t>(array, on, numbers[name], [](int32_t x) { return float(x); }) ||
                        appendValues<vdb::Vec3f>(
                            array, on, vectors[name],
                            [](const vdb::Vec3f& v) { return V3f(v.x(), v.y(), v.z()); }) ||
                        appendValues<vdb::math::Quat<float>>(array, on, turns[name], [](const auto& q) {
                            return Quatf(q.w(), V3f(q.x(), q.y(), q.z()));
                        });
                }
            }
        }
        file.close();
    } catch (const vdb::Exception& e) {
        throw Error(std::string("could not be read as OpenVDB points (") + e.what() + ")", path.string(),
                    "Write it again from where it came");
    }
    if (places.empty()) throw Error("holds no points", path.string());
    PointSet set;
    const size_t count = places.size();
    set.attributes.set("P", std::move(places));
    if (ids.size() == count) set.attributes.set("id", std::move(ids));
    for (auto& [name, values] : numbers)
        if (values.size() == count) set.attributes.set(name, std::move(values));
    for (auto& [name, values] : vectors)
        if (values.size() == count) set.attributes.set(name, std::move(values));
    for (auto& [name, values] : turns)
        if (values.size() == count) set.attributes.set(name, std::move(values));
    return set;
}

}  // namespace ovrix
