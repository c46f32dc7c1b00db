#include "scene/outside.h"

#include <set>

namespace ovrix {

namespace fs = std::filesystem;

namespace {

template <class Visit>
void overFiles(const std::vector<ParamSpec>& specs, const ParamMap& params, const Visit& visit) {
    for (const ParamSpec& spec : specs) {
        const auto it = params.find(spec.id);
        if (it == params.end()) continue;
        const auto* path = std::get_if<std::string>(&it->second.value);
        if (spec.type == ParamType::File && path && !path->empty()) visit(*path);
        if (!it->second.field) continue;
        for (const FieldSource& s : it->second.field->sources)
            if (const SourceType* type = findSourceType(s.type)) overFiles(type->params, s.params, visit);
    }
}

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
        const fs::path whole = fs::weakly_canonical(folder / path, code);
        if (code || !liesIn(whole.lexically_normal(), home)) outside.insert(path);
    };
    for (const NodePtr& node : document.nodes()) {
        overFiles(specsOf(*node), node->params, visit);
        for (const Step& s : node->steps) overFiles(specsOf(s), s.params, visit);
    }
    return {outside.begin(), outside.end()};
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
