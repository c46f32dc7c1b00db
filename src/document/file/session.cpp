#include "document/file/session.h"

#include <fmt/format.h>
#include <signal.h>
#include <unistd.h>

#include "base/error.h"
#include "base/files.h"
#include "document/file/map_files.h"
#include "document/file/scene_file.h"

namespace fs = std::filesystem;

namespace ovrix::document {

fs::path Session::folder() const {
    return path_.empty() ? fs::current_path() : fs::absolute(path_).parent_path();
}

void Session::apply(const std::string& label, Document next, const std::string& mergeKey) {
    if (next == current_) return;
    const bool merges = !mergeKey.empty() && mergeKey == mergeKey_ && !undo_.empty();
    redo_.clear();
    if (merges)
        undo_.back().after = next;
    else
        undo_.push_back({label, current_, next});
    mergeKey_ = mergeKey;
    current_ = std::move(next);
    changed();
}

void Session::undo() {
    if (undo_.empty()) return;
    endMerge();
    current_ = undo_.back().before;
    redo_.push_back(std::move(undo_.back()));
    undo_.pop_back();
    changed();
}

void Session::redo() {
    if (redo_.empty()) return;
    endMerge();
    current_ = redo_.back().after;
    undo_.push_back(std::move(redo_.back()));
    redo_.pop_back();
    changed();
}

void Session::reset(Document document, const fs::path& path) {
    current_ = saved_ = std::move(document);
    path_ = path;
    undo_.clear();
    redo_.clear();
    endMerge();
    changed();
}

void Session::load(const fs::path& path) { reset(loadScene(path), fs::absolute(path)); }

void Session::save(const fs::path& path) {
    const fs::path whole = fs::absolute(path);
    const Document moved = rebasePaths(current_, folder(), whole.parent_path());
    saveScene(moved, whole);
    if (!(moved == current_)) {  // the file moved: so do the paths in the history
        const fs::path from = folder(), to = whole.parent_path();
        for (auto* list : {&undo_, &redo_})
            for (Entry& e : *list)
                e = {e.label, rebasePaths(e.before, from, to), rebasePaths(e.after, from, to)};
    }
    current_ = saved_ = moved;
    path_ = whole;
    endMerge();
    changed();
}

void Session::recover(Document document, const fs::path& path) {
    path_ = path;
    saved_ = Document();  // equal to nothing that was recovered: it counts as not saved
    undo_.clear();
    redo_.clear();
    endMerge();
    current_ =
        path.empty() ? std::move(document) : rebasePaths(document, "/", fs::absolute(path).parent_path());
    changed();
}

Autosave::Autosave(fs::path folder) : folder_(std::move(folder)) {
    std::error_code code;
    fs::create_directories(folder_, code);
    file_ = folder_ / fmt::format("{}.autosave", ::getpid());
}

void Autosave::write(const Document& document, const fs::path& folder, const fs::path& original) {
    writeMaps(document, mapFolder(file_));
    nlohmann::ordered_json j{{"original", original.string()},
                             {"scene", writeScene(rebasePaths(document, folder, {}))}};
    writeFile(file_, j.dump());
    dropOldMaps(document, mapFolder(file_));
}

void Autosave::clear() {
    std::error_code code;
    fs::remove(file_, code);
    fs::remove_all(mapFolder(file_), code);
}

std::vector<Autosave::Found> Autosave::found() const {
    std::vector<Found> all;
    std::error_code code;
    for (const auto& entry : fs::directory_iterator(folder_, code)) {
        if (entry.path().extension() != ".autosave") continue;
        const long pid = std::strtol(entry.path().stem().c_str(), nullptr, 10);
        const bool alive = pid > 0 && (::kill(pid_t(pid), 0) == 0 || errno == EPERM);
        if (alive) continue;
        const auto j = nlohmann::json::parse(readFile(entry.path()), nullptr, false);
        if (j.is_object() && j.contains("original") && j["original"].is_string())
            all.push_back({entry.path(), j["original"].get<std::string>()});
    }
    std::sort(all.begin(), all.end(), [](const Found& a, const Found& b) { return a.file < b.file; });
    return all;
}

Document Autosave::read(const Found& found) {
    const auto j = nlohmann::json::parse(readFile(found.file), nullptr, false);
    if (!j.is_object() || !j.contains("scene") || !j["scene"].is_string())
        throw Error("the kept scene is damaged", found.file.string(), "Open the last saved file");
    return withMapsRead(readScene(j["scene"].get<std::string>(), found.file.string()), mapFolder(found.file));
}

void Autosave::discard(const Found& found) {
    std::error_code code;
    fs::remove(found.file, code);
    fs::remove_all(mapFolder(found.file), code);
}

fs::path Autosave::userFolder() {
    const char* state = std::getenv("XDG_STATE_HOME");
    const char* home = std::getenv("HOME");
    if (state && *state) return fs::path(state) / "ovrix";
    return fs::path(home && *home ? home : "/tmp") / ".local/state/ovrix";
}

}  // namespace ovrix::document
