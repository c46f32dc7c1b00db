#include "io/usd/usd_text.h"

#include "base/error.h"
#include "base/files.h"

namespace ovrix::io {

std::string readUsdText(const std::filesystem::path& path) {
    std::string text = readFile(path);
    if (text.rfind("#usda", 0) != 0) throw Error("is no USD text file", path.string());
    return text;
}

std::string_view usdArrayText(std::string_view text, std::string_view declaration) {
    for (size_t at = text.find(declaration); at != std::string_view::npos;
         at = text.find(declaration, at + 1)) {
        const size_t equals = text.find_first_not_of(" \n\t", at + declaration.size());
        if (equals == std::string_view::npos || text[equals] != '=') continue;  // a longer name
        const size_t open = text.find_first_not_of(" \n\t", equals + 1);
        if (open == std::string_view::npos || text[open] != '[') continue;
        const size_t close = std::min(text.find(']', open), text.size());
        return text.substr(open + 1, close - open - 1);
    }
    return {};
}

std::vector<V3f> usdVectors(std::string_view text, std::string_view declaration) {
    const auto n = usdNumbers<float>(text, declaration);
    std::vector<V3f> out(n.size() / 3);
    for (size_t i = 0; i < out.size(); ++i) out[i] = V3f(n[3 * i], n[3 * i + 1], n[3 * i + 2]);
    return out;
}

}  // namespace ovrix::io
