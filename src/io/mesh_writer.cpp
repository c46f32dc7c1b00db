#include "io/mesh_writer.h"

#include <cstring>

#include "base/files.h"

namespace ovrix {

namespace {

template <class T>
void append(std::string& out, const T& v) {
    out.append(reinterpret_cast<const char*>(&v), sizeof v);
}

}  // namespace

void writePlyMesh(const std::filesystem::path& path, const Mesh& mesh) {
    const auto n = mesh.normals();
    const auto uv = mesh.uvs();
    std::map<std::string, uint32_t> known;  // bytes of a vertex to its number
    std::string vertices, faces;
    for (size_t f = 0; f < mesh.faceCount(); ++f) {
        append(faces, uint8_t(mesh.faceStart[f + 1] - mesh.faceStart[f]));
        for (uint32_t c = mesh.faceStart[f]; c < mesh.faceStart[f + 1]; ++c) {
            std::string v;
            const V3f p = mesh.cornerPosition(c);
            for (float x : {p.x, p.y, p.z, n[c].x, n[c].y, n[c].z}) append(v, x);
            if (!uv.empty()) append(v, uv[c].x), append(v, uv[c].y);
            const auto [it, isNew] = known.try_emplace(v, uint32_t(known.size()));
            if (isNew) vertices += v;
            append(faces, it->second);
        }
    }
    std::string head = fmt::format("ply\nformat binary_little_endian 1.0\nelement vertex {}\n", known.size());
    for (const char* name : {"x", "y", "z", "nx", "ny", "nz"})
        head += std::string("property float ") + name + "\n";
    if (!uv.empty()) head += "property float s\nproperty float t\n";
    head += fmt::format("element face {}\nproperty list uchar uint vertex_indices\nend_header\n",
                        mesh.faceCount());
    writeFile(path, head + vertices + faces);
}

}  // namespace ovrix
