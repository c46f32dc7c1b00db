#include "io/mesh/mesh_blob.h"

#include "io/process/blob.h"

namespace ovrix::io {

std::string packMesh(const FileMesh& file) {
    const Mesh& mesh = *file.mesh;
    BlobWriter w;
    w.array(mesh.positions());
    w.array(std::span<const uint32_t>(mesh.faceStart));
    w.array(std::span<const uint32_t>(mesh.cornerPoint));
    w.array(mesh.normals());
    w.array(mesh.uvs());
    w.array(mesh.slots());
    w.value(uint64_t(file.materials.size()));
    for (const FileMaterial& m : file.materials) {
        w.text(m.name);
        w.value(m.baseColor);
        w.value(m.emission);
        w.value(m.roughness);
        w.value(m.metalness);
        w.text(m.baseColorImage);
    }
    return std::move(w.bytes);
}

FileMesh unpackMesh(std::string_view bytes) {
    BlobReader r(bytes);
    FileMesh file;
    file.mesh = std::make_shared<Mesh>();
    Mesh& mesh = *file.mesh;
    mesh.points.set("P", r.array<V3f>());
    mesh.faceStart = r.array<uint32_t>();
    mesh.cornerPoint = r.array<uint32_t>();
    const auto& start = mesh.faceStart;
    if (start.empty() || start[0] != 0 || start.back() != mesh.cornerPoint.size() ||
        !std::is_sorted(start.begin(), start.end()))
        BlobReader::notWhole();
    if (auto n = r.array<V3f>(); !n.empty()) mesh.corners.set("N", std::move(n));
    if (auto uv = r.array<V2f>(); !uv.empty()) mesh.corners.set("uv", std::move(uv));
    if (auto slot = r.array<int32_t>(); !slot.empty()) mesh.faces.set("slot", std::move(slot));
    const auto count = r.value<uint64_t>();
    for (uint64_t i = 0; i < count; ++i) {
        FileMaterial m;
        m.name = r.text();
        m.baseColor = r.value<Color>();
        m.emission = r.value<Color>();
        m.roughness = r.value<float>();
        m.metalness = r.value<float>();
        m.baseColorImage = r.text();
        mesh.slotNames.push_back(m.name);
        file.materials.push_back(std::move(m));
    }
    mesh.finish();
    return file;
}

}  // namespace ovrix::io
