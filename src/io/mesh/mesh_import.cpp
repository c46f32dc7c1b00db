#include "io/mesh/mesh_import.h"

#include <assimp/config.h>
#include <assimp/material.h>
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <fmt/format.h>
#include <meshoptimizer.h>

#include <assimp/Importer.hpp>
#include <cstring>
#include <fstream>
#include <nlohmann/json.hpp>
#include <sstream>

#include "base/files.h"
#include "base/json_guard.h"

namespace ovrix::io {

namespace {

struct Gather {
    const aiScene& scene;
    bool wantNormals, wantUvs;
    std::vector<V3f> positions, normals;
    std::vector<V2f> uvs;
    std::vector<int32_t> slots;
    Mesh& mesh;

    Gather(const aiScene& s, Mesh& m) : scene(s), wantNormals(true), wantUvs(false), mesh(m) {
        size_t vertices = 0;
        for (unsigned i = 0; i < scene.mNumMeshes; ++i) {
            wantNormals &= scene.mMeshes[i]->HasNormals();
            wantUvs |= scene.mMeshes[i]->HasTextureCoords(0);
            vertices += scene.mMeshes[i]->mNumVertices;
        }
        positions.reserve(vertices);
    }

    void walk(const aiNode& node, const aiMatrix4x4& above, int depth) {
        if (depth > 256) throw Error("its parts are nested too deeply");
        const aiMatrix4x4 matrix = above * node.mTransformation;
        for (unsigned i = 0; i < node.mNumMeshes; ++i) add(*scene.mMeshes[node.mMeshes[i]], matrix);
        for (unsigned i = 0; i < node.mNumChildren; ++i) walk(*node.mChildren[i], matrix, depth + 1);
    }

    void add(const aiMesh& part, const aiMatrix4x4& matrix) {
        const size_t first = positions.size();
        for (unsigned i = 0; i < part.mNumVertices; ++i) {
            const aiVector3D p = matrix * part.mVertices[i];
            if (!std::isfinite(p.x) || !std::isfinite(p.y) || !std::isfinite(p.z))
                throw Error(fmt::format("the position of point {} is not a number", i + 1));
            positions.push_back(V3f(p.x, p.y, p.z) + V3f(0.0f));  // -0 and 0 are the same
        }
        const aiMatrix3x3 turn = aiMatrix3x3(aiMatrix4x4(matrix).Inverse().Transpose());
        for (unsigned f = 0; f < part.mNumFaces; ++f) addFace(part, part.mFaces[f], first, turn);
    }

    /// Faces that a file keeps apart share their points again where those are equal.
    void weld() {
        if (positions.size() > UINT32_MAX) throw Error("has more points than a mesh can hold");
        std::vector<uint32_t> point(positions.size());
        const size_t left = meshopt_generateVertexRemap(point.data(), nullptr, positions.size(),
                                                        positions.data(), positions.size(), sizeof(V3f));
        meshopt_remapVertexBuffer(positions.data(), positions.data(), positions.size(), sizeof(V3f),
                                  point.data());
        positions.resize(left);
        for (uint32_t& corner : mesh.cornerPoint) corner = point[corner];
    }

    void addFace(const aiMesh& part, const aiFace& face, size_t first, const aiMatrix3x3& turn) {
        if (face.mNumIndices < 3) return;  // loose points and lines are no surface
        for (unsigned c = 0; c < face.mNumIndices; ++c) {
            const unsigned v = face.mIndices[c];
            if (v >= part.mNumVertices)
                throw Error(fmt::format("a face refers to point {} of {}", v + 1, part.mNumVertices));
            mesh.cornerPoint.push_back(uint32_t(first + v));
            if (wantNormals) normals.push_back(unit(turn * part.mNormals[v]));
            if (wantUvs) uvs.push_back(uvOf(part, v));
        }
        mesh.faceStart.push_back(uint32_t(mesh.cornerPoint.size()));
        slots.push_back(int32_t(part.mMaterialIndex));
    }

