#include "io/vdb_points.h"

#include <openvdb/openvdb.h>
#include <openvdb/points/PointAttribute.h>
#include <openvdb/points/PointConversion.h>
#include <openvdb/points/PointCount.h>

#include <openvdb/io/Stream.h>
#include <tbb/parallel_for.h>

#include <fstream>

#include "base/error.h"
#include "base/files.h"

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
    bool found = false;
    try {
        vdb::io::File file(path.string());
        file.open(false);
        for (auto it = file.beginName(); it != file.endName(); ++it) {
            const auto grid = vdb::gridPtrCast<vdb::points::PointDataGrid>(file.readGrid(it.gridName()));
            if (!grid) continue;
            found = true;
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
    if (!found) throw Error("holds no points", path.string());  // a frame without any is one all the same
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

namespace {

/// A name for each type of column that a state may have, and how it is read back.
const char* typeMark(const Column& column) {
    struct Mark {
        const char* operator()(const std::vector<float>&) { return "f"; }
        const char* operator()(const std::vector<int32_t>&) { return "i"; }
        const char* operator()(const std::vector<uint64_t>&) { return "u"; }
        const char* operator()(const std::vector<V2f>&) { return "2"; }
        const char* operator()(const std::vector<V3f>&) { return "3"; }
        const char* operator()(const std::vector<Color>&) { return "c"; }
        const char* operator()(const std::vector<Quatf>&) { return "q"; }
        const char* operator()(const std::vector<V4f>&) { return ""; }
        const char* operator()(const StringColumn&) { return ""; }
    };
    return std::visit(Mark(), column);
}

/// The floats of a column, so many a value; nothing for whole numbers.
std::pair<float*, size_t> floatsOf(Column& column) {
    if (auto* v = std::get_if<std::vector<float>>(&column)) return {v->data(), 1};
    if (auto* v = std::get_if<std::vector<V2f>>(&column)) return {reinterpret_cast<float*>(v->data()), 2};
    if (auto* v = std::get_if<std::vector<V3f>>(&column)) return {reinterpret_cast<float*>(v->data()), 3};
    if (auto* v = std::get_if<std::vector<Color>>(&column)) return {reinterpret_cast<float*>(v->data()), 3};
    if (auto* v = std::get_if<std::vector<Quatf>>(&column)) return {reinterpret_cast<float*>(v->data()), 4};
    return {nullptr, 0};
}

/// Which floats of each value are -0: the format takes that for 0 where it makes values uniform. Empty for
/// none.
std::vector<int32_t> negativeZeros(const Column& column, size_t count) {
    const auto [floats, n] = floatsOf(const_cast<Column&>(column));
    std::vector<int32_t> mask;
    for (size_t i = 0; i < count * n; ++i) {
        if (floats[i] != 0.0f || !std::signbit(floats[i])) continue;
        if (mask.empty()) mask.resize(count);
        mask[i / n] |= 1 << (i % n);
    }
    return mask;
}

void putNegativeZeros(Column& column, std::span<const int32_t> mask) {
    const auto [floats, n] = floatsOf(column);
    for (size_t i = 0; i < mask.size() * n; ++i)
        if (floats[i] == 0.0f) floats[i] = mask[i / n] & 1 << (i % n) ? -0.0f : 0.0f;
}

vdb::points::PointDataGrid::Ptr gridOf(const std::string& name, const AttributeSet& set) {
    const auto p = set.find<V3f>("P");
    std::vector<vdb::Vec3R> places;
    places.reserve(p.size());
    for (const V3f& q : p)  // what is no place has none in space; its column keeps it
        places.push_back(isFinite(q) ? vdb::Vec3R(q.x, q.y, q.z) : vdb::Vec3R(0.0));
    const auto transform = vdb::math::Transform::createLinearTransform(voxelSizeFor(places));
    vdb::points::PointAttributeVector<vdb::Vec3R> wrapper(places);
    const auto index = vdb::tools::createPointIndexGrid<IndexGrid>(wrapper, *transform);
    auto grid = vdb::points::createPointDataGrid<vdb::points::NullCodec, vdb::points::PointDataGrid>(
        *index, wrapper, *transform);
    grid->setName(name);
    std::string columns;
    for (const auto& [id, column] : set.columns()) {
        const std::string mark = typeMark(*column);
        if (mark.empty()) continue;
        columns += (columns.empty() ? "" : ";") + id + ":" + mark;
        addColumn(*grid, *index, id == "P" ? "P_exact" : id, *column);
        if (std::vector<int32_t> mask = negativeZeros(*column, set.size()); !mask.empty()) {
            columns += ";" + id + ":z";
            addColumn(*grid, *index, id + "_signs", Column(std::move(mask)));
        }
    }
    std::vector<int32_t> order(p.size());
    for (size_t i = 0; i < order.size(); ++i) order[i] = int32_t(i);
    addColumn(*grid, *index, "order", Column(std::move(order)));
    grid->insertMeta("ovrix_columns", vdb::StringMetadata(columns));
    grid->insertMeta("ovrix_count", vdb::Int64Metadata(int64_t(p.size())));
    return grid;
}

using Leaf = vdb::points::PointDataTree::LeafNodeType;

/// Copies one column of all leaves to where the order says.
template <class Vdb, class Out, class Convert>
void readColumn(const std::vector<const Leaf*>& leaves, const std::string& name, std::span<Out> out,
                const Convert& convert) {
    tbb::parallel_for(size_t(0), leaves.size(), [&](size_t l) {
        const Leaf& leaf = *leaves[l];
        const auto order = vdb::points::AttributeHandle<int32_t>::create(leaf.constAttributeArray("order"));
        const auto values = vdb::points::AttributeHandle<Vdb>::create(leaf.constAttributeArray(name));
        for (auto i = leaf.beginIndexOn(); i; ++i) {
            const auto at = order->get(*i);
            if (at >= 0 && size_t(at) < out.size()) out[size_t(at)] = convert(values->get(*i));
        }
    });
}

AttributeSet setOf(const vdb::points::PointDataGrid& grid, const std::filesystem::path& path) {
    const Error damaged("is no frame of a simulation, or is damaged", path.string(), "Bake it again");
    const auto text = grid.getMetadata<vdb::StringMetadata>("ovrix_columns");
    const auto number = grid.getMetadata<vdb::Int64Metadata>("ovrix_count");
    if (!text || !number || number->value() < 0 ||
        uint64_t(number->value()) != vdb::points::pointCount(grid.tree()))
        throw damaged;
    const auto count = size_t(number->value());
    std::vector<const Leaf*> leaves;
    for (auto leaf = grid.tree().cbeginLeaf(); leaf; ++leaf) leaves.push_back(leaf.getLeaf());
    AttributeSet set;
    std::stringstream list(text->value());
    std::string part;
    const auto identity = [](const auto& x) { return x; };
    const auto take = [&]<class Vdb, class Out>(const std::string& name, std::type_identity<Vdb>,
                                                std::type_identity<Out>, const auto& convert) {
        const std::string own = name == "P" ? "P_exact" : name;
        for (const Leaf* leaf : leaves)
            if (!leaf->hasAttribute(own) || !leaf->hasAttribute("order") ||
                leaf->constAttributeArray(own).valueType() != vdb::typeNameAsString<Vdb>())
                throw damaged;
        std::vector<Out> values(count);
        readColumn<Vdb>(leaves, own, std::span<Out>(values), convert);
        set.set(name, std::move(values));
    };
    using F3 = vdb::Vec3f;
    while (std::getline(list, part, ';')) {
        const auto colon = part.rfind(':');
        if (colon == std::string::npos || colon + 2 != part.size()) throw damaged;
        const std::string name = part.substr(0, colon);
        switch (part.back()) {
            case 'f':
                take(name, std::type_identity<float>(), std::type_identity<float>(), identity);
                break;
            case 'i':
                take(name, std::type_identity<int32_t>(), std::type_identity<int32_t>(), identity);
                break;
            case 'u':
                take(name, std::type_identity<int64_t>(), std::type_identity<uint64_t>(),
                     [](int64_t x) { return uint64_t(x); });
                break;
            case 'z': {  // after its column
                take(name + "_signs", std::type_identity<int32_t>(), std::type_identity<int32_t>(), identity);
                const auto mask = std::as_const(set).find<int32_t>(name + "_signs");
                const std::vector<int32_t> signs(mask.begin(), mask.end());
                for (const auto& [id, column] : set.columns())
                    if (id == name) {
                        Column signedOnes = *column;
                        putNegativeZeros(signedOnes, signs);
                        set.set(name, std::move(signedOnes));
                        break;
                    }
                set.remove(name + "_signs");
                break;
            }
            case '2':
                take(name, std::type_identity<F3>(), std::type_identity<V2f>(),
                     [](const F3& v) { return V2f(v.x(), v.y()); });
                break;
            case '3':
                take(name, std::type_identity<F3>(), std::type_identity<V3f>(),
                     [](const F3& v) { return V3f(v.x(), v.y(), v.z()); });
                break;
            case 'c':
                take(name, std::type_identity<F3>(), std::type_identity<Color>(),
                     [](const F3& v) { return Color(v.x(), v.y(), v.z()); });
                break;
            case 'q':
                take(name, std::type_identity<vdb::math::Quat<float>>(), std::type_identity<Quatf>(),
                     [](const auto& q) { return Quatf(q.w(), V3f(q.x(), q.y(), q.z())); });
                break;
            default:
                throw damaged;
        }
    }
    return set;
}

/// Runs @p body on the grids of a file, its own errors in our words.
template <class Body>
auto withFile(const std::filesystem::path& path, const Body& body) {
    initialise();
    requireReadable(path);
    try {
        std::ifstream in(path, std::ios::binary);
        in.exceptions(std::ios::badbit | std::ios::failbit);
        vdb::io::Stream stream(in);
        return body(*stream.getGrids(), *stream.getMetadata());
    } catch (const Error&) {
        throw;
    } catch (const std::exception& e) {  // of the library, or of the stream that ends too soon
        throw Error(std::string("is no frame of a simulation, or is damaged (") + e.what() + ")",
                    path.string(), "Bake it again");
    }
}

std::map<std::string, std::string> textsOf(const vdb::MetaMap& meta) {
    std::map<std::string, std::string> texts;
    for (auto it = meta.beginMeta(); it != meta.endMeta(); ++it)
        if (const auto text = std::dynamic_pointer_cast<vdb::StringMetadata>(it->second))
            texts[it->first] = text->value();
    return texts;
}

}  // namespace

void writeStateVdb(const std::filesystem::path& path, const StateFile& state) {
    initialise();
    vdb::GridCPtrVec grids;
    for (const auto& [name, set] : state.sets) grids.push_back(gridOf(name, set));
    vdb::MetaMap meta;
    for (const auto& [id, text] : state.notes) meta.insertMeta(id, vdb::StringMetadata(text));
    std::ostringstream bytes(std::ios::binary);
    vdb::io::Stream out(bytes);
    out.setCompression(vdb::io::COMPRESS_BLOSC | vdb::io::COMPRESS_ACTIVE_MASK);
    out.write(grids, meta);
    writeFile(path, bytes.str());
}

StateFile readStateVdb(const std::filesystem::path& path) {
    return withFile(path, [&](const vdb::GridPtrVec& grids, const vdb::MetaMap& meta) {
        StateFile state;
        state.notes = textsOf(meta);
        for (const auto& grid : grids) {
            const auto points = vdb::gridPtrCast<vdb::points::PointDataGrid>(grid);
            if (points) state.sets.emplace_back(points->getName(), setOf(*points, path));
        }
        if (state.sets.empty()) throw Error("is no frame of a simulation", path.string(), "Bake it again");
        return state;
    });
}

}  // namespace ovrix
