#include "io/state/state_usda.h"

#include <fmt/format.h>

#include "base/error.h"
#include "io/usd/usd_text.h"

namespace ovrix::io {

namespace {

constexpr const char* kNotesBegin = "    customLayerData = {\n";
constexpr const char* kNotesEnd = "    }\n";

std::string quoted(const std::string& text) {
    std::string out = "\"";
    for (char c : text) {
        if (c == '"' || c == '\\') out += '\\';
        out += c;
    }
    return out + "\"";
}

/// Calls @p visit with each type that a column may have and its name in USD, until one is taken; whether one
/// was.
template <class Visit>
bool forUsdTypes(const Visit& visit) {
    return visit(std::type_identity<float>(), "float") || visit(std::type_identity<int32_t>(), "int") ||
           visit(std::type_identity<uint64_t>(), "uint64") || visit(std::type_identity<V2f>(), "float2") ||
           visit(std::type_identity<V3f>(), "float3") || visit(std::type_identity<Color>(), "color3f") ||
           visit(std::type_identity<Quatf>(), "quatf");
}

/// One column by its name: of points with @p per empty, of curves for each point ("vertex") or curve
/// ("uniform").
void putColumn(std::string& out, const std::string& prefix, const std::string& name, const Column& column,
               const std::string& per) {
    forUsdTypes([&]<class T>(std::type_identity<T>, const char* type) {
        const auto* values = std::get_if<std::vector<T>>(&column);
        if (values)
            putUsdArray<T>(out, "    ", fmt::format("{}[] primvars:{}{}", type, prefix, name), *values, per);
        return values != nullptr;
    });
}

/// By the name that other programs look for. False for what has none: another type, or ids of points of
/// curves.
bool putStandard(std::string& out, const std::string& name, const Column& column, bool curves) {
    if (name == "P") return true;
    if (const auto* v = std::get_if<std::vector<V3f>>(&column); v && name == "v") {
        putUsdArray<V3f>(out, "    ", "vector3f[] velocities", *v);
        return true;
    }
    if (const auto* w = std::get_if<std::vector<float>>(&column); w && name == "width") {
        putUsdArray<float>(out, "    ", "float[] widths", *w, "vertex");
        return true;
    }
    const auto* id = std::get_if<std::vector<uint64_t>>(&column);
    if (!id || name != "id" || curves) return false;
    putUsdArray<int64_t>(out, "    ", "int64[] ids", std::vector<int64_t>(id->begin(), id->end()));
    return true;
}

class Reader {
  public:
    Reader(const std::string& text, const std::filesystem::path& path) : text_(text), path_(path) {}

    Error damaged() const {
        return Error("is no frame of a simulation, or is damaged", path_.string(), "Bake it again");
    }

    std::map<std::string, std::string> notes() const {
        std::map<std::string, std::string> out;
        size_t at = text_.find(kNotesBegin);
        const size_t end = at == std::string::npos ? at : text_.find("\n    }\n", at);
        if (end == std::string::npos) throw damaged();
        for (at += std::string_view(kNotesBegin).size(); at < end; at = text_.find('\n', at) + 1) {
            const std::string_view head = "        string ";
            const size_t equals = text_.find(" = \"", at);
            if (text_.compare(at, head.size(), head) != 0 || equals == std::string::npos) throw damaged();
            out[text_.substr(at + head.size(), equals - at - head.size())] = unquoted(equals + 4);
        }
        return out;
    }

    template <class T>
    std::vector<T> values(const std::string& declaration) const {
        if constexpr (std::is_arithmetic_v<T>) {
            return usdNumbers<T>(text_, declaration);
        } else {
            const auto numbers = usdNumbers<float>(text_, declaration);
            constexpr size_t n = std::is_same_v<T, Quatf> ? 4 : std::is_same_v<T, V2f> ? 2 : 3;
            if (numbers.size() % n) throw damaged();
            std::vector<T> out;
            out.reserve(numbers.size() / n);
            for (size_t i = 0; i < numbers.size(); i += n) {
                const float* x = &numbers[i];
                if constexpr (std::is_same_v<T, Quatf>)
                    out.emplace_back(x[0], V3f(x[1], x[2], x[3]));
                else if constexpr (std::is_same_v<T, V2f>)
                    out.emplace_back(x[0], x[1]);
                else
                    out.emplace_back(x[0], x[1], x[2]);
            }
            return out;
        }
    }