    static V3f unit(const aiVector3D& n) {
        const V3f v(n.x, n.y, n.z);
        const float length = v.length();
        return std::isfinite(length) && length > 0.0f ? v / length : V3f(0, 1, 0);
    }
    static V2f uvOf(const aiMesh& part, unsigned v) {
        if (!part.HasTextureCoords(0)) return V2f(0.0f);
        const aiVector3D t = part.mTextureCoords[0][v];
        return std::isfinite(t.x) && std::isfinite(t.y) ? V2f(t.x, t.y) : V2f(0.0f);
    }
};

FileMaterial convert(const aiMaterial& from, const std::filesystem::path& folder) {
    FileMaterial m;
    aiString text;
    if (from.Get(AI_MATKEY_NAME, text) == AI_SUCCESS) m.name = text.C_Str();
    aiColor3D color;
    const auto put = [&](Color& to) { to = Color(color.r, color.g, color.b); };
    if (from.Get(AI_MATKEY_COLOR_DIFFUSE, color) == AI_SUCCESS) put(m.baseColor);
    if (from.Get(AI_MATKEY_BASE_COLOR, color) == AI_SUCCESS) put(m.baseColor);
    if (from.Get(AI_MATKEY_COLOR_EMISSIVE, color) == AI_SUCCESS) put(m.emission);
    float number = 0.0f;
    if (from.Get(AI_MATKEY_ROUGHNESS_FACTOR, number) == AI_SUCCESS)
        m.roughness = number;
    else if (from.Get(AI_MATKEY_SHININESS, number) == AI_SUCCESS && number > 0.0f)
        m.roughness =
            std::sqrt(std::sqrt(2.0f / (number + 2.0f)));  // Phong exponent to the width of the same lobe
    if (from.Get(AI_MATKEY_METALLIC_FACTOR, number) == AI_SUCCESS) m.metalness = number;
    if (from.GetTexture(aiTextureType_BASE_COLOR, 0, &text) == AI_SUCCESS ||
        from.GetTexture(aiTextureType_DIFFUSE, 0, &text) == AI_SUCCESS)
        if (text.length && text.C_Str()[0] != '*')
            m.baseColorImage = (folder / text.C_Str()).lexically_normal().string();
    return m;
}

/// Counts that the head of a file promises; a reader that finds fewer has read a truncated file.
struct Promise {
    size_t points = 0, faces = 0;
};

/// The lines of an OFF file that say something: the reader behind takes comments for points.
std::string withoutComments(const std::string& text) {
    std::istringstream in(text);
    std::string out;
    for (std::string line; std::getline(in, line);) {
        if (const size_t mark = line.find('#'); mark != std::string::npos) line.resize(mark);
        if (line.find_first_not_of(" \t\r") != std::string::npos) out += line + "\n";
    }
    return out;
}

Promise promiseOf(const std::filesystem::path& path, const std::string& extension) {
    std::ifstream in(path, std::ios::binary);
    Promise promise;
    std::string word, line;
    if (extension == ".ply") {
        while (std::getline(in, line) && line.rfind("end_header", 0) != 0) {
            std::istringstream words(line);
            size_t count = 0;
            if (words >> word && word == "element" && words >> word >> count) {
                if (word == "vertex") promise.points = count;
                if (word == "face") promise.faces = count;
            }
        }
    }
    if (extension == ".off") {
        std::istringstream words(withoutComments(readFile(path)));
        if (words >> word && word.ends_with("OFF")) words >> promise.points >> promise.faces;
    }
    return promise;
}

/// A cloud of points: no damaged mesh, and there is another way in for it.
bool holdsPointsAlone(const std::filesystem::path& path) {
    const std::string ending = endingOf(path);
    if (ending != ".obj") {
        const Promise promise = promiseOf(path, ending);
        return promise.points > 0 && promise.faces == 0;
    }
    std::ifstream in(path, std::ios::binary);
    bool points = false;
    for (std::string line; std::getline(in, line);) {
        if (line.starts_with("f ")) return false;
        points = points || line.starts_with("v ");
    }
    return points;
}

[[noreturn]] void refusePoints(const std::filesystem::path& path) {
    throw Error("holds points and no faces", path.string(),
                endingOf(path) == ".ply"
                    ? "Drop it on the window, or give it to a layer's From a file: it becomes a layer"
                    : "Write it as PLY or CSV: dropped on the window, that becomes a layer");
}

/// Says what cannot be read before the reader behind is asked, which would say less or go down.
void requireGltf(const std::filesystem::path& path) {
    const std::string ending = endingOf(path);
    if (ending != ".gltf" && ending != ".glb") return;
    const auto old = [&] {
        throw Error("is glTF 1, which is too old to be read", path.string(), "Write it again as glTF 2");
    };
    std::string json;
    if (ending == ".glb") {  // the JSON is a small part at its beginning
        std::ifstream in(path, std::ios::binary);
        uint32_t head[5] = {};  // magic, version, length; size and kind of the first part
        in.read(reinterpret_cast<char*>(head), sizeof head);
        if (std::memcmp(head, "glTF", 4) == 0 && head[1] == 1) old();
        std::error_code code;
        json.resize(std::min<uint64_t>(head[3], std::filesystem::file_size(path, code)));
        in.read(json.data(), std::streamsize(json.size()));
        json.resize(size_t(std::max<std::streamsize>(0, in.gcount())));
    } else {
        json = readFile(path);
    }
    requireBoundedJson(json, path.string());
    const auto parsed = nlohmann::json::parse(json, nullptr, false);
    if (!parsed.is_object() || !parsed.contains("asset") || !parsed["asset"].is_object()) return;
    const auto version = parsed["asset"].find("version");
    if (version != parsed["asset"].end() && version->is_string() &&
        version->get<std::string>().rfind("1", 0) == 0)
        old();
}

const aiScene& readScene(Assimp::Importer& importer, const std::filesystem::path& path) {
    importer.SetPropertyInteger(AI_CONFIG_PP_RVC_FLAGS, 0);
    const unsigned wanted = aiProcess_ValidateDataStructure | aiProcess_GlobalScale;
    const aiScene* scene = nullptr;
    if (endingOf(path) == ".off") {
        const std::string text = withoutComments(readFile(path));
        scene = importer.ReadFileFromMemory(text.data(), text.size(), wanted, "off");
    } else {
        scene = importer.ReadFile(path.string(), wanted);
    }
    if (!scene) {
        logDetail(path.string(), importer.GetErrorString());
        if (holdsPointsAlone(path)) refusePoints(path);
        throw Error("could not be read as a mesh", path.string(),
                    "The file may be damaged, or not what its name says; write it again from where it came");
    }
    return *scene;
}

/// The reader behind never comes back from a PLY header without an end.
void requireHeader(const std::filesystem::path& path) {
    if (endingOf(path) != ".ply") return;
    std::ifstream in(path, std::ios::binary);
    std::string line;
    for (int i = 0; i < 10000 && std::getline(in, line); ++i)
        if (line.rfind("end_header", 0) == 0 && !in.eof()) return;
    throw Error("the PLY header has no end", path.string(),
                "The file may be truncated; write it again from where it came");
}

void requireWhole(const std::filesystem::path& path, const aiScene& scene) {
    const Promise promise = promiseOf(path, endingOf(path));
    size_t faces = 0;
    for (unsigned i = 0; i < scene.mNumMeshes; ++i) faces += scene.mMeshes[i]->mNumFaces;
    if (faces < promise.faces)
        throw Error(
            fmt::format("the file is truncated: it promises {} faces and holds {}", promise.faces, faces),
            path.string(), "Write it again from where it came");
}

/// From the axes that the file names in its head (FBX does) to X right, Y up, Z forward.
aiMatrix4x4 axesOf(const aiScene& scene) {
    aiMatrix4x4 turn;
    if (!scene.mMetaData) return turn;
    int axis[3] = {0, 1, 2}, sign[3] = {1, 1, 1};
    const char* names[3] = {"CoordAxis", "UpAxis", "FrontAxis"};
    for (int i = 0; i < 3; ++i) {
        scene.mMetaData->Get(names[i], axis[i]);
        scene.mMetaData->Get(names[i] + std::string("Sign"), sign[i]);
        if (axis[i] < 0 || axis[i] > 2 || (sign[i] != 1 && sign[i] != -1)) return turn;
    }
    aiMatrix4x4 named(0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 1);
    for (unsigned i = 0; i < 3; ++i) named[i][axis[i]] = float(sign[i]);
    return named.Determinant() == 1.0f ? named : turn;  // a head that makes no sense is not followed
}

}  // namespace

FileMesh importMesh(const std::filesystem::path& path) {
    requireReadable(path);
    if (std::filesystem::file_size(path) == 0)
        throw Error("the file is empty", path.string(), "Write it again from where it came");
    requireHeader(path);
    requireGltf(path);
    Assimp::Importer importer;
    const aiScene& scene = readScene(importer, path);
    requireWhole(path, scene);
    FileMesh out;
    out.mesh = std::make_shared<Mesh>();
    try {
        Gather gather(scene, *out.mesh);
        if (scene.mRootNode) gather.walk(*scene.mRootNode, axesOf(scene), 0);
        gather.weld();
        out.mesh->points.set("P", std::move(gather.positions));
        if (gather.wantNormals && !gather.normals.empty())
            out.mesh->corners.set("N", std::move(gather.normals));
        if (gather.wantUvs && !gather.uvs.empty()) out.mesh->corners.set("uv", std::move(gather.uvs));
        if (!gather.slots.empty()) out.mesh->faces.set("slot", std::move(gather.slots));
        const size_t points = out.mesh->points.size();
        if (out.mesh->faceCount() == 0 && points > 0) refusePoints(path);
        if (out.mesh->faceCount() == 0) throw Error("holds no faces");
        out.mesh->finish();
    } catch (const Error& e) {
        throw Error(e.problem(), path.string(),
                    e.remedy().empty() ? "Write the mesh again from where it came" : e.remedy());
    }
    for (unsigned i = 0; i < scene.mNumMaterials; ++i)
        out.materials.push_back(convert(*scene.mMaterials[i], path.parent_path()));
    return out;
}

}  // namespace ovrix::io
