#include "eval/bake.h"

#include <fmt/format.h>

#include <chrono>

#include "base/error.h"
#include "base/file_sequence.h"
#include "base/files.h"
#include "base/hash.h"
#include "base/json_guard.h"
#include "geo/strands/strands.h"
#include "io/formats/format.h"
#include "io/formats/state_writer.h"
#include "sim/particle_parts.h"

namespace ovrix::eval {

namespace fs = std::filesystem;
using Json = nlohmann::ordered_json;

namespace {

constexpr int kBakeVersion = 2;
const char* const kList = "bake.json";

/// What frames are named, by what they are baked as; the quickest to read first.
const std::vector<std::string>& framePatterns() {
    static const std::vector<std::string> patterns = [] {
        std::vector<std::string> all;
        for (const Format& f : formats())
            if (f.can(Use::BakeFrames)) all.push_back("frame.####" + f.endings[0]);
        std::rotate(all.begin(), std::find(all.begin(), all.end(), "frame.####.columns"), all.end());
        return all;
    }();
    return patterns;
}

/// The file of a frame that is there; empty where none is.
fs::path fileOf(const fs::path& folder, int frame) {
    std::error_code code;
    for (const std::string& pattern : framePatterns())
        if (fs::path path = folder / fileOfFrame(pattern, frame); fs::exists(path, code)) return path;
    return {};
}

void writeList(const fs::path& folder, const BakeInfo& info) {
    Json j{
        {"format", "ovrix-bake"}, {"version", kBakeVersion}, {"made_from", fmt::format("{:016x}", info.life)},
        {"locked", info.locked},  {"wrote", info.wrote},     {"counts", Json::object()}};
    for (const auto& [frame, count] : info.counts) j["counts"][fmt::format("{}", frame)] = count;
    writeFile(folder / kList, j.dump(2) + "\n");
}

/// How many elements the frames have. Every write waits for the disk, so not each count is written at once: a
/// program that is killed loses those of its last moments, which the next bake puts in again.
class CountKeeper {
  public:
    CountKeeper(const fs::path& folder, BakeInfo& info) : folder_(folder), info_(info) {}
    CountKeeper(const CountKeeper&) = delete;
    CountKeeper& operator=(const CountKeeper&) = delete;
    ~CountKeeper() {
        try {
            write();
        } catch (...) {  // counts are for the strip alone: their loss spoils no bake
        }
    }
    void put(int frame, size_t count) {
        if (!info_.counts.try_emplace(frame, count).second) return;
        dirty_ = true;
        if (Clock::now() - written_ > std::chrono::milliseconds(500)) write();
    }

