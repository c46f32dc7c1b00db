#include "io/volume/vdb_points.h"

#include <openvdb/io/File.h>
#include <openvdb/io/Stream.h>
#include <openvdb/openvdb.h>
#include <openvdb/points/PointCount.h>
#include <openvdb/points/PointDataGrid.h>
#include <boost/iostreams/device/array.hpp>
#include <boost/iostreams/device/mapped_file.hpp>
#include <boost/iostreams/stream.hpp>
#define XXH_INLINE_ALL
#include <xxhash.h>

#include <bit>
#include <cstring>
#include <deque>
#include <fstream>
#include <optional>
#include <set>

#include "base/error.h"
#include "base/files.h"
#include "base/parallel.h"
#include "io/points/point_lattice.h"
#include "io/volume/vdb_library.h"

namespace vdb = openvdb;

namespace ovrix::io {

namespace {

void initialise() {
    static const bool done = [] {
        vdb::initialize();
        return true;
    }();
    (void)done;
}

using Leaf = vdb::points::PointDataTree::LeafNodeType;

/// How far ahead of its use memory is asked for that lies anywhere.
constexpr size_t kAhead = 24;

/// A column as the format has it, and how the values of some points get into a leaf.
struct Stored {
    std::string name;
    vdb::NamePair type;
    std::function<void(std::span<const uint32_t> points, vdb::points::AttributeArray& to)> fill;
};

template <class Vdb, class In, class Convert>
Stored stored(const std::string& name, std::span<const In> in, const Convert& convert) {
    using Array = vdb::points::TypedAttributeArray<Vdb>;
    const bool same = std::all_of(in.begin(), in.end(), [&](const In& x) {
        return std::memcmp(&x, in.data(), sizeof(In)) == 0;  // ends at the first other one
    });
    return {name, Array::attributeType(),
            [=](std::span<const uint32_t> points, vdb::points::AttributeArray& to) {
                auto& array = static_cast<Array&>(to);
                if (same) return array.collapse(convert(in[0]));
                array.expand(false);
                auto* out = const_cast<Vdb*>(array.constData());  // the leaf is being made, and is ours
                for (size_t i = 0; i < points.size(); ++i) {
                    if (i + kAhead < points.size()) __builtin_prefetch(&in[points[i + kAhead]]);
                    out[i] = convert(in[points[i]]);
                }
                array.compact();
            }};
}

const auto asVdb = [](const auto& v) { return vdb::Vec3f(v.x, v.y, v.z); };

/// Nothing for types that the format does not have.
std::optional<Stored> storedColumn(const std::string& name, const Column& column) {
    using V3 = vdb::Vec3f;
    using Turn = vdb::math::Quat<float>;
    const auto put = [&]<class Vdb, class In>(std::type_identity<Vdb>, const std::vector<In>& v,
                                              const auto& as) { return stored<Vdb, In>(name, v, as); };
    const auto same = [](auto x) { return x; };
    if (auto* v = std::get_if<std::vector<float>>(&column)) return put(std::type_identity<float>(), *v, same);
    if (auto* v = std::get_if<std::vector<int32_t>>(&column))
        return put(std::type_identity<int32_t>(), *v, same);
    if (auto* v = std::get_if<std::vector<uint64_t>>(&column))
        return put(std::type_identity<int64_t>(), *v, [](uint64_t x) { return int64_t(x); });
    if (auto* v = std::get_if<std::vector<V3f>>(&column)) return put(std::type_identity<V3>(), *v, asVdb);
    if (auto* v = std::get_if<std::vector<Color>>(&column)) return put(std::type_identity<V3>(), *v, asVdb);
    if (auto* v = std::get_if<std::vector<V2f>>(&column))
        return put(std::type_identity<V3>(), *v, [](const V2f& x) { return V3(x.x, x.y, 0.0f); });
    if (auto* v = std::get_if<std::vector<Quatf>>(&column))
        return put(std::type_identity<Turn>(), *v,
                   [](const Quatf& q) { return Turn(q.v.x, q.v.y, q.v.z, q.r); });
    return std::nullopt;
}

/// The place of each point in their set.
Stored storedOrder() {
    using Array = vdb::points::TypedAttributeArray<int32_t>;
    return {"order", Array::attributeType(),
            [](std::span<const uint32_t> points, vdb::points::AttributeArray& to) {
                auto& array = static_cast<Array&>(to);
                array.expand(false);
                std::copy(points.begin(), points.end(), const_cast<int32_t*>(array.constData()));
            }};
}

/// Points in their voxels, voxels in their leaves. The library's own way sorts the points anew for each
/// column; this is many times as fast.
vdb::points::PointDataGrid::Ptr pointGrid(const std::string& name, const PointLattice& lattice,
                                          const std::vector<Stored>& columns) {
    auto grid = vdb::points::PointDataGrid::create();
    grid->setTransform(vdb::math::Transform::createLinearTransform(lattice.size));
    grid->setName(name);
    const PointBlocks blocks = blocksOf(lattice);
    const Stored place = stored<vdb::Vec3f, V3f>("P", lattice.within, asVdb);
    using Set = vdb::points::AttributeSet;
    auto descriptor = Set::Descriptor::create(vdb::points::TypedAttributeArray<vdb::Vec3f>::attributeType());
    for (const Stored& c : columns) descriptor = descriptor->duplicateAppend(c.name, c.type);
    std::vector<Leaf*> leaves(blocks.first.size() - 1);
    parallelEach(leaves.size(), Progress::none(), [&](size_t l) {
        const size_t first = blocks.first[l];
        const std::span<const uint32_t> own(blocks.order.data() + first, blocks.first[l + 1] - first);
        const Voxel& corner = lattice.voxel[own[0]];
        auto* leaf = leaves[l] = new Leaf(vdb::Coord(corner[0], corner[1], corner[2]) & ~7);
        leaf->replaceAttributeSet(new Set(descriptor, vdb::Index(own.size())), true);
        std::vector<Leaf::ValueType> ends(Leaf::SIZE);
        for (size_t i = 0; i < own.size(); ++i) ends[blocks.offset[first + i]] = Leaf::ValueType(i + 1);
        for (size_t v = 1; v < ends.size(); ++v) ends[v] = std::max(ends[v], ends[v - 1]);
        leaf->setOffsets(ends);
        place.fill(own, leaf->attributeArray(0));
        for (size_t c = 0; c < columns.size(); ++c) columns[c].fill(own, leaf->attributeArray(c + 1));
    });
    for (Leaf* leaf : leaves) grid->tree().addLeaf(leaf);
    return grid;
}

constexpr std::string_view kSumMark = "ovrixsum";

/// Ends a file with the sum of all that it holds: others who read it do not look there.
void appendSum(const std::filesystem::path& path) {
    uint64_t sum = 0;
    {
        const boost::iostreams::mapped_file_source written(path.string());
        sum = XXH3_64bits(written.data(), written.size());
    }
    std::ofstream file(path, std::ios::binary | std::ios::app);
    file.write(kSumMark.data(), kSumMark.size());
    file.write(reinterpret_cast<const char*>(&sum), sizeof sum);
    file.close();
    if (!file) throw std::ios_base::failure("could not be written");
}

/// @p summed  see appendSum()
void writeGrids(const std::filesystem::path& temporary, const std::filesystem::path& path,
                const vdb::GridCPtrVec& grids, const vdb::MetaMap& meta, bool summed) {
    std::vector<char> buffer(size_t(1) << 20);
    std::ofstream file;
    file.rdbuf()->pubsetbuf(buffer.data(), std::streamsize(buffer.size()));
    try {
        file.exceptions(std::ios::badbit | std::ios::failbit);
        file.open(temporary, std::ios::binary);
        vdb::io::Stream out(file);
        out.setCompression(vdb::io::COMPRESS_BLOSC | vdb::io::COMPRESS_ACTIVE_MASK);
        out.write(grids, meta);
        file.close();
        if (summed) appendSum(temporary);
    } catch (const std::exception&) {  // of the library, of a stream
        throw Error("could not be written", path.string(), "Free some space on the disk, or save elsewhere");
    }
}

}  // namespace

void putVdbPoints(const std::filesystem::path& path, const AttributeSet& points) {
    initialise();
    std::vector<Stored> columns;
    for (const auto& [name, column] : points.columns())
        if (name != "P")
            if (auto own = storedColumn(name, *column)) columns.push_back(std::move(*own));
    writeGrids(path, path, {pointGrid("points", PointLattice(points.find<V3f>("P")), columns)}, {}, false);
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
    uint32_t any = 0;
    for (size_t i = 0; i < count * n; ++i) any |= uint32_t(std::bit_cast<uint32_t>(floats[i]) == 0x80000000u);
    if (!any) return mask;
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
    std::deque<Column> own;  // what only we need
    std::vector<Stored> columns;
    const auto add = [&](const std::string& id, const Column& column) {
        if (auto one = storedColumn(id, column)) columns.push_back(std::move(*one));
    };
    const PointLattice lattice(set.find<V3f>("P"));
    std::string list;
    for (const auto& [id, column] : set.columns()) {
        const std::string mark = typeMark(*column);
        if (mark.empty()) continue;
        list += (list.empty() ? "" : ";") + id + ":" + mark;
        if (id != "P")
            add(id, *column);
        else if (!lattice.exact)  // some too far, too near the middle, or no number
            add("P_exact", *column);
        if (std::vector<int32_t> mask = negativeZeros(*column, set.size()); !mask.empty()) {
            list += ";" + id + ":z";
            add(id + "_signs", own.emplace_back(std::move(mask)));
        }
    }
    columns.push_back(storedOrder());
    const auto grid = pointGrid(name, lattice, columns);
    grid->insertMeta("ovrix_columns", vdb::StringMetadata(list));
    grid->insertMeta("ovrix_count", vdb::Int64Metadata(int64_t(set.size())));
    return grid;
}

/// The values of a leaf's column, one for each of its points: as they lie, or one that stands for all.
template <class Vdb>
struct Values {
    const Vdb* at;
    bool uniform;
    Values(const Leaf& leaf, const std::string& name) {
        const auto& array =
            static_cast<const vdb::points::TypedAttributeArray<Vdb>&>(leaf.constAttributeArray(name));
        array.loadData();
        at = array.constData(), uniform = array.isUniform();
    }
    const Vdb& operator[](size_t i) const { return at[uniform ? 0 : i]; }
};

/// Copies one column of all leaves to where the order says.
template <class Vdb, class Out, class Convert>
void readColumn(const std::vector<const Leaf*>& leaves, const std::string& name, std::span<Out> out,
                const Convert& convert) {
    const auto first = [&](size_t l) { return Values<Vdb>(*leaves[l], name); };
    bool same = true;  // then no order counts
    for (size_t l = 0; l < leaves.size() && same; ++l)
        same = first(l).uniform && std::memcmp(first(l).at, first(0).at, sizeof(Vdb)) == 0;
    if (same && !leaves.empty()) return std::fill(out.begin(), out.end(), convert(*first(0).at));
    parallelEach(leaves.size(), Progress::none(), [&](size_t l) {
        const Leaf& leaf = *leaves[l];
        const Values<int32_t> order(leaf, "order");
        const Values<Vdb> values(leaf, name);
        const size_t n = leaf.constAttributeArray("order").size();
        for (size_t i = 0; i < n; ++i) {
            if (i + kAhead < n) __builtin_prefetch(out.data() + order[i + kAhead], 1);
            if (const auto at = order[i]; at >= 0 && size_t(at) < out.size())
                out[size_t(at)] = convert(values[i]);
        }
    });
}

template <class Vdb, class Out, class Convert>
bool takeAs(const std::vector<const Leaf*>& leaves, const std::string& name, size_t count, Column& column,
            const Convert& convert) {
    for (const Leaf* leaf : leaves)
        if (!leaf->hasAttribute(name) || !leaf->hasAttribute("order") ||
            leaf->constAttributeArray(name).type() !=
                vdb::points::TypedAttributeArray<Vdb>::attributeType() ||
            leaf->constAttributeArray("order").type() !=
                vdb::points::TypedAttributeArray<int32_t>::attributeType() ||
            leaf->constAttributeArray(name).size() != leaf->constAttributeArray("order").size())
            return false;
    std::vector<Out> values(count);
    readColumn<Vdb>(leaves, name, std::span<Out>(values), convert);
    column = std::move(values);
    return true;
}

/// Places by voxel, for frames whose lattice is exact. False where a leaf has none.
bool takePlaces(const std::vector<const Leaf*>& leaves, double size, size_t count, Column& column) {
    using Inside = vdb::points::TypedAttributeArray<vdb::Vec3f>;
    for (const Leaf* leaf : leaves)
        if (!leaf->hasAttribute("P") || !leaf->hasAttribute("order") ||
            leaf->constAttributeArray("P").type() != Inside::attributeType() ||
            leaf->constAttributeArray("P").size() != leaf->constAttributeArray("order").size())
            return false;
    std::vector<V3f> positions(count);
    parallelEach(leaves.size(), Progress::none(), [&](size_t l) {
        const Leaf& leaf = *leaves[l];
        const Values<int32_t> order(leaf, "order");
        const Values<vdb::Vec3f> within(leaf, "P");
        const size_t n = leaf.constAttributeArray("order").size();
        size_t i = 0;
        for (vdb::Index v = 0; v < Leaf::SIZE; ++v) {
            const vdb::Coord at = leaf.offsetToGlobalCoord(v);
            const Voxel voxel = {at.x(), at.y(), at.z()};
            for (const size_t end = std::min(n, size_t(leaf.getValue(v))); i < end; ++i) {
                if (i + kAhead < n) __builtin_prefetch(positions.data() + order[i + kAhead], 1);
                const V3f in(within[i].x(), within[i].y(), within[i].z());
                if (const auto to = order[i]; to >= 0 && size_t(to) < count)
                    positions[size_t(to)] = placeIn(voxel, in, size);
            }
        }
    });
    column = std::move(positions);
    return true;
}

/// False where a leaf does not have it, or has it as another type.
bool takeColumn(const std::vector<const Leaf*>& leaves, const std::string& name, char mark, size_t count,
                Column& column) {
    using F3 = vdb::Vec3f;
    const auto identity = [](const auto& x) { return x; };
    switch (mark) {
        case 'f':
            return takeAs<float, float>(leaves, name, count, column, identity);
        case 'i':
            return takeAs<int32_t, int32_t>(leaves, name, count, column, identity);
        case 'u':
            return takeAs<int64_t, uint64_t>(leaves, name, count, column,
                                             [](int64_t x) { return uint64_t(x); });
        case '2':
            return takeAs<F3, V2f>(leaves, name, count, column,
                                   [](const F3& v) { return V2f(v.x(), v.y()); });
        case '3':
            return takeAs<F3, V3f>(leaves, name, count, column,
                                   [](const F3& v) { return V3f(v.x(), v.y(), v.z()); });
        case 'c':
            return takeAs<F3, Color>(leaves, name, count, column,
                                     [](const F3& v) { return Color(v.x(), v.y(), v.z()); });
        case 'q':
            return takeAs<vdb::math::Quat<float>, Quatf>(leaves, name, count, column, [](const auto& q) {
                return Quatf(q.w(), V3f(q.x(), q.y(), q.z()));
            });
        default:
            return false;
    }
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
    // By name: its type's mark, and whether some of its zeros are below nothing.
    std::vector<std::pair<std::string, char>> columns;
    std::set<std::string> signedZeros;
    std::stringstream list(text->value());
    for (std::string part; std::getline(list, part, ';');) {
        const auto colon = part.rfind(':');
        if (colon == std::string::npos || colon + 2 != part.size()) throw damaged;
        const std::string name = part.substr(0, colon);
        if (part.back() == 'z')
            signedZeros.insert(name);
        else
            columns.emplace_back(name, part.back());
    }
    std::vector<Column> values(columns.size());
    parallelEach(columns.size(), Progress::none(), [&](size_t c) {
        const auto& [name, mark] = columns[c];
        const bool exact = !leaves.empty() && leaves[0]->hasAttribute("P_exact");
        const bool taken = name == "P" && !exact
                               ? takePlaces(leaves, grid.transform().voxelSize().x(), count, values[c])
                               : takeColumn(leaves, name == "P" ? "P_exact" : name, mark, count, values[c]);
        if (!taken) throw damaged;
        if (!signedZeros.count(name)) return;
        Column mask;
        if (!takeColumn(leaves, name + "_signs", 'i', count, mask)) throw damaged;
        putNegativeZeros(values[c], std::get<std::vector<int32_t>>(mask));
    });
    AttributeSet set;
    for (size_t c = 0; c < columns.size(); ++c) set.set(columns[c].first, std::move(values[c]));
    return set;
}

/// Runs @p body on the grids of a file, its own errors in our words. The library does not look what it is
/// given: only what has the right sum comes to it.
template <class Body>
auto withFile(const std::filesystem::path& path, const Body& body) {
    initialise();
    requireReadable(path);
    try {
        std::string_view all;  // not copied: ours are never written in place, so they do not change under it
        boost::iostreams::mapped_file_source file;
        if (std::filesystem::file_size(path) > 0) {  // nothing cannot be mapped
            file.open(path.string());
            all = {file.data(), file.size()};
        }
        const size_t end = kSumMark.size() + sizeof(uint64_t);
        uint64_t sum = 0;
        if (all.size() > end) std::memcpy(&sum, all.data() + all.size() - sizeof sum, sizeof sum);
        if (all.size() <= end || all.substr(all.size() - end, kSumMark.size()) != kSumMark ||
            XXH3_64bits(all.data(), all.size() - end) != sum)
            throw Error("is no frame of a simulation, or is damaged", path.string(), "Bake it again");
        vdb::io::File whole(path.string());
        whole.setCopyMaxBytes(0);
        whole.open();  // columns are unpacked when they are asked for: by all threads
        const auto grids = whole.getGrids();
        return body(*grids, *whole.getMetadata());
    } catch (const Error&) {
        throw;
    } catch (const std::exception& e) {
        logDetail(path.string(), e.what());
        throw Error("is no frame of a simulation, or is damaged", path.string(), "Bake it again");
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

std::function<void()> prepareStateVdb(const std::filesystem::path& path, const StateFile& state) {
    initialise();
    vdb::GridCPtrVec grids;
    for (const auto& [name, set] : state.sets) grids.push_back(gridOf(name, set));
    vdb::MetaMap meta;
    for (const auto& [id, text] : state.notes) meta.insertMeta(id, vdb::StringMetadata(text));
    return [path, grids = std::move(grids), meta = std::move(meta)] {
        writeAtomically(path, [&](const std::filesystem::path& temporary) {
            writeGrids(temporary, path, grids, meta, true);
        });
    };
}

StateFile parseStateVdb(const std::filesystem::path& path) {
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

}  // namespace ovrix::io
