#include "io/points/ply_points.h"

#include <fmt/format.h>

#include <cstring>
#include <sstream>

#include "base/error.h"
#include "base/files.h"
#include "geo/volume/vector_grid.h"
#include "io/points/point_columns.h"

namespace ovrix::io {

namespace {

/// One scalar property of a PLY file, read from a column.
struct Property {
    std::string type, name;
    std::function<void(size_t i, std::string& out)> put;
};

template <class T>
void appendBytes(std::string& out, const T& value) {
    out.append(reinterpret_cast<const char*>(&value), sizeof value);
}

void addProperties(std::vector<Property>& out, const std::string& name, const Column& column) {
    const auto floats = [&](std::initializer_list<const char*> names, auto get) {
        int k = 0;
        for (const char* n : names) {
            out.push_back(
                {"float", n, [get, k](size_t i, std::string& o) { appendBytes(o, float(get(i, k))); }});
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
        out.push_back({"int", name, [v](size_t i, std::string& o) { appendBytes(o, (*v)[i]); }});
    if (auto* v = std::get_if<std::vector<uint64_t>>(&column)) {  // PLY knows no 64-bit numbers
        out.push_back(
            {"uint", name + "_low", [v](size_t i, std::string& o) { appendBytes(o, uint32_t((*v)[i])); }});
        out.push_back({"uint", name + "_high",
                       [v](size_t i, std::string& o) { appendBytes(o, uint32_t((*v)[i] >> 32)); }});
    }
}

using Edges = std::vector<std::pair<uint32_t, uint32_t>>;

std::string plyOf(const AttributeSet& a, const Edges& edges) {
    std::vector<Property> properties;
    for (const auto& [name, column] : a.columns()) addProperties(properties, name, *column);
    std::stable_partition(properties.begin(), properties.end(),
                          [](const Property& p) { return p.name == "x" || p.name == "y" || p.name == "z"; });
    std::string out = fmt::format("ply\nformat binary_little_endian 1.0\ncomment Ovrix " OVRIX_VERSION
                                  "\nelement vertex {}\n",
                                  a.size());
    for (const Property& p : properties) out += "property " + p.type + " " + p.name + "\n";
    if (!edges.empty())
        out += fmt::format("element edge {}\nproperty int vertex1\nproperty int vertex2\n", edges.size());
    out += "end_header\n";
    for (size_t i = 0; i < a.size(); ++i)
        for (const Property& p : properties) p.put(i, out);
    for (const auto& [from, to] : edges) {
        appendBytes(out, int32_t(from));
        appendBytes(out, int32_t(to));
    }
    return out;
}

struct PlyHeader {
    bool binary = true;
    size_t vertices = 0, faces = 0, edges = 0;
    std::vector<std::pair<std::string, std::string>> properties;  // type, name: of the vertices
    std::vector<std::pair<std::string, std::string>> ofEdges;     // the same of the edges
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
            if (a == "edge") h.edges = count;
        }
        if (word == "property" && element == "vertex") {
            if (plySize(a) == 0) bad("has a vertex property of the unknown type \"" + a + "\"");
            h.properties.emplace_back(a, b);
        }
        if (word == "property" && element == "edge") {
            if (plySize(a) == 0) bad("has an edge property of the unknown type \"" + a + "\"");
            h.ofEdges.emplace_back(a, b);
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

static PointSet pointsFrom(const std::string& text, const PlyHeader& h, const std::string& path) {
    const auto values = plyValues(text, h, path);
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
    if (!vectors("P", "x", "y", "z")) throw Error("has points without x, y and z", path);
    vectors("N", "nx", "ny", "nz");
    if (const auto* low = column("id_low"), *high = column("id_high"); low && high) {
        auto id = set.attributes.add<uint64_t>("id");
        const auto half = [](double x) { return x >= 0.0 && x < 0x1p32; };
        for (size_t i = 0; i < id.size(); ++i) {
            if (!half((*low)[i]) || !half((*high)[i]))
                throw Error(fmt::format("has an id at point {} that is no whole number", i + 1), path,
                            "Write the file again from where it came");
            id[i] = uint64_t((*low)[i]) | uint64_t((*high)[i]) << 32;
        }
    }
    const std::vector<std::string> taken = {"x", "y", "z", "nx", "ny", "nz", "id_low", "id_high"};
    for (size_t k = 0; k < h.properties.size(); ++k) {
        const std::string& name = h.properties[k].second;
        if (std::find(taken.begin(), taken.end(), name) != taken.end() || set.attributes.has(name)) continue;
        auto out = set.attributes.add<float>(name);
        for (size_t i = 0; i < out.size(); ++i) out[i] = float(values[k][i]);
    }
    joinColumns(set.attributes);
    return set;
}

PointSet readPlyPoints(const std::filesystem::path& path) {
    const std::string text = readFile(path);
    return pointsFrom(text, plyHeader(text, path.string()), path.string());
}

bool plyHasEdges(const std::filesystem::path& path) {
    return plyHeader(readFile(path), path.string()).edges > 0;
}

PlyLines readPlyLines(const std::filesystem::path& path) {
    const std::string text = readFile(path), name = path.string();
    PlyHeader h = plyHeader(text, name);
    if (h.faces) throw Error("holds faces and not lines", name, "Import it as a mesh");
    PlyLines out;
    out.points = pointsFrom(text, h, name).attributes;
    if (const auto x = out.points.find<float>("red"), y = out.points.find<float>("green"),
        z = out.points.find<float>("blue");
        !x.empty() && !y.empty() && !z.empty()) {
        std::vector<Color> color(x.size());
        for (size_t i = 0; i < color.size(); ++i) color[i] = Color(x[i], y[i], z[i]);
        for (const char* part : {"red", "green", "blue"}) out.points.remove(part);
        out.points.set("color", std::move(color));
    }
    // The edges lie behind the points: they are read as points of another kind are.
    PlyHeader edges = h;
    edges.vertices = h.edges;
    edges.properties = h.ofEdges;
    if (h.binary) {
        size_t stride = 0;
        for (const auto& [type, n] : h.properties) stride += plySize(type);
        edges.end = h.end + stride * h.vertices;
    } else {
        for (size_t line = 0; line < h.vertices && edges.end != std::string::npos; ++line) {
            edges.end = text.find('\n', edges.end);
            if (edges.end != std::string::npos) ++edges.end;
        }
        if (edges.end == std::string::npos) edges.end = text.size();
    }
    const auto values = plyValues(text, edges, name);
    const std::vector<double>*a = nullptr, *b = nullptr;
    for (size_t k = 0; k < edges.properties.size(); ++k) {
        if (edges.properties[k].second == "vertex1") a = &values[k];
        if (edges.properties[k].second == "vertex2") b = &values[k];
    }
    if (!a || !b) throw Error("has no edges with vertex1 and vertex2", name, "Export lines as edges");
    for (size_t i = 0; i < a->size(); ++i) {
        if (!((*a)[i] >= 0.0 && (*a)[i] < 4e9 && (*b)[i] >= 0.0 && (*b)[i] < 4e9))
            throw Error(fmt::format("has edge {} without two points", i + 1), name, "Write the file again");
        out.edges.emplace_back(uint32_t((*a)[i]), uint32_t((*b)[i]));
    }
    return out;
}

void writePlyPoints(const std::filesystem::path& path, const AttributeSet& points) {
    writeFile(path, plyOf(points, {}));
}

void writePlyLines(const std::filesystem::path& path, const AttributeSet& points, const Edges& edges) {
    writeFile(path, plyOf(points, edges));
}

}  // namespace ovrix::io
