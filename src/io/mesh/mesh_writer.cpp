#include "io/mesh/mesh_writer.h"

#include <fmt/format.h>

#include <cstring>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/files.h"

namespace ovrix::io {

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

void writeObjMesh(const std::filesystem::path& path, const Mesh& mesh) {
    std::string out = "# metres, Y up\n";
    const auto line = [&out]<class... T>(fmt::format_string<T...> text, T&&... parts) {
        fmt::format_to(std::back_inserter(out), text, std::forward<T>(parts)...);
    };
    for (const V3f& p : mesh.positions()) line("v {} {} {}\n", p.x, p.y, p.z);
    for (const V2f& t : mesh.uvs()) line("vt {} {}\n", t.x, t.y);
    for (const V3f& n : mesh.normals()) line("vn {} {} {}\n", n.x, n.y, n.z);
    const auto slots = mesh.slots();
    int32_t slot = -1;
    for (size_t f = 0; f < mesh.faceCount(); ++f) {
        if (!slots.empty() && slots[f] != slot) {
            slot = slots[f];
            const bool named = slot >= 0 && size_t(slot) < mesh.slotNames.size();
            line("g {}\n", named ? mesh.slotNames[size_t(slot)] : fmt::format("slot_{}", slot));
        }
        out += 'f';
        for (uint32_t c = mesh.faceStart[f]; c < mesh.faceStart[f + 1]; ++c) {
            if (mesh.uvs().empty())
                line(" {}//{}", mesh.cornerPoint[c] + 1, c + 1);
            else
                line(" {}/{}/{}", mesh.cornerPoint[c] + 1, c + 1, c + 1);
        }
        out += '\n';
    }
    writeFile(path, out);
}

void writeGlbMesh(const std::filesystem::path& path, const Mesh& mesh) {
    using Json = nlohmann::ordered_json;
    const size_t corners = mesh.cornerPoint.size();
    std::string data;
    Json views = Json::array(), accessors = Json::array();
    const auto part = [&](size_t count, int componentType, const char* type,
                          const std::function<void()>& put) {
        const size_t begin = data.size();
        put();
        views.push_back(Json{{"buffer", 0}, {"byteOffset", begin}, {"byteLength", data.size() - begin}});
        accessors.push_back(Json{{"bufferView", views.size() - 1},
                                 {"componentType", componentType},
                                 {"count", count},
                                 {"type", type}});
        return accessors.size() - 1;
    };
    constexpr int kFloat = 5126, kUint = 5125;
    Json attributes;
    attributes["POSITION"] = part(corners, kFloat, "VEC3", [&] {
        for (uint32_t c = 0; c < corners; ++c) append(data, mesh.cornerPosition(c));
    });
    const Box3f& box = mesh.bounds();
    accessors.back()["min"] = Json::array({box.min.x, box.min.y, box.min.z});
    accessors.back()["max"] = Json::array({box.max.x, box.max.y, box.max.z});
    attributes["NORMAL"] = part(corners, kFloat, "VEC3", [&] {
        for (const V3f& n : mesh.normals()) append(data, n);
    });
    if (!mesh.uvs().empty())
        attributes["TEXCOORD_0"] = part(corners, kFloat, "VEC2", [&] {
            for (const V2f& t : mesh.uvs()) append(data, V2f(t.x, 1.0f - t.y));  // its V runs down
        });
    const size_t indices = part(mesh.triangles().size() * 3, kUint, "SCALAR", [&] {
        for (const Triangle& t : mesh.triangles())
            for (uint32_t c : t) append(data, c);
    });
    if (data.size() > UINT32_MAX - (1u << 20))
        throw Error("the mesh is too large for a .glb file", path.string(), "Use .ply, or export instances");
    const Json j{{"asset", {{"version", "2.0"}, {"generator", "Ovrix " OVRIX_VERSION}}},
                 {"scene", 0},
                 {"scenes", Json::array({Json{{"nodes", Json::array({0})}}})},
                 {"nodes", Json::array({Json{{"mesh", 0}}})},
                 {"meshes", Json::array({Json{{"primitives", Json::array({Json{{"attributes", attributes},
                                                                               {"indices", indices}}})}}})},
                 {"buffers", Json::array({Json{{"byteLength", data.size()}}})},
                 {"bufferViews", views},
                 {"accessors", accessors}};
    std::string text = j.dump();
    while (text.size() % 4) text += ' ';
    while (data.size() % 4) data += '\0';
    std::string out;
    for (uint32_t x : {0x46546C67u, 2u, uint32_t(12 + 8 + text.size() + 8 + data.size())}) append(out, x);
    append(out, uint32_t(text.size())), append(out, 0x4E4F534Au);
    out += text;
    append(out, uint32_t(data.size())), append(out, 0x004E4942u);
    writeFile(path, out + data);
}

}  // namespace ovrix::io
