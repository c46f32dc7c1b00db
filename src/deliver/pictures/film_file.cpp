#include "deliver/pictures/film_file.h"

#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/files.h"
#include "base/hash.h"
#include "base/json_guard.h"
#include "document/edits/edits.h"
#include "document/file/scene_file.h"
#include "io/state/state_columns.h"

namespace ovrix::deliver {

using Json = nlohmann::ordered_json;

namespace {

constexpr int kFilmVersion = 1;
constexpr const char* kNote = "ovrix-film";
constexpr int kMostSide = 32768;
constexpr uint32_t kMostPasses = 1u << 20;

bool overlap(const Rect& a, const Rect& b) {
    return a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height;
}

bool within(const Rect& a, const Rect& b) {
    return b.x <= a.x && a.x + a.width <= b.x + b.width && b.y <= a.y && a.y + a.height <= b.y + b.height;
}

bool overlap(const PassRange& a, const PassRange& b) {
    return a.first < b.first + b.count && b.first < a.first + a.count && overlap(a.region, b.region);
}

Json namesToJson(const std::map<uint32_t, std::string>& names) {
    Json j = Json::array();
    for (const auto& [id, name] : names) j.push_back({id, name});
    return j;
}

std::map<uint32_t, std::string> namesFrom(const Json& j) {
    std::map<uint32_t, std::string> names;
    for (const Json& one : j) names[one.at(0).get<uint32_t>()] = one.at(1).get<std::string>();
    return names;
}

/// Of all numbers: blocks that were changed may still unpack.
uint64_t sumOf(const Film& film) {
    Hasher h;
    film.eachPlane([&](const std::string& name, const auto& numbers, size_t) {
        h.add(name).add({reinterpret_cast<const char*>(numbers.data()), numbers.size() * sizeof(numbers[0])});
    });
    for (const PassInfo& info : passTable())
        for (const Coverage& cover : film.covers(info.pass))
            for (const Coverage::Seen& s : cover.all()) h.add(uint64_t(s.number) << 32 | s.count);
    return h.value();
}

/// For a screen of sRGB: films know no configuration.
Json finishToJson(const FinishOptions& f) {
    const FilmResponse& r = f.response;
    return {f.exposure, r.contrast, r.toe, r.shoulder, r.desaturation};
}

FinishOptions finishFrom(const Json& j) {
    FinishOptions out;
    out.exposure = j.at(0).get<float>();
    if (j.at(1).is_boolean()) {  // of films from before there was more to say
        if (!j.at(1).get<bool>()) out.response = {};
        return out;
    }
    const auto part = [&](size_t i, float most) { return std::clamp(j.at(i).get<float>(), 0.0f, most); };
    out.response = {part(1, 16.0f), part(2, 1.0f), part(3, 0.95f), part(4, 1.0f)};
    return out;
}

std::string headOf(const FilmFile& f) {
    Json passes = Json::array(), ranges = Json::array(), fields = Json::array();
    for (const Pass pass : f.film.layout().passes) passes.push_back(infoOf(pass).id);
    for (const FieldPlane& field : f.film.layout().fields) fields.push_back({field.name, field.color});
    for (const PassRange& p : f.notes.ranges)
        ranges.push_back({p.region.x, p.region.y, p.region.width, p.region.height, p.first, p.count});
    return Json{{"version", kFilmVersion},
                {"width", f.film.width()},
                {"height", f.film.height()},
                {"passes", passes},
                {"groups", f.film.groups()},
                {"fields", fields},
                {"exposure", f.film.layout().exposure},
                {"bins", f.film.layout().bins},
                {"picture", f.notes.picture},
                {"sum", sumOf(f.film)},
                {"log2_passes", f.notes.log2Passes},
                {"ranges", ranges},
                {"finish", finishToJson(f.notes.finish)},
                {"objects", namesToJson(f.notes.objectNames)},
                {"layers", namesToJson(f.notes.layerNames)},
                {"materials", namesToJson(f.notes.materialNames)}}
        .dump(-1, ' ', false, Json::error_handler_t::replace);
}

int between(const Json& j, int low, int high) {
    const auto n = j.get<int64_t>();
    if (n < low || n > high) throw std::out_of_range("a number of the film's head");
    return int(n);
}

FilmLayout layoutFrom(const Json& j) {
    FilmLayout layout;
    for (const Json& id : j.at("passes")) {
        const PassInfo* info = findPass(id.get<std::string>());
        if (!info || !*info->choice || layout.chosen(info->pass))
            throw std::out_of_range("a pass that is none");
        layout.passes.push_back(info->pass);
    }
    layout.groups = j.at("groups").get<std::vector<std::string>>();
    layout.exposure = between(j.at("exposure"), -200, 200);
    layout.bins = j.value("bins", false);
    for (const Json& field : j.value("fields", Json::array()))
        layout.fields.push_back({field.at(0).get<std::string>(), field.at(1).get<bool>()});
    return layout;
}

FilmNotes notesFrom(const Json& j, const Rect& whole) {
    FilmNotes notes;
    notes.picture = j.at("picture").get<uint64_t>();
    notes.log2Passes = uint32_t(between(j.at("log2_passes"), 0, 16));
    for (const Json& p : j.at("ranges")) {
        PassRange range;
        range.region = {between(p.at(0), 0, whole.width - 1), between(p.at(1), 0, whole.height - 1), 0, 0};
        range.region.width = between(p.at(2), 1, whole.width - range.region.x);
        range.region.height = between(p.at(3), 1, whole.height - range.region.y);
        range.first = uint32_t(between(p.at(4), 0, int(kMostPasses)));
        range.count = uint32_t(between(p.at(5), 1, int(kMostPasses)));
        notes.ranges.push_back(range);
    }
    notes.finish = finishFrom(j.at("finish"));
    notes.objectNames = namesFrom(j.at("objects"));
    notes.layerNames = namesFrom(j.at("layers"));
    notes.materialNames = namesFrom(j.at("materials"));
    return notes;
}

/// Coverage as two lists: how many things each pixel shows, and all of them, each with its count.
void addCovers(io::StateFile& state, const Film& film) {
    for (const PassInfo& info : passTable()) {
        if (info.gather != Gather::Cover || !film.has(info.pass)) continue;
        AttributeSet things, seen;
        things.resize(film.count());
        const auto count = things.add<int32_t>("value");
        size_t all = 0;
        for (size_t i = 0; i < film.count(); ++i) {
            const size_t n = film.coverage(info.pass, i).all().size();
            count[i] = int32_t(n), all += n;
        }
        seen.resize(all);
        const auto values = seen.add<uint64_t>("value");
        size_t at = 0;
        for (const Coverage& cover : film.covers(info.pass))
            for (const Coverage::Seen& s : cover.all()) values[at++] = uint64_t(s.number) << 32 | s.count;
        state.sets.emplace_back(std::string(info.id) + " things", std::move(things));
        state.sets.emplace_back(std::string(info.id) + " seen", std::move(seen));
    }
}

/// @param next  of the file's sets
void takeCovers(const io::StateFile& state, size_t next, Film& film) {
    for (const PassInfo& info : passTable()) {
        if (info.gather != Gather::Cover || !film.has(info.pass)) continue;
        const auto count = state.sets.at(next).second.find<int32_t>("value");
        const auto values = state.sets.at(next + 1).second.find<uint64_t>("value");
        next += 2;
        if (count.size() != film.count()) throw std::out_of_range("coverage of another size");
        size_t at = 0;
        for (size_t i = 0; i < film.count(); ++i)
            for (int32_t n = 0; n < count[i]; ++n, ++at) {
                if (at >= values.size()) throw std::out_of_range("coverage of another size");
                film.covers(info.pass)[i].add(uint32_t(values[at] >> 32), uint32_t(values[at]));
            }
        if (at != values.size()) throw std::out_of_range("coverage of another size");
    }
}

/// Of the file's own sets: the numbers of one plane.
template <class Stored, class Number>
void takePlane(const AttributeSet& set, std::vector<Number>& numbers) {
    const auto stored = set.find<Stored>("value");
    if (set.size() != numbers.size() || stored.size() != numbers.size())
        throw std::out_of_range("a plane of another size");
    for (size_t i = 0; i < numbers.size(); ++i) numbers[i] = std::bit_cast<Number>(stored[i]);
}

template <class Number>
using StoredAs = std::conditional_t<sizeof(Number) == 8, uint64_t, int32_t>;

[[noreturn]] void damaged(const std::filesystem::path& path) {
    throw Error("the film is damaged, or none", path.string(),
                "Take a copy of it, or render it again from its scene");
}

FilmFile filmFrom(const io::StateFile& state, size_t memory) {
    const auto note = state.notes.find(kNote);
    if (note == state.notes.end()) throw std::out_of_range("no film");
    requireBoundedJson(note->second, "the film's head");
    const Json j = Json::parse(note->second);
    if (j.at("version").get<int>() != kFilmVersion) throw std::out_of_range("another version");
    const Rect whole{0, 0, between(j.at("width"), 1, kMostSide), between(j.at("height"), 1, kMostSide)};
    const FilmLayout layout = layoutFrom(j);
    if (layout.bytesOfPixel() * double(whole.width) * double(whole.height) > double(memory))
        throw std::out_of_range("more than the memory limit");
    FilmFile out{Film(whole.width, whole.height, layout), notesFrom(j, whole)};
    size_t next = 0;
    out.film.eachPlane([&](const std::string& name, auto& numbers, size_t) {
        using Number = std::decay_t<decltype(numbers[0])>;
        if (state.sets.at(next).first != name) throw std::out_of_range("other planes");
        takePlane<StoredAs<Number>>(state.sets[next++].second, numbers);
    });
    takeCovers(state, next, out.film);
    if (sumOf(out.film) != j.at("sum").get<uint64_t>()) throw std::out_of_range("another sum");
    return out;
}

}  // namespace

bool FilmNotes::has(const Rect& region, uint32_t pass) const {
    return std::any_of(ranges.begin(), ranges.end(), [&](const PassRange& p) {
        return p.first <= pass && pass < p.first + p.count && within(region, p.region);
    });
}

bool FilmNotes::meets(const Rect& region, uint32_t pass) const {
    return std::any_of(ranges.begin(), ranges.end(), [&](const PassRange& p) {
        return overlap(p, {region, pass, 1});
    });
}

uint32_t FilmNotes::passesOf(const Rect& region) const {
    uint32_t passes = 0;
    while (has(region, passes)) ++passes;
    return passes;
}

void FilmNotes::add(const Rect& region, uint32_t pass) {
    for (PassRange& p : ranges)
        if (p.region == region && p.first + p.count == pass) {
            ++p.count;
            return;
        }
    ranges.push_back({region, pass, 1});
}

uint64_t pictureHash(const SceneContext& scene, const JobOptions& options, const RenderJob& job) {
    // For how long it is worked on, what holds for the machine and what happens to it after changes no
    // sample.
    Document d = scene.document;
    if (const Node* finish = d.settings("finish")) d.remove(finish->id);
    for (const auto& [type, param] :
         {std::pair("render", kRender.samples.id()), std::pair("scene", kScene.memory.id()),
          std::pair("scene", kScene.simMemory.id())})
        if (const Node* node = d.settings(type)) d = withText(d, node->id + "/" + param, "1");
    Hasher h;
    h.add(writeScene(d)).add(job.sceneHash).add(options.frame).add(options.camera);
    h.add(uint64_t(options.draft)).add(uint64_t(job.options.seed));
    return h.value();
}

FilmFile beginFilm(const RenderJob& job, uint64_t picture, int width, int height) {
    FilmNotes notes;
    static_cast<PictureNotes&>(notes) = job;
    notes.picture = picture;
    notes.log2Passes = job.options.log2Passes;
    return {Film(width, height, job.layout), std::move(notes)};
}

void writeFilm(const std::filesystem::path& path, const FilmFile& film) {
    io::StateFile state;
    state.notes[kNote] = headOf(film);
    film.film.eachPlane([&](const std::string& name, auto& numbers, size_t) {
        using Stored = StoredAs<std::decay_t<decltype(numbers[0])>>;
        AttributeSet set;
        set.resize(numbers.size());
        const auto to = set.add<Stored>("value");
        for (size_t i = 0; i < numbers.size(); ++i) to[i] = std::bit_cast<Stored>(numbers[i]);
        state.sets.emplace_back(name, std::move(set));
    });
    addCovers(state, film.film);
    io::readyStateColumns(path, state)();
}

FilmFile readFilm(const std::filesystem::path& path, size_t memory, Progress& progress) {
    const io::StateFile state = io::readStateColumns(path, memory, progress);
    try {
        return filmFrom(state, memory);
    } catch (const std::out_of_range&) {
        damaged(path);
    } catch (const nlohmann::json::exception&) {
        damaged(path);
    }
}

void addFilm(FilmFile& to, const FilmFile& other, const std::string& name) {
    const bool same = to.notes.picture == other.notes.picture &&
                      to.notes.log2Passes == other.notes.log2Passes &&
                      to.film.width() == other.film.width() && to.film.height() == other.film.height() &&
                      to.film.layout() == other.film.layout();
    if (!same)
        throw Error("it is of another picture", name,
                    "Only films of one scene, frame, camera, size, seed and choice of passes add up");
    for (const PassRange& a : to.notes.ranges)
        for (const PassRange& b : other.notes.ranges)
            if (overlap(a, b))
                throw Error(fmt::format("both have pass {} of the same place", std::max(a.first, b.first)),
                            name, "Render each pass of a place once: see --passes and --region");
    to.film.merge(other.film);
    for (const PassRange& range : other.notes.ranges) to.notes.ranges.push_back(range);
}

}  // namespace ovrix::deliver