  private:
    using Clock = std::chrono::steady_clock;
    void write() {
        if (std::exchange(dirty_, false)) writeList(folder_, info_);
        written_ = Clock::now();
    }
    const fs::path& folder_;
    BakeInfo& info_;
    bool dirty_ = false;
    Clock::time_point written_ = Clock::now();
};

StateFile stateFile(const SolverState& state, uint64_t life) {
    StateFile file;
    Json numbers = Json::array();
    for (double x : state.numbers) numbers.push_back(fmt::format("{:a}", x));
    file.notes = {{"ovrix_made_from", fmt::format("{:016x}", life)},
                  {"ovrix_frame", fmt::format("{}", int(state.frame))},
                  {"ovrix_numbers", numbers.dump()},
                  {"ovrix_notes", Json(state.notes).dump()}};
    if (const auto* points = std::get_if<std::shared_ptr<const PointSet>>(&state.geometry)) {
        file.sets.emplace_back("points", (*points)->attributes);
    } else if (const auto* strands = std::get_if<std::shared_ptr<const StrandSet>>(&state.geometry)) {
        const StrandSet& s = **strands;
        AttributeSet own = s.strands;
        const auto count = own.add<int32_t>("points");
        for (size_t i = 0; i < s.size(); ++i) count[i] = int32_t(s.pointsOf(i));
        file.sets = {{"points", s.points}, {"strands", std::move(own)}};
        file.notes.emplace("ovrix_round", s.round ? "1" : "0");
    }
    return file;
}

SolverStatePtr stateOf(const StateFile& file, const fs::path& path) {
    const Error damaged("is damaged", path.string(), "Bake it again");
    for (const auto& [id, text] : file.notes)
        if (id == "ovrix_numbers" || id == "ovrix_notes") requireBoundedJson(text, path.string());
    auto state = std::make_shared<SolverState>();
    try {
        state->frame = std::stod(file.notes.at("ovrix_frame"));
        for (const Json& x : Json::parse(file.notes.at("ovrix_numbers")))
            state->numbers.push_back(std::strtod(x.get<std::string>().c_str(), nullptr));
        state->notes = Json::parse(file.notes.at("ovrix_notes")).get<std::vector<std::string>>();
    } catch (const std::exception&) {
        throw damaged;
    }
    if (file.sets.size() == 1) {
        state->geometry = std::make_shared<const PointSet>(PointSet{file.sets[0].second});
        return state;
    }
    StrandSet strands;
    strands.points = file.sets[0].second;
    strands.strands = file.sets[1].second;
    for (int32_t n : strands.strands.find<int32_t>("points")) {
        if (n < 2) throw damaged;
        strands.start.push_back(strands.start.back() + uint32_t(n));
    }
    if (strands.start.back() != strands.points.size() || strands.size() != strands.strands.size())
        throw damaged;
    strands.strands.remove("points");
    strands.round = file.notes.count("ovrix_round") && file.notes.at("ovrix_round") == "1";
    state->geometry = std::make_shared<const StrandSet>(std::move(strands));
    return state;
}

/// Whether a name is that of a frame: a list that somebody changed must not name anything else.
bool namesFrame(const std::string& name) {
    const std::string_view begin = "frame.";
    const Format* format = formatOf(name);
    if (!name.starts_with(begin) || !format || !format->can(Use::BakeFrames)) return false;
    const std::string number = name.substr(begin.size(), name.rfind('.') - begin.size());
    return !number.empty() && number.find_first_not_of("-0123456789") == std::string::npos;
}

void removeFrames(const fs::path& folder, const std::set<std::string>& wrote) {
    std::error_code code;
    for (const std::string& name : wrote)
        if (namesFrame(name)) fs::remove(folder / name, code);
}

/// Whether a file is a frame of some bake: where the list was lost, or is damaged, it says so itself.
bool isFrame(const fs::path& file) {
    try {
        return fs::is_regular_file(fs::symlink_status(file)) &&
               readStateFile(file).notes.count("ovrix_made_from") != 0;
    } catch (const Error&) {
        return false;
    }
}

/// Writes into the list what will be written, before it is. Throws Error where something else has a name of
/// these.
void claim(const fs::path& folder, const std::string& pattern, int first, int last, BakeInfo& info) {
    const size_t before = info.wrote.size();
    std::error_code code;
    for (int f = first; f <= last; ++f) {
        const std::string name = fileOfFrame(pattern, f);
        if (info.wrote.count(name)) continue;
        if (fs::exists(fs::symlink_status(folder / name, code)) && !isFrame(folder / name))
            throw Error("is there, and was not written by a bake", (folder / name).string(),
                        "Move it elsewhere");
        info.wrote.insert(name);
    }
    if (info.wrote.size() != before) writeList(folder, info);
}

/// The folder of a layer's bake, and that of all bakes, made if they are missing. Throws Error for links.
void makeBakeFolder(const fs::path& folder) {
    makeOwnFolder(folder.parent_path());
    makeOwnFolder(folder);
}

}  // namespace

fs::path bakeFolder(const fs::path& scene, const std::string& layer) {
    if (scene.empty()) return {};
    return scene.parent_path() / (scene.stem().string() + ".cache") / nameOfId(layer);
}

BakeInfo bakeInfo(const fs::path& folder, std::string* problem) {
    BakeInfo info;
    std::error_code code;
    if (folder.empty() || !fs::exists(folder / kList, code)) return info;
    try {
        const std::string text = readFile(folder / kList, Progress::none(), uint64_t(256) << 20);
        requireBoundedJson(text, kList);
        const Json j = Json::parse(text);
        if (j.value("format", "") != "ovrix-bake") throw Error("is no list of a bake", kList);
        if (j.contains("version") && wholeNumber(j["version"]) > uint64_t(kBakeVersion))
            throw Error("was made by a newer version", kList,
                        "Bake again, or open the scene in that version");
        info.life = std::stoull(j.at("made_from").get<std::string>(), nullptr, 16);
        info.locked = j.value("locked", false);
        if (j.contains("counts"))
            for (const auto& [frame, count] : j["counts"].items())
                info.counts[std::stoi(frame)] = wholeNumber(count);
        if (j.contains("wrote"))
            info.wrote = j["wrote"].get<std::set<std::string>>();
        else  // version 1 kept no names: all frames were its own
            for (const std::string& pattern : framePatterns())
                for (const int frame : framesOf(folder / pattern))
                    info.wrote.insert(fileOfFrame(pattern, frame));
    } catch (const Error& e) {
        if (problem) *problem = e.what();
        return {};
    } catch (const std::exception&) {
        if (problem) *problem = fmt::format("{}: the list of its frames is damaged. Bake again", kList);
        return {};
    }
    info.exists = true;
    for (const std::string& pattern : framePatterns()) info.frames.merge(framesOf(folder / pattern));
    return info;
}

SolverStatePtr readBaked(const fs::path& folder, const BakeInfo& info, int frame, size_t memory,
                         Progress& progress) {
    const fs::path path = fileOf(folder, frame);
    if (path.empty())
        throw Error("the frame is not there", (folder / fileOfFrame(framePatterns()[0], frame)).string(),
                    "Bake again");
    const StateFile file = readStateFile(path, memory, progress);
    const auto from = file.notes.find("ovrix_made_from");
    if (from == file.notes.end() || from->second != fmt::format("{:016x}", info.life))
        throw Error("belongs to another bake", path.string(), "Bake again");
    SolverStatePtr state = stateOf(file, path);
    if (state->frame != double(frame)) throw Error("is of another frame", path.string(), "Bake again");
    return state;
}

/// What is known of the bake in a folder; begun anew where it was made from something else. Throws Error
/// where it is locked.
static BakeInfo begunBake(const fs::path& folder, uint64_t life) {
    BakeInfo info = bakeInfo(folder);
    if (info.locked) throw Error("is locked", folder.string(), "Unlock it to bake it again");
    if (info.exists && info.life == life) return info;
    removeFrames(folder, info.wrote);
    info = {};
    info.exists = true, info.life = life;
    writeList(folder, info);
    return info;
}

BakeResult bake(Evaluator& evaluator, const SceneContext& scene, const std::string& layer,
                const BakeOptions& o, Progress& progress) {
    const Document& document = scene.document;
    const NodePtr whole = recipeOf(document, document.get(layer));
    const Node& recipe = *whole;
    const auto index = solverIndex(recipe.steps);
    if (!index)
        throw Error("has no simulation to bake", recipe.name, "Add a step that simulates, and turn it on");
    const fs::path folder = bakeFolder(scene.file, layer);
    if (folder.empty()) throw Error("the scene has no file yet", {}, "Save it: bakes lie beside it");
    makeBakeFolder(folder);
    const auto lock = FileLock::ifFree(folder / ".lock");
    if (!lock)
        throw Error("another program bakes there", folder.string(), "Wait until it is done, or stop it");
    removeLeftovers(folder);
    EvalOptions options{double(o.first), Purpose::Render, true, {}};
    Evaluator::Query query(evaluator, scene, options, progress);
    Simulated simulated(evaluator, recipe, *index, query, 1.0);
    BakeInfo info = begunBake(folder, simulated.life());
    const Step& step = recipe.steps[*index];
    const std::string pattern = "frame.####." + valueIn(step.params, kSolver.bake.as);
    claim(folder, pattern, o.first, o.last, info);
    BakeResult result;
    std::set<std::string> said;
    CountKeeper counts(folder, info);
    StateWriter writer;  // after what its frames end with: it waits for the last
    Progress::Task task(progress, "Baking " + recipe.name);
    for (int f = o.first; f <= o.last; ++f) {
        task.report(float(f - o.first) / float(std::max(1, o.last - o.first + 1)));
        SolverStatePtr state;
        const bool there = info.frames.count(f) != 0;
        const fs::path file = folder / fileOfFrame(pattern, f), was = fileOf(folder, f);
        if (there) {
            try {
                state = readBaked(folder, info, f, document.memoryLimit(), progress);
            } catch (const Error&) {  // damaged: made again
            }
        }
        if (state) evaluator.simulations().store(simulated.life(), state);
        const bool known = state && was == file;
        if (!state) state = simulated.stateAt(f, false);
        for (const std::string& note : state->notes)
            if (said.insert(note).second) result.notes.push_back(fmt::format("frame {}: {}", f, note));
        const auto done = [&, f, there, file, was, known, count = elementCount(state->geometry)] {
            std::error_code code;
            if (!known && was != file && info.wrote.count(was.filename().string())) fs::remove(was, code);
            ++(known ? result.known : result.written);
            counts.put(f, count);
            if (o.done) o.done(f, there);
        };
        std::function<void()> write;
        if (!known) write = readyStateFile(file, stateFile(*state, simulated.life()));
        writer.finish();
        progress.check();  // no frame is begun after the last that was wanted
        if (known)
            done();
        else
            writer.add(std::move(write), done);
    }
    writer.finish();
    return result;
}

void lockBake(const fs::path& folder, bool locked) {
    BakeInfo info = bakeInfo(folder);
    if (!info.exists) throw Error("there is no bake", folder.string(), "Bake first");
    info.locked = locked;
    makeBakeFolder(folder);
    writeList(folder, info);
}

void removeBake(const fs::path& folder) {
    const BakeInfo info = bakeInfo(folder);
    if (info.locked) throw Error("is locked", folder.string(), "Unlock it first");
    std::error_code code;
    if (!fs::exists(folder, code)) return;
    makeBakeFolder(folder);
    removeFrames(folder, info.wrote);
    fs::remove(folder / kList, code);
}

std::string bakeUseOf(const Step& step) { return valueIn(step.params, kSolver.bake.use); }

BakeUse bakeUse(const SceneContext& scene, const Node& recipe, size_t index) {
    BakeUse use;
    const Step& step = recipe.steps[index];
    use.use = bakeUseOf(step);
    use.bake = bakeInfo(bakeFolder(scene.file, recipe.id), &use.problem);
    use.fresh = use.bake.exists && use.bake.life == simulationKeyOf(scene, recipe, index, 1.0);
    return use;
}

std::optional<SimulationStatus> simulationStatus(Evaluator& evaluator, const SceneContext& scene,
                                                 const Node& layer, double share, bool draft) {
    const NodePtr whole = recipeOf(scene.document, layer);
    const Node& recipe = *whole;
    const auto index = solverIndex(recipe.steps);
    if (!index) return std::nullopt;
    SimulationStatus status{
        bakeUse(scene, recipe, *index),
        evaluator.simulations().frames(simulationKeyOf(scene, recipe, *index, share, draft)),
        {}};
    std::map<int, size_t> alive(status.kept.begin(), status.kept.end());
    if (status.used())
        for (const auto& [frame, count] : status.bake.counts)
            if (status.bake.frames.count(frame)) alive.emplace(frame, size_t(double(count) * share));
    status.alive.assign(alive.begin(), alive.end());
    return status;
}

}  // namespace ovrix::eval
