#include "scene/outside.h"

#include <algorithm>
#include <set>

#include "scene/values.h"

namespace ovrix {

namespace fs = std::filesystem;

namespace {

bool liesIn(const fs::path& path, const fs::path& folder) {
    const fs::path way = path.lexically_relative(folder);
    return !way.empty() && *way.begin() != "..";
}

}  // namespace

std::vector<std::string> filesOutside(const Document& document, const fs::path& folder) {
    std::error_code code;
    const fs::path home =
        fs::weakly_canonical(folder.empty() ? fs::path(".") : folder, code).lexically_normal();
    std::set<std::string> outside;
    const auto visit = [&](const std::string& path) {
        if (path.empty()) return;
        const fs::path whole = fs::weakly_canonical(folder / path, code);
        if (code || !liesIn(whole.lexically_normal(), home)) outside.insert(path);
    };
    for (const NodePtr& node : document.nodes()) {
        Node walked = *node;
        changeValues(walked, [&](const ParamSpec& spec, Value& value) {
            if (spec.type == ParamType::File) visit(std::get<std::string>(value));
        });
    }
    return {outside.begin(), outside.end()};
}

std::vector<std::string> filesAdded(const Document& before, const Document& after, const fs::path& folder,
                                    const fs::path& home) {
    std::error_code code;
    const fs::path there = fs::weakly_canonical(home.empty() ? fs::path(".") : home, code).lexically_normal();
    const std::vector<std::string> had = filesOutside(before, folder);
    std::vector<std::string> added;
    for (const std::string& path : filesOutside(after, folder)) {
        const fs::path whole = fs::weakly_canonical(folder / path, code);
        if (!code && liesIn(whole.lexically_normal(), there)) continue;
        if (!std::binary_search(had.begin(), had.end(), path)) added.push_back(path);
    }
    return added;
}

std::vector<std::string> dropImagesOutside(FileMesh& mesh, const std::vector<fs::path>& folders) {
    std::vector<std::string> dropped;
    std::error_code code;
    for (FileMaterial& m : mesh.materials) {
        if (m.baseColorImage.empty()) continue;
        const fs::path whole = fs::weakly_canonical(m.baseColorImage, code).lexically_normal();
        const bool in = !code && std::any_of(folders.begin(), folders.end(), [&](const fs::path& f) {
            return !f.empty() && liesIn(whole, fs::weakly_canonical(f, code).lexically_normal());
        });
        if (!in) dropped.push_back(std::exchange(m.baseColorImage, {}));
    }
    return dropped;
}

}  // namespace ovrix
