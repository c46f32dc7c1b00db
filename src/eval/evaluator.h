// From the document to geometry: pulled, pure, cached.
#pragma once
#include <tbb/task_arena.h>

#include <list>
#include <mutex>
#include <set>
#include <unordered_map>

#include "document/model/document.h"
#include "eval/cache/key_locks.h"
#include "eval/cache/sim_cache.h"
#include "eval/scene_context.h"
#include "geo/points/blocks.h"
#include "io/image/image_io.h"
#include "io/mesh/mesh_reader.h"

namespace ovrix::eval {

enum class Purpose { Viewport, Render };

struct EvalOptions {
    double frame = 1;
    Purpose purpose = Purpose::Viewport;
    bool full = false;  ///< the view shows everything; a render always does
    /// A layer whose mask is being painted: its steps work on all that was placed, once, and a change of the
    /// mask only chooses among what they made. The same result, for more memory.
    std::string painted = {};
    /// While the artist plays and turns knobs: simulations go on from what was last shown, with what holds
    /// now, rather than from their first frame. A number for each such run; 0 for none. Nothing of it is
    /// taken for what the scene gives: exact frames come from exact ones alone.
    uint64_t live = 0;
    /// Only where particles are and how they move is asked, by ids, as trails do: what is left of frames that
    /// did not fit into memory will do.
    bool traces = false;
    /// The artist was asked, and waits: the view too works out what takes minutes.
    bool patient = false;
};

/// Thrown for the view where simulating up to a frame would take minutes, which nobody said that they want.
class TooLong : public Error {
  public:
    TooLong(double minutes, int frames);
    double minutes() const { return minutes_; }

  private:
    double minutes_;
};

/// What one step of a recipe did.
struct StepReport {
    std::string step;
    size_t in = 0, out = 0;
    double milliseconds = 0;  ///< of the run that made the result, also when it now comes from the cache
    bool cached = false;
    bool stale = false;  ///< an earlier step failed; the figures are of what this one last made
    std::string error, remedy;
    std::string note = {};  ///< what the artist should know though nothing failed
    double minutes = 0;     ///< that it would take; see TooLong
};

/// An object's mesh in its own space, and what was seen when it was made.
struct ObjectResult : ObjectShape {
    uint64_t hash = 0;
    std::vector<StepReport> steps = {};  ///< of the object's own recipe
};

struct LayerResult {
    Geometry geometry;  ///< world space; what was last made when a step fails
    uint64_t hash = 0;  ///< equal hashes, equal geometry
    bool ok = true;
    double share = 1.0;  ///< part of the elements that were made
    double part =
        1.0;          ///< of those that Full has, roughly: where Draft has others, how many those are of them
    size_t made = 0;  ///< elements before the layer's settings left some out
    std::vector<StepReport> steps;
    std::shared_ptr<const StrandSet> guides = nullptr;  ///< what the filling step was given
    uint64_t guidesHash = 0;
    std::shared_ptr<const StrandSet> combable = nullptr;  ///< what combing works on: see combIndex()
};

/// All functions are thread safe. Of threads that ask for the same thing at a time one makes it, and the
/// others wait.
class Evaluator {
  public:
    explicit Evaluator(size_t cacheBytes = size_t(2) << 30);

    ImageCache& images() { return images_; }
    /// See ImageCache: of threads that ask for the same one prepares it. Throw Error and Cancelled.
    std::shared_ptr<const Texture> texture(const std::filesystem::path& path, const std::string& space,
                                           Progress& progress);
    std::map<int, std::shared_ptr<const Texture>> tiles(const std::filesystem::path& pattern,
                                                        const std::string& space, Progress& progress);

    /// Throws Error (naming the object) or Cancelled.
    ObjectResult object(const SceneContext& scene, const std::string& id, double frame, Progress& progress);
    /// Makes those of the nodes that are objects and not known yet side by side: most wait for a file each.
    /// @p made is called with each, on several threads. Gives what went wrong, by id; such a one throws when
    /// it is asked for. Throws Cancelled.
    std::map<std::string, std::string> makeObjects(
        const SceneContext& scene, const std::set<std::string>& ids, double frame, Progress& progress,
        const std::function<void(const Node&, const ObjectResult&)>& made = {});
    /// What layers make, those that do not depend on one another side by side. @p made is called with each,
    /// by one thread at a time, in any order. What goes wrong with one stands in its steps. Throws Cancelled.
    std::map<std::string, LayerResult> layers(
        const SceneContext& scene, const std::set<std::string>& ids, const EvalOptions& options,
        Progress& progress, const std::function<void(const std::string&, const LayerResult&)>& made = {});
    /// A coarser version of the object's mesh for drawing, as corner indices of it.
    std::shared_ptr<const std::vector<uint32_t>> coarse(const ObjectResult& object);
    /// The object in world space, ready to be scattered on; of a layer, its copies as one mesh.
    SurfacePtr surface(const SceneContext& scene, const std::string& id, const EvalOptions& options,
                       Progress& progress);
    /// Never throws Error: a step that fails says so in its report. Throws Cancelled.
    LayerResult layer(const SceneContext& scene, const std::string& id, const EvalOptions& options,
                      Progress& progress);