    /// All primvars whose names begin so, into a set of so many elements.
    void columns(const std::string& prefix, AttributeSet& set) const {
        const std::string mark = "[] primvars:" + prefix;
        for (size_t at = text_.find(mark); at != std::string::npos; at = text_.find(mark, at + 1)) {
            const size_t line = text_.rfind('\n', at) + 1, name = at + mark.size();
            const size_t end = text_.find(" = [", name);
            if (end == std::string::npos) throw damaged();
            const std::string type = text_.substr(line + 4, at - line - 4),
                              id = text_.substr(name, end - name);
            if (id.find_first_of(" \n:") != std::string::npos) continue;  // of a longer prefix
            column(type, id, text_.substr(line + 4, end - line - 4), set);
        }
    }

    template <class T>
    void set(AttributeSet& set, const std::string& name, std::vector<T> values) const {
        if (!set.empty() && values.size() != set.size()) throw damaged();
        set.set(name, std::move(values));
    }
    bool holds(const std::string& part) const { return text_.find(part) != std::string::npos; }

  private:
    std::string unquoted(size_t at) const {
        std::string out;
        for (; at < text_.size() && text_[at] != '"' && text_[at] != '\n'; ++at) {
            if (text_[at] == '\\') ++at;
            if (at < text_.size()) out += text_[at];
        }
        return out;
    }
    void column(const std::string& type, const std::string& id, const std::string& declaration,
                AttributeSet& to) const {
        const bool known = forUsdTypes([&]<class T>(std::type_identity<T>, const char* name) {
            if (type == name) set(to, id, values<T>(declaration));
            return type == name;
        });
        if (!known) throw damaged();
    }

    const std::string& text_;
    const std::filesystem::path& path_;
};

}  // namespace

std::string stateAsUsda(const StateFile& state) {
    std::string out = "#usda 1.0\n(\n" + std::string(kNotesBegin);
    for (const auto& [id, text] : state.notes) out += "        string " + id + " = " + quoted(text) + "\n";
    out += std::string(kNotesEnd) + "    metersPerUnit = 1\n    upAxis = \"Y\"\n)\n\n";
    const AttributeSet& points = state.sets.at(0).second;
    const bool curves = state.sets.size() > 1;
    const std::string per = curves ? "vertex" : "";
    out += curves ? "def BasisCurves \"strands\"\n{\n    uniform token type = \"linear\"\n"
                    "    uniform token wrap = \"nonperiodic\"\n"
                  : "def Points \"points\"\n{\n";
    if (curves)
        putUsdArray<int32_t>(out, "    ", "int[] curveVertexCounts",
                             state.sets[1].second.find<int32_t>("points"));
    putUsdArray<V3f>(out, "    ", "point3f[] points", points.find<V3f>("P"));
    for (const auto& [name, column] : points.columns())
        if (!putStandard(out, name, *column, curves)) putColumn(out, "points:", name, *column, per);
    if (curves)
        for (const auto& [name, column] : state.sets[1].second.columns())
            putColumn(out, "strands:", name, *column, "uniform");
    return out + "}\n";
}

StateFile stateFromUsda(const std::string& text, const std::filesystem::path& path) {
    const Reader in(text, path);
    if (text.rfind("#usda", 0) != 0 || !text.ends_with("\n}\n")) throw in.damaged();
    StateFile state;
    state.notes = in.notes();
    AttributeSet points;
    if (!in.holds("point3f[] points = [")) throw in.damaged();
    in.set(points, "P", in.values<V3f>("point3f[] points"));
    const bool curves = in.holds("\ndef BasisCurves");
    if (in.holds("vector3f[] velocities")) in.set(points, "v", in.values<V3f>("vector3f[] velocities"));
    if (in.holds("float[] widths")) in.set(points, "width", in.values<float>("float[] widths"));
    if (in.holds("int64[] ids")) {
        const auto ids = in.values<int64_t>("int64[] ids");
        in.set(points, "id", std::vector<uint64_t>(ids.begin(), ids.end()));
    }
    in.columns("points:", points);
    state.sets.emplace_back("points", std::move(points));
    if (!curves) return state;
    AttributeSet strands;
    in.columns("strands:", strands);
    if (strands.find<int32_t>("points").size() != strands.size()) throw in.damaged();
    state.sets.emplace_back("strands", std::move(strands));
    return state;
}

}  // namespace ovrix::io
