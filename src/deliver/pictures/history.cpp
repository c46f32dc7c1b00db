#include "deliver/pictures/history.h"

#include <fmt/format.h>

#include <ctime>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/files.h"
#include "base/json_guard.h"
#include "document/file/map_files.h"
#include "document/file/scene_file.h"
#include "io/image/image_io.h"
#include "render/finish/finish.h"

namespace ovrix::deliver {

namespace fs = std::filesystem;
using Json = nlohmann::ordered_json;

namespace {

fs::path beside(const fs::path& picture, const char* ending) {
    return fs::path(picture).replace_extension(ending);
}

Picture pictureOf(std::span<const uint32_t> screen, int width, int height) {
    std::vector<V3f> colors(screen.size());
    std::transform(screen.begin(), screen.end(), colors.begin(), fromScreen);
    Picture out{width, height, {}};
    addColors(out, "", colors);
    return out;
}

void writeFacts(const HistoryEntry& e) {
    writeFile(beside(e.picture, ".json"), Json{{"name", e.name},
                                               {"note", e.note},
                                               {"time", e.time},
                                               {"size", {e.width, e.height}},
                                               {"passes", e.passes},
                                               {"seconds", e.seconds},
                                               {"frame", e.frame}}
                                              .dump(2, ' ', false, Json::error_handler_t::replace));
}

std::optional<HistoryEntry> readFacts(const fs::path& facts) {
    try {
        const std::string text = readFile(facts);
        requireBoundedJson(text, facts.string());
        const Json j = Json::parse(text);
        HistoryEntry e{
            beside(facts, ".png"),       j.at("name").get<std::string>(), j.at("note").get<std::string>(),
            j.at("time").get<int64_t>(), j.at("size").at(0).get<int>(),   j.at("size").at(1).get<int>(),
            j.at("passes").get<int>(),   j.at("seconds").get<double>(),   j.at("frame").get<double>()};
        if (!fs::exists(e.picture) || !fs::exists(beside(facts, ".ovrix"))) return std::nullopt;
        return e;
    } catch (const std::exception&) {  // damaged, or being written
        return std::nullopt;
    }
}

}  // namespace

std::vector<HistoryEntry> PictureHistory::all() const {
    std::vector<HistoryEntry> out;
    std::error_code failed;
    for (fs::directory_iterator at(folder_, failed), end; !failed && at != end; at.increment(failed))
        if (at->path().extension() == ".json")
            if (auto entry = readFacts(at->path())) out.push_back(std::move(*entry));
    std::sort(out.begin(), out.end(), [](const HistoryEntry& a, const HistoryEntry& b) {
        return std::pair(a.time, a.picture) > std::pair(b.time, b.picture);
    });
    return out;
}

HistoryEntry PictureHistory::add(HistoryEntry entry, std::span<const uint32_t> screen,
                                 const Document& document, const fs::path& folder) const {
    makeOwnFolder(folder_);
    const Document whole = rebasePaths(document, folder, {});  // it lies elsewhere than the scene
    if (entry.time == 0) entry.time = int64_t(std::time(nullptr));
    const std::vector<HistoryEntry> known = all();
    const bool same = !known.empty() && known[0].width == entry.width && known[0].height == entry.height &&
                      known[0].frame == entry.frame && known[0].name == entry.name &&
                      readFile(beside(known[0].picture, ".ovrix")) == writeScene(whole);
    if (same) entry.picture = known[0].picture, entry.note = known[0].note;
    for (int n = 0; entry.picture.empty() || (!same && fs::exists(beside(entry.picture, ".json"))); ++n)
        entry.picture = folder_ / fmt::format("{}-{:02}.png", entry.time, n);
    saveScene(whole, beside(entry.picture, ".ovrix"));
    WriteOptions options = defaultWriteOptions(entry.picture);
    options.space = "Raw", options.screen = "sRGB";
    writeImage(entry.picture, pictureOf(screen, entry.width, entry.height), options);
    writeFacts(entry);  // last: what has no facts is none
    dropOld();
    return entry;
}

void PictureHistory::setNote(const HistoryEntry& entry, const std::string& note) const {
    HistoryEntry noted = entry;
    noted.note = note;
    writeFacts(noted);
}

void PictureHistory::remove(const HistoryEntry& entry) const {
    std::error_code ignored;
    for (const char* ending : {".json", ".png", ".ovrix"}) fs::remove(beside(entry.picture, ending), ignored);
    fs::remove_all(mapFolder(beside(entry.picture, ".ovrix")), ignored);
}

void PictureHistory::dropOld() const {
    std::vector<HistoryEntry> known = all();
    size_t count = known.size();
    for (auto old = known.rbegin(); old != known.rend() && count > most_; ++old)
        if (old->note.empty()) remove(*old), --count;
}

Document PictureHistory::documentOf(const HistoryEntry& entry, const fs::path& folder) const {
    const fs::path file = beside(entry.picture, ".ovrix");
    return rebasePaths(loadScene(file), file.parent_path(), folder);
}

}  // namespace ovrix::deliver
