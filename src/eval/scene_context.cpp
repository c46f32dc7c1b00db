#include "eval/scene_context.h"

#include "base/file_sequence.h"
#include "base/files.h"

namespace ovrix::eval {

SceneContext SceneContext::ofFile(Document d, const std::filesystem::path& file) {
    const auto whole = std::filesystem::absolute(file);
    return {std::move(d), whole.parent_path(), whole};
}

std::filesystem::path SceneContext::resolve(const std::string& path) const {
    return path.empty() ? std::filesystem::path() : (folder / path).lexically_normal();
}

uint64_t SceneContext::stampOf(const std::string& path) const {
    if (path.empty()) return 0;
    const auto whole = resolve(path);
    Hasher h;
    h.add(std::string_view(whole.native()));
    if (isTiled(path)) {
        for (const auto& [number, tile] : tilesOf(whole)) h.add(uint64_t(number)).add(fileStamp(tile));
        return h.value();
    }
    if (!isSequence(path)) return h.add(fileStamp(whole)).value();
    for (const int frame : framesOf(whole))
        h.add(uint64_t(frame)).add(fileStamp(fileOfFrame(whole.string(), frame)));
    return h.value();
}

}  // namespace ovrix::eval
