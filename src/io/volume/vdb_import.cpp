// What other programs write in OpenVDB: points with attributes, grids of vectors.

#include <fmt/format.h>
#include <openvdb/openvdb.h>
#include <openvdb/points/PointDataGrid.h>

#include "base/error.h"
#include "base/files.h"
#include "io/volume/vdb_grids.h"
#include "io/volume/vdb_library.h"

namespace vdb = openvdb;

namespace ovrix::io {

namespace {

M44f cellMatrix(const vdb::Mat4d& m) {
    M44f out;
    for (int r = 0; r < 4; ++r)
        for (int c = 0; c < 4; ++c) out[r][c] = float(m[r][c]);
    return out;
}

template <class Grid>
VectorGrid blockOf(const Grid& grid, const std::filesystem::path& path, size_t limit) {
    const auto affine = grid.transform().isLinear() ? grid.transform().baseMap()->getAffineMap() : nullptr;
    if (!affine || std::abs(affine->getMat4().det()) < 1e-30)
        throw Error("has cells that do not lie evenly", path.string(), "Write it with one size of cells");
    const vdb::CoordBBox box = grid.evalActiveVoxelBoundingBox();
    if (box.empty()) throw Error("has no vectors in it", path.string(), "Choose another file");
    const vdb::Coord d = box.dim();
    const double cells = double(d.x()) * double(d.y()) * double(d.z());
    if (cells * sizeof(V3f) > double(limit))
        throw Error(fmt::format("covers {} x {} x {} cells, more than memory may take", d.x(), d.y(), d.z()),
                    path.string(), "Make its cells larger, or raise the memory limit in Preferences");
    VectorGrid out;
    out.size = V3i(d.x(), d.y(), d.z());
    out.values.resize(size_t(cells));
    vdb::Mat4d fromBox = vdb::Mat4d::identity();
    fromBox.setTranslation(vdb::Vec3d(box.min().x(), box.min().y(), box.min().z()));
    out.cellFromWorld = cellMatrix((fromBox * affine->getMat4()).inverse());
    auto access = grid.getConstAccessor();
    size_t i = 0;
    for (int z = 0; z < d.z(); ++z)
        for (int y = 0; y < d.y(); ++y)
            for (int x = 0; x < d.x(); ++x) {
                const auto v = access.getValue(box.min() + vdb::Coord(x, y, z));
                const V3f value(float(v.x()), float(v.y()), float(v.z()));
                if (!isFinite(value))
                    throw Error("has a vector that is no number", path.string(), "Write the file again");
                out.values[i++] = value;
            }
    return out;
}

}  // namespace

VectorGrid parseVectorGrid(const std::filesystem::path& path, const std::string& name, size_t limit) {
    vdb::initialize();
    try {
        vdb::io::File file(path.string());
        file.open(false);
        std::string others;
        for (auto it = file.beginName(); it != file.endName(); ++it) {
            others += (others.empty() ? "" : ", ") + it.gridName();
            if (!name.empty() && it.gridName() != name) continue;
            const auto grid = file.readGrid(it.gridName());
            if (grid->isType<vdb::Vec3SGrid>())
                return blockOf(*vdb::gridConstPtrCast<vdb::Vec3SGrid>(grid), path, limit);
            if (grid->isType<vdb::Vec3DGrid>())
                return blockOf(*vdb::gridConstPtrCast<vdb::Vec3DGrid>(grid), path, limit);
            if (!name.empty())
                throw Error("the grid \"" + name + "\" is none of vectors", path.string(),
                            "Choose one that is");
        }
        throw Error(name.empty() ? "holds no grid of vectors" : "holds no grid \"" + name + "\"",
                    path.string(), others.empty() ? "Choose another file" : "It holds " + others);
    } catch (const Error&) {
        throw;
    } catch (const std::exception& e) {  // of the library, of a stream that ends, of a size that is nonsense
        logDetail(path.string(), e.what());
        throw Error("could not be read as OpenVDB", path.string(), "Write it again from where it came");
    }
}

void putVectorGrid(const std::filesystem::path& path, const std::string& name, const VectorGrid& grid) {
    vdb::initialize();
    const auto made = vdb::Vec3SGrid::create(vdb::Vec3s(0.0f));
    made->setName(name);
    const M44f m = grid.cellFromWorld.inverse();
    vdb::Mat4d matrix;
    for (int r = 0; r < 4; ++r)
        for (int c = 0; c < 4; ++c) matrix[r][c] = double(m[r][c]);
    made->setTransform(std::make_shared<vdb::math::Transform>(
        vdb::math::MapBase::Ptr(std::make_shared<vdb::math::AffineMap>(matrix))));
    auto access = made->getAccessor();
    size_t i = 0;
    for (int z = 0; z < grid.size.z; ++z)
        for (int y = 0; y < grid.size.y; ++y)
            for (int x = 0; x < grid.size.x; ++x, ++i)
                access.setValue(vdb::Coord(x, y, z),
                                vdb::Vec3s(grid.values[i].x, grid.values[i].y, grid.values[i].z));
    writeAtomically(path, [&](const std::filesystem::path& temporary) {
        try {
            vdb::io::File file(temporary.string());
            file.setCompression(vdb::io::COMPRESS_BLOSC | vdb::io::COMPRESS_ACTIVE_MASK);
            file.write({made});
            file.close();
        } catch (const vdb::Exception& e) {
            logDetail(path.string(), e.what());
            throw Error("could not be written", path.string(),
                        "Free some space on the disk, or write elsewhere");
        }
    });
}

namespace {

/// One leaf's points that are on: their numbers in it, and their places in metres.
struct LeafPoints {
    const vdb::points::PointDataTree::LeafNodeType& leaf;
    std::vector<vdb::Index> on;
    std::vector<V3f> positions;
};

/// Calls @p visit with each leaf of all grids of points. Throws Error when there is no such grid; a grid
/// without points is one all the same.
void forLeaves(const std::filesystem::path& path, const std::function<void(const LeafPoints&)>& visit) {
    vdb::initialize();
    bool found = false;
    try {
        vdb::io::File file(path.string());
        file.open(false);
        for (auto it = file.beginName(); it != file.endName(); ++it) {
            const auto grid = vdb::gridPtrCast<vdb::points::PointDataGrid>(file.readGrid(it.gridName()));
            if (!grid) continue;
            found = true;
            for (auto leaf = grid->tree().cbeginLeaf(); leaf; ++leaf) {
                LeafPoints own{*leaf, {}, {}};
                const auto p =
                    vdb::points::AttributeHandle<vdb::Vec3f>::create(leaf->constAttributeArray("P"));
                for (auto i = leaf->beginIndexOn(); i; ++i) {
                    const auto w =
                        grid->transform().indexToWorld(vdb::Vec3d(p->get(*i)) + i.getCoord().asVec3d());
                    own.positions.push_back(V3f(float(w.x()), float(w.y()), float(w.z())));
                    own.on.push_back(*i);
                }
                visit(own);
            }
        }
        file.close();
    } catch (const vdb::Exception& e) {
        logDetail(path.string(), e.what());
        throw Error("could not be read as OpenVDB points", path.string(),
                    "Write it again from where it came");
    }
    if (!found) throw Error("holds no points", path.string());
}

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

ElementsInfo parseVdbInfo(const std::filesystem::path& path) {
    ElementsInfo info;
    info.kind = "points";
    forLeaves(path, [&](const LeafPoints& own) {
        info.count += own.on.size();
        for (const V3f& p : own.positions) info.bounds.extendBy(p);
        if (!info.attributes.empty()) return;
        const auto& descriptor = own.leaf.attributeSet().descriptor();
        for (const auto& [name, position] : descriptor.map())
            info.attributes.emplace_back(name, descriptor.valueType(position));
    });
    return info;
}

PointSet parseVdbPoints(const std::filesystem::path& path) {
    std::vector<V3f> positions;
    std::vector<uint64_t> ids;
    std::map<std::string, std::vector<float>> numbers;
    std::map<std::string, std::vector<V3f>> vectors;
    std::map<std::string, std::vector<Quatf>> turns;
    forLeaves(path, [&](const LeafPoints& own) {
        positions.insert(positions.end(), own.positions.begin(), own.positions.end());
        for (const auto& [name, position] : own.leaf.attributeSet().descriptor().map()) {
            if (name == "P") continue;
            const auto& array = own.leaf.constAttributeArray(position);
            if (name == "id" &&
                appendValues<int64_t>(array, own.on, ids, [](int64_t x) { return uint64_t(x); }))
                continue;
            appendValues<float>(array, own.on, numbers[name], [](float x) { return x; }) ||
                appendValues<int32_t>(array, own.on, numbers[name], [](int32_t x) { return float(x); }) ||
                appendValues<vdb::Vec3f>(array, own.on, vectors[name],
                                         [](const vdb::Vec3f& v) { return V3f(v.x(), v.y(), v.z()); }) ||
                appendValues<vdb::math::Quat<float>>(array, own.on, turns[name], [](const auto& q) {
                    return Quatf(q.w(), V3f(q.x(), q.y(), q.z()));
                });
        }
    });
    PointSet set;
    const size_t count = positions.size();
    set.attributes.set("P", std::move(positions));
    if (ids.size() == count) set.attributes.set("id", std::move(ids));
    for (auto& [name, values] : numbers)
        if (values.size() == count) set.attributes.set(name, std::move(values));
    for (auto& [name, values] : vectors)
        if (values.size() == count) set.attributes.set(name, std::move(values));
    for (auto& [name, values] : turns)
        if (values.size() == count) set.attributes.set(name, std::move(values));
    return set;
}

}  // namespace ovrix::io