    /// Forgets what failing steps would show, and what a live run would go on from: the next scene has
    /// nothing to do with the last.
    void forgetLast();

    /// What a node's fields and steps may ask of other nodes. Refers to the evaluator and the progress; of
    /// one thread.
    class Query;
    /// What fields of what lies on a surface are evaluated with. @p around outlives the use of the result.
    FieldContext fieldContext(const std::string& surfaceId, double frame, const SurfacePtr& surface,
                              Query& query);
    /// One run through a layer's recipe.
    class RecipeRun;

    SimCache& simulations() { return simulations_; }
    /// Steps computed since the start, not counting those from the cache. For tests and the status line.
    size_t stepsRun() const { return stepsRun_.load(); }

  private:
    struct Entry {
        std::shared_ptr<const void> value;
        std::vector<Block> blocks;
        double milliseconds = 0;
        std::list<uint64_t>::iterator recent;
    };
    template <class T>
    std::shared_ptr<const T> lookUp(uint64_t key, double* milliseconds = nullptr);
    template <class T>
    void store(uint64_t key, std::shared_ptr<const T> value, size_t bytes, double milliseconds = 0) {
        std::vector<Block> one{{value.get(), bytes}};
        storeBlocks(key, std::move(value), std::move(one), milliseconds);
    }
    void storeGeometry(uint64_t key, std::shared_ptr<const Geometry> value, double milliseconds = 0) {
        std::vector<Block> blocks = blocksOf(*value);
        storeBlocks(key, std::move(value), std::move(blocks), milliseconds);
    }
    /// What is kept under the key, else what @p make gives: the value, and the bytes that it takes.
    template <class T, class Make>
    std::shared_ptr<const T> once(uint64_t key, Progress& progress, const Make& make);
    void storeBlocks(uint64_t key, std::shared_ptr<const void> value, std::vector<Block> blocks,
                     double milliseconds);
    ObjectResult makeObject(const SceneContext& scene, const Node& node, double frame, Progress& progress);
    void shapeObject(const SceneContext& scene, const Node& node, double frame, ObjectResult& result,
                     Progress& progress);
    void cutAsAtFirst(const SceneContext& scene, const Node& node, double frame, ObjectResult& result,
                      Progress& progress);
    static uint64_t objectHash(const SceneContext& scene, const Node& node, double frame);
    static uint64_t shapeHash(const SceneContext& scene, const Node& node, double frame);
    LayerResult layer(const Node& layer, Query& query);
    void recallLast(const Node& layer, size_t failed, LayerResult& result);

    friend class Simulated;

    ImageCache images_;
    SimCache simulations_;
    size_t limit_;
    KeyLocks turns_;
    mutable std::mutex mutex_;
    std::unordered_map<uint64_t, Entry> entries_;
    std::list<uint64_t> recent_;  // most recent first
    BlockCount held_;             ///< of the entries, and of what each layer last made
    std::map<std::string, LayerResult> lastGood_;
    std::map<std::string, uint64_t> shownLife_;  ///< of each recipe's simulation, what was last shown exactly
    std::atomic<uint64_t> liveSteps_{0};
    std::atomic<size_t> stepsRun_{0};
};

template <class T>
std::shared_ptr<const T> Evaluator::lookUp(uint64_t key, double* milliseconds) {
    std::lock_guard lock(mutex_);
    const auto it = entries_.find(key);
    if (it == entries_.end()) return nullptr;
    recent_.splice(recent_.begin(), recent_, it->second.recent);
    if (milliseconds) *milliseconds = it->second.milliseconds;
    return std::static_pointer_cast<const T>(it->second.value);
}

template <class T, class Make>
std::shared_ptr<const T> Evaluator::once(uint64_t key, Progress& progress, const Make& make) {
    if (auto known = lookUp<T>(key)) return known;
    const KeyLocks::Turn turn = turns_.take(key, progress);
    if (auto known = lookUp<T>(key)) return known;
    std::pair<std::shared_ptr<const T>, size_t> made;
    tbb::this_task_arena::isolate([&] { made = make(); });
    store<T>(key, made.first, made.second);
    return made.first;
}

}  // namespace ovrix::eval
