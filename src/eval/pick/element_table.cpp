#include "eval/pick/element_table.h"

#include <fmt/format.h>

#include "base/error.h"
#include "field/field.h"

namespace ovrix::eval {

static constexpr double kNone = std::numeric_limits<double>::quiet_NaN();

void ElementTable::add(const std::string& name, const Column& column) {
    const auto part = [&](const char* of, auto number) {
        columns_.push_back({name + (*of ? "." : "") + of, false, std::move(number)});
    };
    const auto parts = [&](const auto& values, const char* const* names, int count) {
        for (int k = 0; k < count; ++k)
            part(names[k], [&values, k](size_t i) { return double(values[i][k]); });
    };
    static constexpr const char *kXyz[] = {"x", "y", "z", "w"}, *kRgb[] = {"r", "g", "b"};
    if (const auto* floats = std::get_if<std::vector<float>>(&column))
        part("", [floats](size_t i) { return double((*floats)[i]); });
    else if (const auto* ints = std::get_if<std::vector<int32_t>>(&column))
        columns_.push_back({name, true, [ints](size_t i) { return double((*ints)[i]); }});
    else if (const auto* ids = std::get_if<std::vector<uint64_t>>(&column))
        columns_.push_back({name, true, [ids](size_t i) { return double((*ids)[i]); },
                            [ids](size_t i) { return std::to_string((*ids)[i]); }});
    else if (const auto* two = std::get_if<std::vector<V2f>>(&column))
        parts(*two, kXyz, 2);
    else if (const auto* three = std::get_if<std::vector<V3f>>(&column))
        parts(*three, kXyz, 3);
    else if (const auto* four = std::get_if<std::vector<V4f>>(&column))
        parts(*four, kXyz, 4);
    else if (const auto* colors = std::get_if<std::vector<Color>>(&column))
        parts(*colors, kRgb, 3);
    else if (const auto* turns = std::get_if<std::vector<Quatf>>(&column)) {
        for (int k = 0; k < 3; ++k) part(kXyz[k], [turns, k](size_t i) { return double((*turns)[i].v[k]); });
        part("w", [turns](size_t i) { return double((*turns)[i].r); });
    } else if (const auto* texts = std::get_if<StringColumn>(&column)) {
        columns_.push_back({name, false, [](size_t) { return kNone; },
                            [texts](size_t i) {
                                const auto at = size_t(texts->index[i]);
                                return at < texts->table.size() ? texts->table[at] : std::string();
                            }});
    }
}

ElementTable::ElementTable(Geometry geometry) : geometry_(std::move(geometry)) {
    const AttributeSet* set = elementsOf(geometry_);
    if (!set) return;
    rows_ = set->size();
    ids_ = set->find<uint64_t>("id");
    for (const auto& [name, column] : set->columns())
        if (name == "id") add(name, *column);
    for (const auto& [name, column] : set->columns())
        if (name != "id") add(name, *column);
}

std::string ElementTable::text(size_t row, size_t column) const {
    const ColumnOf& c = columns_[column];
    if (c.text) return c.text(row);
    const double x = c.number(row);
    if (c.whole) return fmt::format("{:.0f}", x);
    return std::isfinite(x) ? fmt::format("{:.5g}", x) : std::string("none");
}

std::vector<uint32_t> ElementTable::where(const std::string& formula, double frame, double rate,
                                          Progress& progress) const {
    std::vector<uint32_t> out;
    const bool all = formula.find_first_not_of(" \t") == std::string::npos;
    std::vector<float> kept(all ? 0 : rows_);
    const AttributeSet* set = elementsOf(geometry_);
    if (!all && set) {
        FieldSource source = field::makeSource("formula");
        source.params["formula"].value = formula;
        FieldContext context;
        context.frame = frame, context.rate = rate;
        context.elements = set;
        const CompiledField field(Field{{source}}, context);
        const auto* strands = std::get_if<std::shared_ptr<const StrandSet>>(&geometry_);
        const Samples samples = strands ? field::samplesOf(**strands) : field::samplesOf(*set);
        constexpr size_t kTogether = 1 << 16;
        for (size_t begin = 0; begin < rows_; begin += kTogether) {
            progress.check();
            const size_t count = std::min(kTogether, rows_ - begin);
            field.evaluate(samples.sub(begin, count), std::span(kept).subspan(begin, count));
        }
    }
    for (size_t i = 0; i < rows_; ++i)
        if (all || (kept[i] != 0.0f && !std::isnan(kept[i]))) out.push_back(uint32_t(i));
    return out;
}

void ElementTable::sort(std::vector<uint32_t>& rows, size_t column, bool backward) const {
    const ColumnOf& c = columns_[column];
    const bool texts = c.text && rows_ > 0 && std::isnan(c.number(0));
    if (texts) {
        std::stable_sort(rows.begin(), rows.end(), [&](uint32_t a, uint32_t b) {
            return backward ? c.text(b) < c.text(a) : c.text(a) < c.text(b);
        });
        return;
    }
    const auto known =
        std::stable_partition(rows.begin(), rows.end(), [&](uint32_t r) { return !std::isnan(c.number(r)); });
    std::stable_sort(rows.begin(), known, [&](uint32_t a, uint32_t b) {
        return backward ? c.number(b) < c.number(a) : c.number(a) < c.number(b);
    });
}

ElementTable::Statistics ElementTable::of(std::span<const uint32_t> rows, size_t column) const {
    Statistics s;
    double sum = 0.0, squares = 0.0, first = 0.0;
    for (const uint32_t row : rows) {
        const double x = columns_[column].number(row);
        if (!std::isfinite(x)) {
            ++s.without;
            continue;
        }
        if (s.count == 0) first = s.least = s.most = x;
        s.least = std::min(s.least, x), s.most = std::max(s.most, x);
        ++s.count;
        sum += x - first, squares += (x - first) * (x - first);  // about the first: no digits are lost
    }
    if (s.count == 0) return s;
    const double n = double(s.count), mean = sum / n;
    s.mean = first + mean;
    s.deviation = std::sqrt(std::max(0.0, squares / n - mean * mean));
    return s;
}

}  // namespace ovrix::eval
