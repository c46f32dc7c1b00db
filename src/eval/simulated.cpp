#include "eval/simulated.h"

#include <fmt/format.h>
#include <tbb/task_arena.h>

#include <chrono>
#include <deque>
#include <mutex>

#include "base/error.h"
#include "base/file_sequence.h"
#include "base/files.h"
#include "base/hash.h"
#include "document/model/step_registry.h"
#include "eval/bake.h"
#include "eval/simulation/simulation_key.h"
#include "geo/surface/surface.h"

namespace ovrix::eval {

int firstSimulated(const Document& document) {
    return document.frames().first - int(document.sceneSetting(kScene.preroll));
}

std::optional<size_t> solverIndex(const std::vector<Step>& steps) {
    for (size_t i = 0; i < steps.size(); ++i)
        if (const StepType* type = findStepType(steps[i].type); steps[i].on && type && type->solver) return i;
    return std::nullopt;
}

namespace {

/// Of a file's contents: a scene that was copied with its bakes keeps them. Read once for each size and time.
uint64_t contentsOf(const std::filesystem::path& path, Progress& progress) {
    static std::mutex mutex;
    static std::map<std::string, std::pair<uint64_t, uint64_t>> known;
    const uint64_t stamp = fileStamp(path);
    if (stamp == 0) return 0;
    {
        std::lock_guard lock(mutex);
        const auto it = known.find(path.string());
        if (it != known.end() && it->second.first == stamp) return it->second.second;
    }
    uint64_t hash = 0;
    try {
        hash = hashOfFile(path, progress);
    } catch (const Error&) {  // who needs it will say so
    }
    std::lock_guard lock(mutex);
    known[path.string()] = {stamp, hash};
    return hash;
}

}  // namespace

/// Whether a step that is on makes something of its own in Draft.
static bool followsDraft(const Step& step) {
    const StepType* type = findStepType(step.type);
    return step.on && type && type->followsDraft && type->followsDraft(step.params);
}

namespace {

uint64_t stampOf(const SceneContext& scene, const std::string& path, Progress& progress) {
    if (path.empty()) return 0;
    const auto whole = scene.resolve(path);
    if (!isSequence(path)) return contentsOf(whole, progress);
    Hasher all;
    for (const int frame : framesOf(whole))
        all.add(uint64_t(frame)).add(contentsOf(fileOfFrame(whole.string(), frame), progress));
    return all.value();
}

/// Keys that were worked out, of the last two documents, one of which may be baked while the other is edited:
/// a key is asked for several times in each frame. Files are looked at anew each time, since they change
/// without the document. Thread safe.
class KnownKeys {
  public:
    uint64_t of(const SceneContext& scene, const Node& recipe, size_t index, Progress& progress) {
        for (const auto& k : ofDocument(scene))
            if (k->index == index && k->recipe == recipe && k->holds(scene, progress)) return k->key;
        auto made = std::make_shared<Key>(Key{recipe, index, {}, 0});
        SimulationKey key(scene.document, [&](const std::string& path) {
            return made->files[path] = stampOf(scene, path, progress);
        });
        made->key = key.upTo(recipe, index);
        const std::lock_guard lock(mutex_);
        std::erase_if(known_, [&](const Known& k) { return k.isOf(scene) && k.keys.size() > kMost; });
        if (known_.empty() || !known_.front().isOf(scene))
            known_.push_front({scene.document.nodes(), scene.folder, {}});
        if (known_.size() > 2) known_.pop_back();
        known_.front().keys.push_back(made);
        return made->key;
    }

  private:
    struct Key {
        Node recipe;
        size_t index;
        std::map<std::string, uint64_t> files;
        uint64_t key;
        bool holds(const SceneContext& scene, Progress& progress) const {
            return std::all_of(files.begin(), files.end(), [&](const auto& file) {
                return stampOf(scene, file.first, progress) == file.second;
            });
        }
    };
    using Keys = std::vector<std::shared_ptr<const Key>>;
    struct Known {
        std::vector<NodePtr> nodes;
        std::filesystem::path folder;
        Keys keys;
        bool isOf(const SceneContext& scene) const {
            return nodes == scene.document.nodes() && folder == scene.folder;
        }
    };
    static constexpr size_t kMost = 256;  // of one document, with those of files that have changed since

