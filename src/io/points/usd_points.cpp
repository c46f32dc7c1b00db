#include "io/points/usd_points.h"

#include <fmt/format.h>

#include "base/error.h"
#include "io/usd/usd_text.h"

namespace ovrix::io {

const AttributeSet& attributesOf(const Geometry& geometry) {
    if (auto* p = std::get_if<std::shared_ptr<const PointSet>>(&geometry)) return (*p)->attributes;
    if (auto* c = std::get_if<std::shared_ptr<const Copies>>(&geometry)) return (*c)->attributes;
    throw Error("there are no points, strands or copies to write", {}, "Choose a layer that makes some");
}

namespace {

std::string usdName(const std::string& name) {
    std::string out;
    for (unsigned char c : name) out += std::isalnum(c) ? char(c) : '_';
    return out.empty() || std::isdigit(static_cast<unsigned char>(out[0])) ? "_" + out : out;
}

std::string usdMesh(const std::string& indent, const std::string& name, const Mesh& mesh) {
    std::string out = indent + "def Mesh \"" + name + "\"\n" + indent + "{\n";
    const std::string in = indent + "    ";
    std::vector<int> counts;
    for (size_t f = 0; f < mesh.faceCount(); ++f)
        counts.push_back(int(mesh.faceStart[f + 1] - mesh.faceStart[f]));
    putUsdArray<int>(out, in, "int[] faceVertexCounts", counts);
    putUsdArray<uint32_t>(out, in, "int[] faceVertexIndices", mesh.cornerPoint);
    putUsdArray<V3f>(out, in, "point3f[] points", mesh.positions());
    putUsdArray<V3f>(out, in, "normal3f[] normals", mesh.normals(), "faceVarying");
    if (!mesh.uvs().empty()) {
        putUsdArray<V2f>(out, in, "texCoord2f[] primvars:st", mesh.uvs(), "faceVarying");
    }
    out += in + "uniform token subdivisionScheme = \"none\"\n" + indent + "}\n";
    return out;
}

/// The format knows signed ones alone.
void putUsdIds(std::string& out, const AttributeSet& a) {
    const auto id = a.find<uint64_t>("id");
    putUsdArray<int64_t>(out, "    ", "int64[] ids", std::vector<int64_t>(id.begin(), id.end()));
}

/// How points move: at h seconds from the frame each is at P + v h + a h^2 / 2.
void putUsdMotion(std::string& out, const AttributeSet& a) {
    if (a.has("v")) putUsdArray<V3f>(out, "    ", "vector3f[] velocities", a.find<V3f>("v"));
    if (a.has("acceleration"))
        putUsdArray<V3f>(out, "    ", "vector3f[] accelerations", a.find<V3f>("acceleration"));
}

std::string usdCopies(const Copies& copies, const std::vector<ExportPrototype>& prototypes) {
    const AttributeSet& a = copies.attributes;
    std::string out = "def PointInstancer \"copies\"\n{\n";
    putUsdIds(out, a);
    putUsdArray<int32_t>(out, "    ", "int[] protoIndices", a.find<int32_t>("prototype"));
    putUsdArray<V3f>(out, "    ", "point3f[] positions", a.find<V3f>("P"));
    putUsdArray<Quatf>(out, "    ", "quath[] orientations", a.find<Quatf>("orient"));
    putUsdMotion(out, a);
    const ElementPlaces places(a);
    std::vector<V3f> scales(places.size());
    for (size_t i = 0; i < scales.size(); ++i)
        scales[i] = places.stretchOf(i) * (places.scale.empty() ? 1.0f : places.scale[i]);
    putUsdArray<V3f>(out, "    ", "float3[] scales", scales);
    out += "    rel prototypes = [";
    std::string meshes;
    for (size_t i = 0; i < prototypes.size(); ++i) {
        const std::string name = fmt::format("{}_{}", usdName(prototypes[i].name), i);
        out += (i ? ", " : "") + ("</copies/prototypes/" + name + ">");
        if (prototypes[i].mesh) meshes += usdMesh("        ", name, *prototypes[i].mesh);
    }
    return out + "]\n\n    def Scope \"prototypes\"\n    {\n" + meshes + "    }\n}\n";
}

std::string usdPoints(const AttributeSet& a) {
    std::string out = "def Points \"points\"\n{\n";
    putUsdIds(out, a);
    putUsdArray<V3f>(out, "    ", "point3f[] points", a.find<V3f>("P"));
    if (a.has("N")) putUsdArray<V3f>(out, "    ", "normal3f[] normals", a.find<V3f>("N"));
    putUsdMotion(out, a);
    if (a.has("scale")) putUsdArray<float>(out, "    ", "float[] primvars:scale", a.find<float>("scale"));
    return out + "}\n";
}

}  // namespace

std::string usdOf(const Geometry& geometry, const std::vector<ExportPrototype>& prototypes) {
    if (auto* c = std::get_if<std::shared_ptr<const Copies>>(&geometry))
        return kUsdHeader + usdCopies(**c, prototypes);
    return kUsdHeader + usdPoints(attributesOf(geometry));
}

ElementsInfo readUsdInfo(const std::filesystem::path& path) {
    const std::string text = readUsdText(path);
    ElementsInfo info;
    const bool copies = text.find("def PointInstancer") != std::string::npos;
    info.kind = copies ? "copies" : "points";
    const auto p = usdVectors(text, copies ? "point3f[] positions" : "point3f[] points");
    info.count = p.size();
    for (const V3f& v : p) info.bounds.extendBy(v);
    for (const char* name :
         {"ids", "protoIndices", "positions", "orientations", "scales", "normals", "primvars:scale"}) {
        const size_t at = text.find(std::string("] ") + name + " = ");
        if (at == std::string::npos) continue;
        const size_t begin = text.find_last_of(" \n", at) + 1;
        info.attributes.emplace_back(name, text.substr(begin, at + 1 - begin));
    }
    return info;
}

PointSet readUsdPoints(const std::filesystem::path& path) {
    const std::string text = readUsdText(path);
    const bool copies = text.find("def PointInstancer") != std::string::npos;
    PointSet set;
    const auto p = usdVectors(text, copies ? "point3f[] positions" : "point3f[] points");
    if (p.empty() && text.find(copies ? "point3f[] positions" : "point3f[] points") == std::string::npos)
        throw Error("holds no points", path.string(), "Export points or instances");
    set.attributes.set("P", p);
    const auto fits = [&](size_t n) { return n == p.size(); };
    if (const auto ids = usdNumbers<int64_t>(text, "int64[] ids"); fits(ids.size()))
        set.attributes.set("id", std::vector<uint64_t>(ids.begin(), ids.end()));
    if (auto n = usdVectors(text, "normal3f[] normals"); fits(n.size()))
        set.attributes.set("N", std::move(n));
    for (const auto& [name, declaration] :
         {std::pair("v", "vector3f[] velocities"), std::pair("acceleration", "vector3f[] accelerations")})
        if (auto v = usdVectors(text, declaration); fits(v.size()) && !v.empty())
            set.attributes.set(name, std::move(v));
    if (auto s = usdNumbers<float>(text, "float[] primvars:scale"); fits(s.size()))
        set.attributes.set("scale", std::move(s));
    if (const auto s = usdVectors(text, "float3[] scales"); fits(s.size())) {
        auto scale = set.attributes.add<float>("scale");
        auto stretch = set.attributes.add<V3f>("stretch", V3f(1.0f));
        for (size_t i = 0; i < s.size(); ++i) {
            scale[i] = s[i].y;
            if (s[i].y != 0.0f) stretch[i] = s[i] / s[i].y;
        }
    }
    if (const auto q = usdNumbers<float>(text, "quath[] orientations");
        fits(q.size() / 4) && q.size() % 4 == 0) {
        auto orient = set.attributes.add<Quatf>("orient");
        for (size_t i = 0; i < orient.size(); ++i)
            orient[i] = Quatf(q[4 * i], V3f(q[4 * i + 1], q[4 * i + 2], q[4 * i + 3]));
    }
    if (auto which = usdNumbers<int32_t>(text, "int[] protoIndices"); fits(which.size())) {
        auto kind = set.attributes.add<float>("kind");
        for (size_t i = 0; i < which.size(); ++i) kind[i] = float(which[i]);
    }
    return set;
}

}  // namespace ovrix::io
