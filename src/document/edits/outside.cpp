#include "document/edits/outside.h"

#include <algorithm>
#include <iterator>
#include <set>

#include "document/model/values.h"

namespace ovrix::document {

namespace fs = std::filesystem;

namespace {

bool liesIn(const fs::path& path, const fs::path& folder) {
    const fs::path relative = path.lexically_relative(folder);
    return !relative.empty() && *relative.begin() != "..";
}

/// Over all links, without "." and "..".
fs::path whole(const fs::path& path, std::error_code& code) {
    return fs::weakly_canonical(path, code).lexically_normal();
}

}  // namespace

std::vector<std::string> filesOutside(const Document& document, const fs::path& folder,
                                      const fs::path& home) {
    std::error_code code;
    std::vector<fs::path> known{whole(folder.empty() ? fs::path(".") : folder, code)};
    if (!home.empty()) known.push_back(whole(home, code));
    std::set<std::string> outside;
    const auto visit = [&](const std::string& path) {
        if (path.empty()) return;
        const fs::path file = whole(folder / path, code);
        const auto holds = [&](const fs::path& in) { return !code && liesIn(file, in); };
        if (std::none_of(known.begin(), known.end(), holds)) outside.insert(path);
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
    const std::vector<std::string> had = filesOutside(before, folder),
                                   has = filesOutside(after, folder, home);
    std::vector<std::string> added;
    std::set_difference(has.begin(), has.end(), had.begin(), had.end(), std::back_inserter(added));
    return added;
}

std::vector<std::string> dropImagesOutside(FileMesh& mesh, const std::vector<fs::path>& folders) {
    std::vector<std::string> dropped;
    std::error_code code;
    for (FileMaterial& m : mesh.materials) {
        if (m.baseColorImage.empty()) continue;
        const fs::path image = whole(m.baseColorImage, code);
        const bool in = !code && std::any_of(folders.begin(), folders.end(), [&](const fs::path& f) {
            return !f.empty() && liesIn(image, whole(f, code));
        });
        if (!in) dropped.push_back(std::exchange(m.baseColorImage, {}));
    }
    return dropped;
}

}  // namespace ovrix::document
