#include "io/points/csv_points.h"

#include <fmt/format.h>

#include <charconv>

#include "base/error.h"
#include "base/files.h"
#include "geo/volume/vector_grid.h"
#include "io/points/point_columns.h"

namespace ovrix::io {

namespace {

/// One column of the text, read from a column of attributes.
struct Field {
    std::string name;
    std::function<void(size_t, std::string&)> put;
};

void addFields(std::vector<Field>& out, const std::string& name, const Column& column) {
    const auto numbers = [&](std::vector<std::string> names, auto get) {
        for (size_t k = 0; k < names.size(); ++k)
            out.push_back({names[k], [get, k](size_t i, std::string& o) {
                               fmt::format_to(std::back_inserter(o), "{}", get(i, int(k)));
                           }});
    };
    const auto parts = [&](std::initializer_list<const char*> letters) {
        std::vector<std::string> names;
        for (const char* l : letters)
            names.push_back(name == "P" ? l : name == "N" ? std::string("n") + l : name + "_" + l);
        return names;
    };
    if (auto* v = std::get_if<std::vector<V3f>>(&column))
        numbers(parts({"x", "y", "z"}), [v](size_t i, int k) { return (*v)[i][k]; });
    else if (auto* c = std::get_if<std::vector<Color>>(&column))
        numbers(parts({"r", "g", "b"}), [c](size_t i, int k) { return (*c)[i][k]; });
    else if (auto* t = std::get_if<std::vector<V2f>>(&column))
        numbers(parts({"u", "v"}), [t](size_t i, int k) { return (*t)[i][k]; });
    else if (auto* q = std::get_if<std::vector<Quatf>>(&column))
        numbers({"qx", "qy", "qz", "qw"}, [q](size_t i, int k) { return k < 3 ? (*q)[i].v[k] : (*q)[i].r; });
    else if (auto* f = std::get_if<std::vector<float>>(&column))
        numbers({name}, [f](size_t i, int) { return (*f)[i]; });
    else if (auto* n = std::get_if<std::vector<int32_t>>(&column))
        numbers({name}, [n](size_t i, int) { return (*n)[i]; });
    else if (auto* d = std::get_if<std::vector<uint64_t>>(&column))
        numbers({name}, [d](size_t i, int) { return (*d)[i]; });
}

std::vector<std::string_view> cells(std::string_view line, char by) {
    std::vector<std::string_view> out;
    for (;;) {
        const size_t end = line.find(by);
        std::string_view cell = line.substr(0, end);
        while (!cell.empty() && (cell.front() == ' ' || cell.front() == '"')) cell.remove_prefix(1);
        while (!cell.empty() && (cell.back() == ' ' || cell.back() == '"' || cell.back() == '\r'))
            cell.remove_suffix(1);
        out.push_back(cell);
        if (end == std::string_view::npos) return out;
        line.remove_prefix(end + 1);
    }
}

template <class T>
bool read(std::string_view text, T& value) {
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
    return error == std::errc() && end == text.data() + text.size();
}

}  // namespace

void writeCsvPoints(const std::filesystem::path& path, const AttributeSet& points) {
    std::vector<Field> fields;
    for (const auto& [name, column] : points.columns()) addFields(fields, name, *column);
    std::stable_partition(fields.begin(), fields.end(),
                          [](const Field& f) { return f.name == "x" || f.name == "y" || f.name == "z"; });
    std::string out;
    for (size_t k = 0; k < fields.size(); ++k) out += (k ? "," : "") + fields[k].name;
    out += "\n";
    for (size_t i = 0; i < points.size(); ++i) {
        for (size_t k = 0; k < fields.size(); ++k) {
            if (k) out += ',';
            fields[k].put(i, out);
        }
        out += '\n';
    }
    writeFile(path, out);
}

namespace {

/// The numbers of a text by its columns.
struct Table {
    std::vector<std::string_view> names;
    std::vector<std::vector<float>> values;  ///< for each name
    std::vector<uint64_t> ids;               ///< of the column "id", which floats cannot hold
    /// names.size() where there is none.
    size_t column(std::string_view name) const {
        return size_t(std::find(names.begin(), names.end(), name) - names.begin());
    }
};

std::string_view takeLine(std::string_view& rest) {
    const size_t end = rest.find('\n');
    const std::string_view line = rest.substr(0, end);
    rest = end == std::string_view::npos ? std::string_view() : rest.substr(end + 1);
    return line;
}

void addRow(Table& table, const std::vector<std::string_view>& row, size_t line, const std::string& file) {
    const size_t idColumn = table.column("id");
    for (size_t k = 0; k < row.size(); ++k) {
        uint64_t id = 0;
        float x = 0.0f;
        // A life may be without end; readPoints() asks that places are not.
        if (k == idColumn ? !read(row[k], id) : !read(row[k], x) || std::isnan(x))
            throw Error(fmt::format("line {}: \"{}\" is no number", line, row[k]), file, "Mend the line");
        if (k == idColumn) table.ids.push_back(id);
        table.values[k].push_back(x);
    }
}

/// The names point into the text.
Table tableOf(std::string_view rest, const std::string& file) {
    const std::string_view head = takeLine(rest);
    const char by = head.find('\t') != std::string_view::npos  ? '\t'
                    : head.find(';') != std::string_view::npos ? ';'
                                                               : ',';
    Table table;
    table.names = cells(head, by);
    for (const char* name : {"x", "y", "z"})
        if (table.column(name) == table.names.size())
            throw Error(fmt::format("line 1: there is no column {}", name), file,
                        "The first line names the columns: x,y,z and others");
    table.values.resize(table.names.size());
    for (size_t number = 2; !rest.empty(); ++number) {
        const std::string_view line = takeLine(rest);
        if (line.empty() || line == "\r") continue;
        const auto row = cells(line, by);
        if (row.size() != table.names.size())
            throw Error(fmt::format("line {}: {} columns, and the first line names {}", number, row.size(),
                                    table.names.size()),
                        file, "Mend the line");
        addRow(table, row, number, file);
    }
    return table;
}

}  // namespace

PointSet readCsvPoints(const std::filesystem::path& path) {
    const std::string text = readFile(path);
    Table table = tableOf(text, path.string());
    PointSet set;
    set.attributes.resize(table.values[0].size());
    std::vector<std::string_view> taken = {"id"};
    const auto vectors = [&](const char* name, const char* x, const char* y, const char* z) {
        const size_t a = table.column(x), b = table.column(y), c = table.column(z);
        if (std::max({a, b, c}) == table.names.size()) return;
        auto out = set.attributes.add<V3f>(name);
        for (size_t i = 0; i < out.size(); ++i)
            out[i] = V3f(table.values[a][i], table.values[b][i], table.values[c][i]);
        taken.insert(taken.end(), {x, y, z});
    };
    vectors("P", "x", "y", "z");
    vectors("N", "nx", "ny", "nz");
    if (table.column("id") < table.names.size()) set.attributes.set("id", std::move(table.ids));
    for (size_t k = 0; k < table.names.size(); ++k)
        if (std::find(taken.begin(), taken.end(), table.names[k]) == taken.end() &&
            !set.attributes.has(std::string(table.names[k])))
            set.attributes.set(std::string(table.names[k]), std::move(table.values[k]));
    joinColumns(set.attributes);
    return set;
}

}  // namespace ovrix::io
