#include "io/mesh_blob.h"

#include <cstring>

namespace ovrix {

namespace {

class Writer {
  public:
    template <class T>
    void array(std::span<const T> values) {
        const uint64_t count = values.size();
        bytes.append(reinterpret_cast<const char*>(&count), sizeof count);
        bytes.append(reinterpret_cast<const char*>(values.data()), values.size_bytes());
    }
    template <class T>
    void value(const T& v) {
        array(std::span<const T>(&v, 1));
    }
    void text(const std::string& s) { array(std::span<const char>(s)); }
    std::string bytes;
};

class Reader {
  public:
    explicit Reader(std::string_view b) : left_(b) {}
    template <class T>
    std::vector<T> array() {
        uint64_t count = 0;
        take(&count, sizeof count);
        if (count > left_.size() / sizeof(T)) throw Error("the mesh reader's answer is not whole");
        std::vector<T> values;
        values.resize(count);
        take(values.data(), count * sizeof(T));
        return values;
    }
    template <class T>
    T value() {
        const auto values = array<T>();
        if (values.size() != 1) throw Error("the mesh reader's answer is not whole");
        return values[0];
    }
    std::string text() {
        const auto chars = array<char>();
        return {chars.begin(), chars.end()};
    }

  private:
    void take(void* to, size_t size) {
        if (size > left_.size()) throw Error("the mesh reader's answer is not whole");
        if (size) std::memcpy(to, left_.data(), size);
        left_.remove_prefix(size);
    }
    std::string_view left_;
};

}  // namespace

std::string packMesh(const FileMesh& file) {
    const Mesh& mesh = *file.mesh;
    Writer w;
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
    Reader r(bytes);
    FileMesh file;
    file.mesh = std::make_shared<Mesh>();
    Mesh& mesh = *file.mesh;
    mesh.points.set("P", r.array<V3f>());
    mesh.faceStart = r.array<uint32_t>();
    mesh.cornerPoint = r.array<uint32_t>();
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

}  // namespace ovrix
