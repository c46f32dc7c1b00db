#include "base/number_text.h"

#include <muParser.h>

#include "base/error.h"

namespace ovrix {

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
        p.DefinePostfixOprt("min", times<60, 1>);
    }
}

}  // namespace

double parseNumberText(const std::string& text, const std::string& unit) {
    std::string compact;  // "48 000" is how the program writes it
    for (char c : text)
        if (c != ' ' && c != '\'') compact += c == ',' ? '.' : c;
    const std::string hint = "Write a number, arithmetic or a unit, like 2.5cm or 1/24";
    if (compact.empty()) throw Error("there is no number", {}, hint);
    if (compact.size() > 200) throw Error("the text is too long for a number", {}, hint);
    try {
        mu::Parser parser;
        defineUnits(parser, unit);
        parser.SetExpr(compact);
        const double value = parser.Eval();
        if (!std::isfinite(value)) throw Error("\"" + text + "\" gives no finite number", {}, hint);
        return value;
    } catch (const mu::Parser::exception_type& e) {
        throw Error("\"" + text + "\" is no number (" + e.GetMsg() + ")", {}, hint);
    }
}

}  // namespace ovrix