    /// The document's keys; it is the last that was asked for, then.
    Keys ofDocument(const SceneContext& scene) {
        const std::lock_guard lock(mutex_);
        const auto known =
            std::find_if(known_.begin(), known_.end(), [&](const Known& k) { return k.isOf(scene); });
        if (known == known_.end()) return {};
        std::rotate(known_.begin(), known, known + 1);
        return known_.front().keys;
    }

    std::mutex mutex_;
    std::deque<Known> known_;
};

}  // namespace

uint64_t simulationKeyOf(const SceneContext& scene, const Node& recipe, size_t index, double share,
                         bool draft, Progress& progress) {
    static KnownKeys known;
    const auto before = std::span(recipe.steps).first(index);
    const bool light = draft && std::any_of(before.begin(), before.end(), followsDraft);
    return Hasher().add(known.of(scene, recipe, index, progress)).add(share).add(uint64_t(light)).value();
}

/// The scene at one frame, and what the step is given there.
struct Simulated::Frame {
    Evaluator::Query query;
    LayerResult result;
    Evaluator::RecipeRun run;
    SolverInput input;

    Frame(Evaluator& evaluator, const Evaluator::Query& outer, const Node& recipe, double frame, double share)
        : query(outer.at(frame)), run(evaluator, recipe, withShare(result, share), query) {}

