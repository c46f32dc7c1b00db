#include "io/elements_io.h"

#include <charconv>
#include <cstring>
#include <fstream>
#include <sstream>

#include "base/files.h"
#include "io/csv_points.h"
#include "io/vdb_points.h"

namespace ovrix {

namespace {

const AttributeSet& attributesOf(const Geometry& geometry) {
    if (auto* p = std::get_if<std::shared_ptr<const PointSet>>(&geometry)) return (*p)->attributes;
    if (auto* c = std::get_if<std::shared_ptr<const Copies>>(&geometry)) return (*c)->attributes;
    throw Error("there are no points or copies to write", {}, "Choose a layer that makes some");
}

/// One scalar property of a PLY file, read from a column.
struct Property {
    std::string type, name;
    std::function<void(size_t i, std::string& out)> put;
};

template <class T>
void append(std::string& out, const T& value) {
    out.append(reinterpret_cast<const char*>(&value), sizeof value);
}

void addProperties(std::vector<Property>& out, const std::string& name, const Column& column) {
    const auto floats = [&](std::initializer_list<const char*> names, auto get) {
        int k = 0;
        for (const char* n : names) {
            out.push_back({"float", n, [get, k](size_t i, std::string& o) { append(o, float(get(i, k))); }});
            ++k;
        }
    };
    if (auto* v = std::get_if<std::vector<V3f>>(&column)) {
        const auto get = [v](size_t i, int k) { return (*v)[i][k]; };
        if (name == "P")
            floats({"x", "y", "z"}, get);
        else if (name == "N")
            floats({"nx", "ny", "nz"}, get);
        else
            floats({(name + "_x").c_str(), (name + "_y").c_str(), (name + "_z").c_str()}, get);
    }
    if (auto* v = std::get_if<std::vector<V2f>>(&column))
        floats({name == "uv" ? "u" : (name + "_u").c_str(), name == "uv" ? "v" : (name + "_v").c_str()},
               [v](size_t i, int k) { return (*v)[i][k]; });
    if (auto* v = std::get_if<std::vector<float>>(&column))
        floats({name.c_str()}, [v](size_t i, int) { return (*v)[i]; });
    if (auto* v = std::get_if<std::vector<Color>>(&column))
        floats({"red", "green", "blue"}, [v](size_t i, int k) { return (*v)[i][k]; });
    if (auto* v = std::get_if<std::vector<Quatf>>(&column))
        floats({"qx", "qy", "qz", "qw"}, [v](size_t i, int k) { return k < 3 ? (*v)[i].v[k] : (*v)[i].r; });
    if (auto* v = std::get_if<std::vector<int32_t>>(&column))
        out.push_back({"int", name, [v](size_t i, std::string& o) { append(o, (*v)[i]); }});
    if (auto* v = std::get_if<std::vector<uint64_t>>(&column)) {  // PLY knows no 64-bit numbers
        out.push_back(
            {"uint", name + "_low", [v](size_t i, std::string& o) { append(o, uint32_t((*v)[i])); }});
        out.push_back(
            {"uint", name + "_high", [v](size_t i, std::string& o) { append(o, uint32_t((*v)[i] >> 32)); }});
    }
}

std::string plyOf(const AttributeSet& a) {
    std::vector<Property> properties;
    for (const auto& [name, column] : a.columns()) addProperties(properties, name, *column);
    std::stable_partition(properties.begin(), properties.end(),
                          [](const Property& p) { return p.name == "x" || p.name == "y" || p.name == "z"; });
    std::string out = fmt::format("ply\nformat binary_little_endian 1.0\ncomment Ovrix " OVRIX_VERSION
                                  "\nelement vertex {}\n",
                                  a.size());
    for (const Property& p : properties) out += "property " + p.type + " " + p.name + "\n";
    out += "end_header\n";
    for (size_t i = 0; i < a.size(); ++i)
        for (const Property& p : properties) p.put(i, out);
    return out;
}

std::string usdName(const std::string& name) {
    std::string out;
    for (unsigned char c : name) out += std::isalnum(c) ? char(c) : '_';
    return out.empty() || std::isdigit(static_cast<unsigned char>(out[0])) ? "_" + out : out;
}

template <class T, class Print>
void usdArray(std::string& out, const std::string& indent, const std::string& declaration,
              std::span<const T> values, const Print& print) {
    out += indent + declaration + " = [";
    for (size_t i = 0; i < values.size(); ++i) {
        if (i) out += ", ";
        print(out, values[i]);
    }
    out += "]\n";
}

void putV3(std::string& out, const V3f& v) {
    fmt::format_to(std::back_inserter(out), "({}, {}, {})", v.x, v.y, v.z);
}

std::string usdMesh(const std::string& indent, const std::string& name, const Mesh& mesh) {
    std::string out = indent + "def Mesh \"" + name + "\"\n" + indent + "{\n";
    const std::string in = indent + "    ";
    std::vector<int> counts;
    for (size_t f = 0; f < mesh.faceCount(); ++f)
        counts.push_back(int(mesh.faceStart[f + 1] - mesh.faceStart[f]));
    const auto put = [](std::string& o, auto x) { fmt::format_to(std::back_inserter(o), "{}", x); };
    usdArray<int>(out, in, "int[] faceVertexCounts", counts, put);
    usdArray<uint32_t>(out, in, "int[] faceVertexIndices", mesh.cornerPoint, put);
    usdArray<V3f>(out, in, "point3f[] points", mesh.positions(), putV3);
    usdArray<V3f>(out, in, "normal3f[] normals", mesh.normals(), putV3);
    out.insert(out.size() - 1, " (\n" + in + "    interpolation = \"faceVarying\"\n" + in + ")");
    if (!mesh.uvs().empty()) {
        usdArray<V2f>(out, in, "texCoord2f[] primvars:st", mesh.uvs(), [](std::string& o, const V2f& v) {
            fmt::format_to(std::back_inserter(o), "({}, {})", v.x, v.y);
        });
        out.insert(out.size() - 1, " (\n" + in + "    interpolation = \"faceVarying\"\n" + in + ")");
    }
    out += in + "uniform token subdivisionScheme = \"none\"\n" + indent + "}\n";
    return out;
}

std::string usdCopies(const Copies& copies, const std::vector<ExportPrototype>& prototypes) {
    const AttributeSet& a = copies.attributes;
    std::string out = "def PointInstancer \"copies\"\n{\n";
    const auto put = [](std::string& o, auto x) { fmt::format_to(std::back_inserter(o), "{}", x); };
    usdArray<uint64_t>(out, "    ", "int64[] ids", a.find<uint64_t>("id"), put);
    usdArray<int32_t>(out, "    ", "int[] protoIndices", a.find<int32_t>("prototype"), put);
    usdArray<V3f>(out, "    ", "point3f[] positions", a.find<V3f>("P"), putV3);
    usdArray<Quatf>(out, "    ", "quath[] orientations", a.find<Quatf>("orient"),
                    [](std::string& o, const Quatf& q) {
                        fmt::format_to(std::back_inserter(o), "({}, {}, {}, {})", q.r, q.v.x, q.v.y, q.v.z);
                    });
    const ElementPlaces places(a);
    std::vector<V3f> scales(places.size());
    for (size_t i = 0; i < scales.size(); ++i)
        scales[i] = places.stretchOf(i) * (places.scale.empty() ? 1.0f : places.scale[i]);
    usdArray<V3f>(out, "    ", "float3[] scales", scales, putV3);
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
    const auto put = [](std::string& o, auto x) { fmt::format_to(std::back_inserter(o), "{}", x); };
    usdArray<uint64_t>(out, "    ", "int64[] ids", a.find<uint64_t>("id"), put);
    usdArray<V3f>(out, "    ", "point3f[] points", a.find<V3f>("P"), putV3);
    if (a.has("N")) usdArray<V3f>(out, "    ", "normal3f[] normals", a.find<V3f>("N"), putV3);
    if (a.has("scale")) usdArray<float>(out, "    ", "float[] primvars:scale", a.find<float>("scale"), put);
    return out + "}\n";
}

std::string usdOf(const Geometry& geometry, const std::vector<ExportPrototype>& prototypes) {
    const std::string head = "#usda 1.0\n(\n    metersPerUnit = 1\n    upAxis = \"Y\"\n)\n\n";
    if (auto* c = std::get_if<std::shared_ptr<const Copies>>(&geometry))
        return head + usdCopies(**c, prototypes);
    return head + usdPoints(attributesOf(geometry));
}

}  // namespace

void writeElements(const std::filesystem::path& path, const Geometry& geometry,
                   const std::vector<ExportPrototype>& prototypes) {
    const AttributeSet& a = attributesOf(geometry);
    const std::string e = path.extension().string();
    if (e == ".ply") return writeFile(path, plyOf(a));
    if (e == ".usda") return writeFile(path, usdOf(geometry, prototypes));
    if (e == ".csv") return writeCsvPoints(path, a);
    if (e != ".vdb")
        throw Error("elements are not written with the ending \"" + e + "\"", path.string(),
                    "Use .ply, .csv, .usda or .vdb");
    writeAtomically(path, [&](const std::filesystem::path& temporary) { writeVdbPoints(temporary, a); });
}

namespace {

struct PlyHeader {
    bool binary = true;
    size_t vertices = 0, faces = 0;
    std::vector<std::pair<std::string, std::string>> properties;  // type, name: of the vertices
    size_t end = 0;                                               // where the data start
};

size_t plySize(const std::string& type) {
    if (type == "char" || type == "uchar" || type == "int8" || type == "uint8") return 1;
    if (type == "short" || type == "ushort" || type == "int16" || type == "uint16") return 2;
    if (type == "double" || type == "float64") return 8;
    if (type == "int" || type == "uint" || type == "float" || type == "int32" || type == "uint32" ||
        type == "float32")
        return 4;
    return 0;
}

PlyHeader plyHeader(const std::string& text, const std::string& name) {
    const auto bad = [&](const std::string& why) {
        throw Error(why, name, "Write the file again from where it came");
    };
    PlyHeader h;
    if (text.rfind("ply", 0) != 0) bad("is no PLY file");
    const size_t end = text.find("end_header");
    const size_t line = end == std::string::npos ? end : text.find('\n', end);
    if (line == std::string::npos) bad("is truncated in its header");
    h.end = line + 1;
    std::istringstream in(text.substr(0, end));
    std::string row, element;
    while (std::getline(in, row)) {
        std::istringstream words(row);
        std::string word, a, b;
        words >> word >> a >> b;
        if (word == "format") {
            h.binary = a == "binary_little_endian";
            if (a == "binary_big_endian") bad("is a big-endian PLY, which is not read as points");
        }
        if (word == "element") {
            element = a;
            const size_t count = size_t(std::strtoull(b.c_str(), nullptr, 10));
            if (a == "vertex") h.vertices = count;
            if (a == "face") h.faces = count;
        }
        if (word == "property" && element == "vertex") {
            if (plySize(a) == 0) bad("has a vertex property of the unknown type \"" + a + "\"");
            h.properties.emplace_back(a, b);
        }
    }
    return h;
}

/// One property of all vertices: the type is looked at once, not for each number.
void plyColumn(const char* p, size_t stride, const std::string& type, std::vector<double>& out) {
    const auto as = [&](auto zero) {
        for (double& x : out) {
            std::memcpy(&zero, p, sizeof zero);
            x = double(zero);
            p += stride;
        }
    };
    const bool natural = type[0] == 'u';
    switch (plySize(type)) {
        case 1:
            return natural ? as(uint8_t()) : as(int8_t());
        case 2:
            return natural ? as(uint16_t()) : as(int16_t());
        case 8:
            return as(double());
        default:
            return natural ? as(uint32_t()) : type[0] == 'i' ? as(int32_t()) : as(float());
    }
}

/// Values of all vertices, one vector per property.
std::vector<std::vector<double>> plyValues(const std::string& text, const PlyHeader& h,
                                           const std::string& name) {
    std::vector<std::vector<double>> values(h.properties.size());
    size_t stride = 0;
    for (const auto& [type, n] : h.properties) stride += plySize(type);
    const size_t left = text.size() - h.end;
    if (stride == 0 || h.vertices > (h.binary ? left / stride : left))
        throw Error("is truncated: it promises more points than it holds", name,
                    "Write the file again from where it came");
    for (auto& v : values) v.resize(h.vertices);
    const char* p = text.data() + h.end;
    for (size_t k = 0; h.binary && k < h.properties.size(); ++k) {
        plyColumn(p, stride, h.properties[k].first, values[k]);
        p += plySize(h.properties[k].first);
    }
    if (h.binary) return values;
    std::istringstream in(text.substr(h.end));
    for (size_t i = 0; i < h.vertices; ++i)
        for (size_t k = 0; k < h.properties.size(); ++k)
            if (!(in >> values[k][i]))
                throw Error(fmt::format("is truncated or damaged at point {}", i + 1), name,
                            "Write the file again from where it came");
    return values;
}

}  // namespace

bool plyHasFaces(const std::filesystem::path& path) {
    return plyHeader(readFile(path), path.string()).faces > 0;
}

PointSet readPlyPoints(const std::filesystem::path& path) {
    const std::string text = readFile(path);
    const PlyHeader h = plyHeader(text, path.string());
    const auto values = plyValues(text, h, path.string());
    const auto column = [&](const std::string& name) -> const std::vector<double>* {
        for (size_t k = 0; k < h.properties.size(); ++k)
            if (h.properties[k].second == name) return &values[k];
        return nullptr;
    };
    PointSet set;
    set.attributes.resize(h.vertices);
    const auto vectors = [&](const std::string& name, const char* x, const char* y, const char* z) {
        const auto *a = column(x), *b = column(y), *c = column(z);
        if (!a || !b || !c) return false;
        auto out = set.attributes.add<V3f>(name);
        for (size_t i = 0; i < out.size(); ++i) out[i] = V3f(float((*a)[i]), float((*b)[i]), float((*c)[i]));
        return true;
    };
    if (!vectors("P", "x", "y", "z")) throw Error("has points without x, y and z", path.string());
    vectors("N", "nx", "ny", "nz");
    if (const auto* low = column("id_low"), *high = column("id_high"); low && high) {
        auto id = set.attributes.add<uint64_t>("id");
        for (size_t i = 0; i < id.size(); ++i) id[i] = uint64_t((*low)[i]) | uint64_t((*high)[i]) << 32;
    }
    const std::vector<std::string> taken = {"x", "y", "z", "nx", "ny", "nz", "id_low", "id_high"};
    for (size_t k = 0; k < h.properties.size(); ++k) {
        const std::string& name = h.properties[k].second;
        if (std::find(taken.begin(), taken.end(), name) != taken.end() || set.attributes.has(name)) continue;
        auto out = set.attributes.add<float>(name);
        for (size_t i = 0; i < out.size(); ++i) out[i] = float(values[k][i]);
    }
    return set;
}

namespace {

/// Reads "name = [(..), (..)]" of three numbers each out of USD text.
std::vector<V3f> usdVectors(const std::string& text, const std::string& declaration) {
    std::vector<V3f> out;
    size_t at = text.find(declaration);
    if (at == std::string::npos) return out;
    const size_t end = text.find(']', text.find('[', at + declaration.size()));
    while ((at = text.find('(', at)) < end) {
        V3f v(0.0f);
        char* next = const_cast<char*>(text.c_str()) + at + 1;
        for (int k = 0; k < 3; ++k) {
            v[k] = std::strtof(next, &next);
            if (*next == ',') ++next;
        }
        out.push_back(v);
        ++at;
    }
    return out;
}

ElementsInfo usdInfo(const std::filesystem::path& path) {
    const std::string text = readFile(path);
    if (text.rfind("#usda", 0) != 0) throw Error("is no USD text file", path.string());
    ElementsInfo info;
    const bool copies = text.find("def PointInstancer") != std::string::npos;
    info.kind = copies ? "copies" : "points";
    const auto p = usdVectors(text, copies ? "point3f[] positions =" : "point3f[] points =");
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

/// Numbers of an array in brackets after a declaration.
template <class T>
std::vector<T> usdNumbers(const std::string& text, const std::string& declaration) {
    std::vector<T> out;
    size_t at = text.find(declaration);
    if (at == std::string::npos) return out;
    at = text.find('[', at + declaration.size() - 1) + 1;
    const size_t end = text.find(']', at);
    const char* p = text.data() + at;
    const char* last = text.data() + std::min(end, text.size());
    while (p < last) {
        T x{};
        const auto [next, error] = std::from_chars(p, last, x);
        if (error == std::errc()) out.push_back(x);
        p = error == std::errc() ? next : p + 1;
    }
    return out;
}

PointSet usdPointsFrom(const std::filesystem::path& path) {
    const std::string text = readFile(path);
    if (text.rfind("#usda", 0) != 0) throw Error("is no USD text file", path.string());
    const bool copies = text.find("def PointInstancer") != std::string::npos;
    PointSet set;
    const auto p = usdVectors(text, copies ? "point3f[] positions =" : "point3f[] points =");
    if (p.empty()) throw Error("holds no points", path.string(), "Export points or instances");
    set.attributes.set("P", p);
    const auto fits = [&](size_t n) { return n == p.size(); };
    if (auto ids = usdNumbers<uint64_t>(text, "int64[] ids = "); fits(ids.size()))
        set.attributes.set("id", std::move(ids));
    if (auto n = usdVectors(text, "normal3f[] normals ="); fits(n.size()))
        set.attributes.set("N", std::move(n));
    if (auto s = usdNumbers<float>(text, "float[] primvars:scale = "); fits(s.size()))
        set.attributes.set("scale", std::move(s));
    if (const auto s = usdVectors(text, "float3[] scales ="); fits(s.size())) {
        auto scale = set.attributes.add<float>("scale");
        auto stretch = set.attributes.add<V3f>("stretch", V3f(1.0f));
        for (size_t i = 0; i < s.size(); ++i) {
            scale[i] = s[i].y;
            if (s[i].y != 0.0f) stretch[i] = s[i] / s[i].y;
        }
    }
    if (const auto q = usdNumbers<float>(text, "quath[] orientations = ");
        fits(q.size() / 4) && q.size() % 4 == 0) {
        auto orient = set.attributes.add<Quatf>("orient");
        for (size_t i = 0; i < orient.size(); ++i)
            orient[i] = Quatf(q[4 * i], V3f(q[4 * i + 1], q[4 * i + 2], q[4 * i + 3]));
    }
    if (auto which = usdNumbers<int32_t>(text, "int[] protoIndices = "); fits(which.size())) {
        auto kind = set.attributes.add<float>("kind");
        for (size_t i = 0; i < which.size(); ++i) kind[i] = float(which[i]);
    }
    return set;
}

}  // namespace

PointSet readPoints(const std::filesystem::path& path) {
    requireReadable(path);
    const std::string e = path.extension().string();
    if (e != ".ply" && e != ".csv" && e != ".usda" && e != ".vdb")
        throw Error("is no file of points that can be read", path.string(), "Use .ply, .csv, .usda or .vdb");
    PointSet set = e == ".csv"    ? readCsvPoints(path)
                   : e == ".usda" ? usdPointsFrom(path)
                   : e == ".vdb"  ? readVdbPoints(path)
                                  : readPlyPoints(path);
    for (const V3f& p : set.attributes.find<V3f>("P"))
        if (!isFinite(p)) throw Error("has a place that is no number", path.string(), "Write the file again");
    if (set.attributes.find<uint64_t>("id").empty()) {  // in the order of the file
        set.attributes.remove("id");
        auto id = set.attributes.add<uint64_t>("id");
        for (size_t i = 0; i < id.size(); ++i) id[i] = i;
    }
    return set;
}

ElementsInfo readElementsInfo(const std::filesystem::path& path) {
    requireReadable(path);
    const std::string e = path.extension().string();
    if (e == ".vdb") return readVdbInfo(path);
    if (e == ".usda") return usdInfo(path);
    const PointSet points = e == ".csv" ? readCsvPoints(path) : readPlyPoints(path);
    ElementsInfo info{"points", points.size(), {}, {}};
    for (const V3f& p : points.attributes.find<V3f>("P")) info.bounds.extendBy(p);
    for (const auto& [name, column] : points.attributes.columns())
        info.attributes.emplace_back(name, columnTypeName(*column));
    return info;
}

}  // namespace ovrix
