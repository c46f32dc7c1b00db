// Arrays in USD text, written and found again.
#pragma once
#include <fmt/format.h>

#include <charconv>
#include <filesystem>
#include <limits>
#include <span>
#include <string>
#include <vector>

#include "base/vec.h"

namespace ovrix::io {

/// What every file begins with: metres, Y up.
inline constexpr const char* kUsdHeader = "#usda 1.0\n(\n    metersPerUnit = 1\n    upAxis = \"Y\"\n)\n\n";

/// A number, or two to four of them in brackets; of a quaternion the real part first.
template <class T>
void putUsd(std::string& out, const T& x) {
    const auto to = std::back_inserter(out);
    if constexpr (std::is_arithmetic_v<T>)
        fmt::format_to(to, "{}", x);
    else if constexpr (std::is_same_v<T, Quatf>)
        fmt::format_to(to, "({}, {}, {}, {})", x.r, x.v.x, x.v.y, x.v.z);
    else if constexpr (std::is_same_v<T, V2f>)
        fmt::format_to(to, "({}, {})", x.x, x.y);
    else
        fmt::format_to(to, "({}, {}, {})", x.x, x.y, x.z);
}

/// One array, as a line. @param per  what it has a value for ("vertex", "uniform"), where that must be said
template <class T>
void putUsdArray(std::string& out, const std::string& indent, const std::string& declaration,
                 std::span<const T> values, const std::string& per = {}) {
    out += indent + declaration + " = [";
    for (size_t i = 0; i < values.size(); ++i) {
        if (i) out += ", ";
        putUsd(out, values[i]);
    }
    out += "]";
    if (!per.empty()) out += " (\n" + indent + "    interpolation = \"" + per + "\"\n" + indent + ")";
    out += "\n";
}

/// Throws Error where the file cannot be read or is no USD text.
std::string readUsdText(const std::filesystem::path& path);

/// What stands between the brackets after "declaration = "; empty where there is none.
std::string_view usdArrayText(std::string_view text, std::string_view declaration);

/// All numbers of an array, brackets within it apart; empty where there is none. Too large ones are infinite.
template <class T>
std::vector<T> usdNumbers(std::string_view text, std::string_view declaration) {
    const std::string_view array = usdArrayText(text, declaration);
    std::vector<T> out;
    for (const char *p = array.data(), *end = p + array.size(); p < end;) {
        T x{};
        const auto [next, error] = std::from_chars(p, end, x);
        if (error == std::errc::result_out_of_range)
            x = std::is_floating_point_v<T> ? std::numeric_limits<T>::infinity()
                                            : std::numeric_limits<T>::max();
        if (error != std::errc::invalid_argument) out.push_back(x);
        p = error == std::errc::invalid_argument ? p + 1 : next;
    }
    return out;
}

/// The same by threes.
std::vector<V3f> usdVectors(std::string_view text, std::string_view declaration);

}  // namespace ovrix::io