    static LayerResult& withShare(LayerResult& result, double share) {
        result.share = share;
        return result;
    }
};

Simulated::Simulated(Evaluator& evaluator, const Node& recipe, size_t index, Evaluator::Query& query,
                     double share)
    : evaluator_(evaluator),
      recipe_(recipe),
      place_(index),
      query_(query),
      share_(share),
      solver_(*typeOfStep(recipe.steps[index]).solver),
      life_(simulationKeyOf(query.scene(), recipe, index, share, query.draft(), query.progress())) {}

/// Equal as long as a part is made from the same.
static uint64_t partHash(Evaluator::Query& query, const Node& recipe, const StepType& type,
                         const Step& part) {
    Hasher h;
    h.add(query.stepHash(0, type, part));
    if (!type.ownSurface.empty()) {
        const Param own = paramOr(*findSpec(type.params, type.ownSurface), part.params);
        if (std::get<std::string>(own.value).empty())
            h.add(
                query.surfaceHash(query.document().value(recipe.id, kLayer.surface, query.options().frame)));
    }
    return h.value();
}

/// What the solver is told of a frame beside what comes before it; of all parts, or of some.
void Simulated::addParts(Frame& f, const std::set<std::string>* only) {
    SolverInput& in = f.input;
    in.frame = f.query.options().frame;
    in.rate = query_.document().rate();
    const Step& step = recipe_.steps[place_];
    const FieldContext& context = f.run.context();
    in.params = std::make_shared<const ResolvedParams>(specsOf(step), step.params, context);
    for (const Step& part : recipe_.steps) {
        if (part.in != step.id || !part.on || (only && !only->count(part.id))) continue;
        const StepType& type = typeOfStep(part);
        try {
            in.parts.push_back({part.id, &type,
                                std::make_shared<const ResolvedParams>(type.params, part.params, context),
                                partHash(f.query, recipe_, type, part),
                                [&type, &part, frame = in.frame, rate = in.rate](const std::string& id) {
                                    Param p = paramOr(*findSpec(type.params, id), part.params);
                                    p.value = clampToSpec(*findSpec(type.params, id), p.value);
                                    const auto sum = p.sum(frame, rate);
                                    return V3d(sum[0], sum[1], sum[2]);
                                }});
        } catch (const Error& e) {
            throw e.within(type.title);
        }
    }
    in.surface = f.run.surface();
    in.query = &f.query;
    in.share = share_;
    in.memoryLimit = query_.document().memoryLimit();
    in.atRest = [&f, this](const std::string& id) -> SurfacePtr {
        if (id.empty()) return f.run.rest();
        const double rest = query_.document().value(recipe_.id, kLayer.rest, f.query.options().frame);
        return f.query.at(rest).surface(id);
    };
    in.partsAt = [this](double frame, const std::set<std::string>& wanted) {
        auto there = std::make_shared<Frame>(evaluator_, query_, recipe_, frame, share_);
        addParts(*there, &wanted);
        return std::shared_ptr<const SolverInput>(there, &there->input);
    };
}

std::unique_ptr<Simulated::Frame> Simulated::frameAt(int frame) {
    auto f = std::make_unique<Frame>(evaluator_, query_, recipe_, double(frame), share_);
    f->input.source = f->run.before(place_);
    addParts(*f, nullptr);
    return f;
}

const BakeInfo* Simulated::usableBake() {
    if (std::exchange(looked_, true)) return bake_.get();
    const BakeUse use = bakeUse(query_.scene(), recipe_, place_);
    if (!use.used()) return nullptr;
    if (!use.fresh)
        notes_.emplace_back("shows its bake, which is of something else than the scene holds now");
    bake_ = std::make_shared<const BakeInfo>(use.bake);
    return bake_.get();
}

/// A frame of the bake, whole; null where there is none, or it cannot be read.
SolverStatePtr Simulated::fromBake(int frame) {
    const BakeInfo* bake = usableBake();
    if (!bake || !bake->frames.count(frame)) return nullptr;
    const uint64_t key = Hasher().add(std::string_view("bake")).add(bake->life).value();
    SolverStatePtr state = evaluator_.simulations().at(key, frame);
    if (!state) {
        try {
            state = readBaked(bakeFolder(query_.scene().file, recipe_.id), *bake, frame,
                              query_.document().memoryLimit(), query_.progress());
        } catch (const Error& e) {
            notes_.push_back(e.what());
            return nullptr;
        }
        evaluator_.simulations().store(key, state);
    }
    return state;
}

/// From memory or the bake; a frame that is not there is worked out from the last one that is.
SolverStatePtr Simulated::stateAt(int frame, bool baked) {
    frame = std::max(frame, firstSimulated(query_.document()));
    if (baked)
        if (auto known = fromBake(frame)) return known;
    SimCache& cache = evaluator_.simulations();
    if (auto known = cache.at(life_, frame)) return known;
    const KeyLocks::Turn turn = cache.turnOf(life_, query_.progress());
    if (auto known = cache.at(life_, frame)) return known;
    SolverStatePtr state;
    tbb::this_task_arena::isolate([&] { state = workedOut(frame, baked); });
    return state;
}

TooLong::TooLong(double minutes, int frames)
    : Error(fmt::format("it would take about {:.0f} minutes to get to this frame, {} frames on", minutes,
                        frames),
            {}, "Bake it, which goes on in the background, or let the scene begin later"),
      minutes_(minutes) {}

/// The view does not wait unasked for what takes far too long: it says how long, and what else can be done.
/// Bakes and renders were asked for.
void Simulated::refuseForever(int done, int left, double seconds) const {
    constexpr double kMeasured = 2.0, kLongest = 180.0;
    const EvalOptions& options = query_.options();
    if (options.purpose != Purpose::Viewport || options.patient || done < 1 || seconds < kMeasured) return;
    const double longer = seconds / done * left;
    if (longer >= kLongest) throw TooLong(longer / 60, left);
}

SolverStatePtr Simulated::workedOut(int frame, bool baked) {
    SimCache& cache = evaluator_.simulations();
    const int first = firstSimulated(query_.document());
    Progress::Task task(query_.progress(), fmt::format("Simulating {} to frame {}", recipe_.name, frame));
    SolverStatePtr state = cache.upTo(life_, frame);
    // A bake of the same goes on where it ends.
    if (const BakeInfo* bake = baked && share_ == 1.0 ? usableBake() : nullptr; bake && bake->life == life_) {
        const auto after = bake->frames.upper_bound(frame);
        if (after != bake->frames.begin() && (!state || *std::prev(after) > int(state->frame)))
            if (auto known = fromBake(*std::prev(after))) state = known;
    }
    std::unique_ptr<Frame> before = frameAt(state ? int(state->frame) : first);
    if (!state) {
        state = std::make_shared<const SolverState>(solver_.begin(before->input, query_.progress()));
        cache.store(life_, state);
    }
    const int begin = int(state->frame);
    const auto start = std::chrono::steady_clock::now();
    for (int f = begin + 1; f <= frame; ++f) {
        refuseForever(f - 1 - begin, frame - f + 1,
                      std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
        task.report(float(f - begin) / float(frame - begin + 1));
        std::unique_ptr<Frame> now = frameAt(f);
        state = std::make_shared<const SolverState>(
            solver_.advance(*state, before->input, now->input, query_.progress()));
        cache.store(life_, state);
        ++evaluator_.stepsRun_;
        before = std::move(now);
    }
    return state;
}

/// Draft shows of a bake those points that it would have made; guides stay whole there too.
static Geometry thinnedTo(const Geometry& geometry, double share) {
    return kindOf(geometry) == GeometryKind::Points ? shareOf(geometry, share, 1) : geometry;
}

Geometry Simulated::shown(const SolverState& a, double frame, const std::function<SolverStatePtr()>& next) {
    notes_.insert(notes_.end(), a.notes.begin(), a.notes.end());
    const double low = std::floor(frame), rate = query_.document().rate();
    const bool bakedOne = bake_ && bake_->frames.count(int(low));
    const double share = bakedOne ? share_ : 1.0;  // what was simulated has its share already
    if (frame == low || frame <= a.frame) return thinnedTo(solver_.between(a, a, 0.0, rate), share);
    const SolverStatePtr b = next();
    return thinnedTo(solver_.between(a, *b, frame - low, rate), share);
}

Geometry Simulated::at(double frame) {
    const int low = int(std::floor(frame));
    if (query_.options().traces) {
        const auto traceAt = [&](int f) {
            f = std::max(f, firstSimulated(query_.document()));
            if (auto known = fromBake(f)) return known;
            if (auto known = evaluator_.simulations().traceAt(life_, f)) return known;
            return stateAt(f);
        };
        const SolverStatePtr a = traceAt(low);
        return shown(*a, frame, [&] { return traceAt(low + 1); });
    }
    const SolverStatePtr a = stateAt(low);
    {
        std::lock_guard lock(evaluator_.mutex_);
        evaluator_.shownLife_[recipe_.id] = life_;
    }
    return shown(*a, frame, [&] { return stateAt(low + 1); });
}

uint64_t Simulated::liveKey() const {
    return Hasher()
        .add(std::string_view("live"))
        .add(query_.options().live)
        .add(std::string_view(recipe_.id))
        .add(share_)
        .value();
}

/// What was shown at a frame, or up to @p reach frames before it: in this run, or exactly before it began.
SolverStatePtr Simulated::shownBefore(int frame, int reach) {
    SimCache& cache = evaluator_.simulations();
    uint64_t before = 0;
    {
        std::lock_guard lock(evaluator_.mutex_);
        if (const auto it = evaluator_.shownLife_.find(recipe_.id); it != evaluator_.shownLife_.end())
            before = it->second;
    }
    for (int f = frame; f >= frame - reach; --f) {
        if (auto known = cache.at(liveKey(), f)) return known;
        if (auto known = f < frame ? cache.at(before, f) : nullptr) return known;
    }
    return nullptr;
}

Geometry Simulated::liveAt(double frame) {
    constexpr int kReach = 12;  // frames that playing in real time may leave out
    SimCache& cache = evaluator_.simulations();
    const int low = int(std::floor(frame));
    const BakeInfo* bake = usableBake();
    const SolverStatePtr exact = cache.upTo(life_, low), last = shownBefore(low, kReach);
    const bool known = (exact && int(exact->frame) == low) || (bake && bake->frames.count(low));
    if (known || !last || (exact && exact->frame >= last->frame)) return at(frame);
    SolverStatePtr state = last;
    if (int(state->frame) < low) {
        auto start = std::make_shared<SolverState>(*state);
        start->memo = nullptr;  // what it knew of things may be of others
        state = start;
        std::unique_ptr<Frame> before = frameAt(int(state->frame));
        for (int f = int(state->frame) + 1; f <= low; ++f) {
            std::unique_ptr<Frame> now = frameAt(f);
            state = std::make_shared<const SolverState>(
                solver_.advance(*state, before->input, now->input, query_.progress()));
            cache.store(liveKey(), state);
            ++evaluator_.stepsRun_, ++evaluator_.liveSteps_;
            before = std::move(now);
        }
    }
    notes_.emplace_back("goes on from before the change; exact again from the first frame");
    return shown(*state, frame, [&] { return state; });
}

}  // namespace ovrix::eval
