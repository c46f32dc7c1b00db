#include "params/number_text.h"

#include <muParser.h>

#include <charconv>
#include <cstring>

#include "base/error.h"

namespace ovrix::params {

namespace {

template <int kNumerator, int kDenominator>
mu::value_type times(mu::value_type x) {
    return x * kNumerator / kDenominator;
}
mu::value_type inches(mu::value_type x) { return x * 0.0254; }
mu::value_type feet(mu::value_type x) { return x * 0.3048; }
mu::value_type fromRadians(mu::value_type x) { return x * 57.29577951308232; }

void defineUnits(mu::Parser& p, const std::string& unit) {
    p.DefinePostfixOprt("%", times<1, 100>);
    if (unit == "m") {
        p.DefinePostfixOprt("mm", times<1, 1000>);
        p.DefinePostfixOprt("cm", times<1, 100>);
        p.DefinePostfixOprt("m", times<1, 1>);
        p.DefinePostfixOprt("km", times<1000, 1>);
        p.DefinePostfixOprt("in", inches);
        p.DefinePostfixOprt("ft", feet);
    }
    if (unit == "mm") {
        p.DefinePostfixOprt("mm", times<1, 1>);
        p.DefinePostfixOprt("cm", times<10, 1>);
    }
    if (unit == "deg") {
        p.DefinePostfixOprt("deg", times<1, 1>);
        p.DefinePostfixOprt("rad", fromRadians);
        p.DefinePostfixOprt("turn", times<360, 1>);
    }
    if (unit == "s") {
        p.DefinePostfixOprt("ms", times<1, 1000>);
        p.DefinePostfixOprt("s", times<1, 1>);
        p.DefinePostfixOprt("minutes", times<60, 1>);  // "min" is a function
    }
}

}  // namespace

double parseNumberText(const std::string& text, const std::string& unit,
                       const std::map<std::string, double>& names) {
    std::string compact;  // "48 000" is how the program writes it
    for (char c : text)
        if (c != ' ' && c != '\'') compact += c == ',' ? '.' : c;
    const std::string hint = "Write a number, arithmetic or a unit, like 2.5cm or 1/24";
    if (compact.empty()) throw Error("there is no number", {}, hint);
    if (compact.size() > 200) throw Error("the text is too long for a number", {}, hint);
    try {
        mu::Parser parser;
        defineUnits(parser, unit);
        for (const auto& [name, value] : names) parser.DefineConst(name, value);
        parser.SetExpr(compact);
        const double value = parser.Eval();
        if (!std::isfinite(value)) throw Error("\"" + text + "\" gives no finite number", {}, hint);
        return value;
    } catch (const mu::Parser::exception_type& e) {
        throw Error("\"" + text + "\" is no number (" + e.GetMsg() + ")", {}, hint);
    }
}

std::vector<int> cellsFromText(const std::string& text, int count) {
    std::vector<bool> named(size_t(std::max(0, count)), false);
    const char *at = text.data(), *const end = at + text.size();
    const auto skip = [&](const char* what) {
        while (at < end && std::strchr(what, *at)) ++at;
    };
    const auto number = [&] {
        skip(" ");
        int x = 0;
        const auto [next, error] = std::from_chars(at, end, x);
        if (error != std::errc() || x < 0)
            throw Error("\"" + text + "\" is no list of pictures", {}, "Write it like 0-3, 7");
        at = next;
        skip(" ");
        return x;
    };
    for (skip(" ,"); at < end; skip(" ,")) {
        const int first = number();
        int last = first;
        if (at < end && *at == '-') ++at, last = number();
        for (int i = first; i <= std::min(last, count - 1); ++i) named[size_t(i)] = true;
    }
    std::vector<int> cells;
    for (int i = 0; i < count; ++i)
        if (named[size_t(i)]) cells.push_back(i);
    return cells;
}

std::string textFromCells(const std::vector<int>& cells) {
    std::string text;
    for (size_t i = 0; i < cells.size();) {
        size_t last = i;
        while (last + 1 < cells.size() && cells[last + 1] == cells[last] + 1) ++last;
        if (!text.empty()) text += ", ";
        text += std::to_string(cells[i]);
        if (last > i) text += (last == i + 1 ? ", " : "-") + std::to_string(cells[last]);
        i = last + 1;
    }
    return text;
}

}  // namespace ovrix::params
