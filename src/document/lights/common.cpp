#include "document/lights/common.h"

#include <fmt/format.h>

namespace ovrix::document {

V3f radianceOf(const ResolvedParams& p) {
    return V3f(p.color("color")) * float(p.number("power") * std::exp2(p.number("exposure")));
}

std::string darkness(const ResolvedParams& p) {
    for (const char* amount : {"power", "strength"})
        if (p.has(amount) && p.number(amount) <= 0) return fmt::format("gives no light: its {} is 0", amount);
    return luminance(p.color("color")) > 0 ? std::string() : "gives no light: its colour is black";
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
