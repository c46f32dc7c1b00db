// OpenVDB files: read by way of the reading process, written by the library of volumes.
#include "base/error.h"
#include "io/process/blob.h"
#include "io/process/confined_reader.h"
#include "io/process/library.h"
#include "io/state/state_blob.h"
#include "io/volume/vdb_blob.h"
#include "io/volume/vdb_grids.h"
#include "io/volume/vdb_library.h"
#include "io/volume/vdb_points.h"

namespace ovrix::io {

const VdbLibrary& vdbLibrary() {
    static const auto& table =
        *static_cast<const VdbLibrary*>(fromLibrary("libovrix_volumes.so", "ovrixVolumes"));
    return table;
}

void writeVdbPoints(const std::filesystem::path& path, const AttributeSet& points) {
    vdbLibrary().writePoints(path, points);
}

std::function<void()> readyStateVdb(const std::filesystem::path& path, const StateFile& state) {
    return vdbLibrary().readyState(path, state);
}

void writeVectorGrid(const std::filesystem::path& path, const std::string& name, const VectorGrid& grid) {
    vdbLibrary().writeGrid(path, name, grid);
}

std::string packInfo(const ElementsInfo& info) {
    BlobWriter w;
    w.text(info.kind);
    w.value(uint64_t(info.count));
    w.value(info.bounds);
    w.value(uint64_t(info.attributes.size()));
    for (const auto& [name, type] : info.attributes) w.text(name), w.text(type);
    return std::move(w.bytes);
}

std::string packGrid(const VectorGrid& grid) {
    BlobWriter w;
    w.value(grid.size);
    w.value(grid.cellFromWorld);
    w.array(std::span<const V3f>(grid.values));
    return std::move(w.bytes);
}

StateFile readStateVdb(const std::filesystem::path& path, size_t memory, Progress& progress) {
    return unpackState(readConfined(Reading::Frame, path, memory, progress)->bytes());
}

PointSet readVdbPoints(const std::filesystem::path& path, size_t memory, Progress& progress) {
    StateFile state = unpackState(readConfined(Reading::Points, path, memory, progress)->bytes());
    if (state.sets.size() != 1) BlobReader::notWhole();
    return {std::move(state.sets[0].second)};
}

ElementsInfo readVdbInfo(const std::filesystem::path& path) {
    const auto answer = readConfined(Reading::PointsInfo, path, SIZE_MAX, Progress::none());
    BlobReader r(answer->bytes());
    ElementsInfo info;
    info.kind = r.text();
    info.count = size_t(r.value<uint64_t>());
    info.bounds = r.value<Box3f>();
    for (uint64_t n = r.value<uint64_t>(); n-- > 0;) {
        const std::string name = r.text();
        info.attributes.emplace_back(name, r.text());
    }
    return info;
}

VectorGrid readVectorGrid(const std::filesystem::path& path, const std::string& name, size_t limit,
                          Progress& progress) {
    const auto answer = readConfined(Reading::Vectors, path, limit, progress, {name, std::to_string(limit)});
    BlobReader r(answer->bytes());
    VectorGrid grid;
    grid.size = r.value<V3i>();
    grid.cellFromWorld = r.value<M44f>();
    grid.values = r.array<V3f>();
    const V3i& s = grid.size;
    if (s.x < 0 || s.y < 0 || s.z < 0 || double(s.x) * s.y * s.z != double(grid.values.size()))
        BlobReader::notWhole();
    return grid;
}

}  // namespace ovrix::io
