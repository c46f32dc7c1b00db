#include "document/lights/common.h"

#include <fmt/format.h>

#include "document/types/common.h"

namespace ovrix::document {

EmissionParams::EmissionParams(ParamTable& table)
    : exposure(table.add(exposureSpec())), power(table.add(powerSpec())), color(table.add(tintSpec())) {}

V3f radianceOf(const ResolvedParams& values, const EmissionParams& p) {
    return V3f(values[p.color]) * float(values[p.power] * std::exp2(values[p.exposure]));
}

std::string darkness(const ResolvedParams& values, const Handle<Color>& color) {
    return luminance(values[color]) > 0 ? std::string() : "gives no light: its colour is black";
}

std::string darkness(const ResolvedParams& values, const Handle<double>& strength,
                     const Handle<Color>& color) {
    if (values[strength] <= 0) return fmt::format("gives no light: its {} is 0", strength.id());
    return darkness(values, color);
}

std::string darkness(const ResolvedParams& values, const EmissionParams& p) {
    return darkness(values, p.power, p.color);
}

std::vector<V3f> circle(float radius, const V3f& x, const V3f& y) {
    constexpr int kPieces = 32;
    std::vector<V3f> line;
    for (int k = 0; k <= kPieces; ++k) {
        const float a = 2 * kPi * float(k) / kPieces;
        line.push_back((x * std::cos(a) + y * std::sin(a)) * radius);
    }
    return line;
}

}  // namespace ovrix::document
