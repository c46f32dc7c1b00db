#include "base/json_guard.h"

#include <fmt/format.h>

#include <nlohmann/json.hpp>
#include <stdexcept>
#include <vector>

#include "base/error.h"

namespace ovrix::base {

namespace {

constexpr size_t kDeepest = 100;         // a field in a field takes six
constexpr size_t kLongest = 64'000'000;  // bytes of a text
constexpr size_t kMost = 50'000'000;     // entries of a list

}  // namespace

void requireBoundedJson(std::string_view text, const std::string& name) {
    size_t line = 1;
    const auto refuse = [&](const char* what) {
        throw Error(fmt::format("line {}: {}", line, what), name, "Restore the file from a copy");
    };
    std::vector<size_t> entries;
    for (size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (c == '\n') ++line;
        if (c == '"') {
            const size_t begin = ++i;
            for (; i < text.size() && text[i] != '"'; ++i)
                if (text[i] == '\\') ++i;
            if (i - begin > kLongest) refuse("a text is too long");
        }
        if (c == '[' || c == '{') {
            entries.push_back(0);
            if (entries.size() > kDeepest) refuse("it is nested too deep");
        }
        if ((c == ']' || c == '}') && !entries.empty()) entries.pop_back();
        if (c == ',' && !entries.empty() && ++entries.back() > kMost) refuse("a list is too long");
    }
}

uint64_t wholeNumber(const nlohmann::json& j) {
    if (!j.is_number_unsigned()) throw std::domain_error("no whole number from 0 on");
    return j.get<uint64_t>();
}

}  // namespace ovrix::base
