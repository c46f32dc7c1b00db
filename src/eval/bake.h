// Simulations on disk: one file a frame, and a list that says what made them.
#pragma once
#include <set>

#include "base/files.h"
#include "eval/simulated.h"

namespace ovrix::eval {

/// What lies in a bake's folder.
struct BakeInfo {
    bool exists = false;
    uint64_t life = 0;                  ///< what it was made from: see simulationKeyOf()
    std::set<int> frames;               ///< those that are there
    std::map<int, size_t> counts = {};  ///< elements of frames, as far as the list has them
    bool locked = false;                ///< not to be baked over
    std::set<std::string> wrote = {};   ///< names of the frames that the program wrote there, and no others
};

/// Where the bake of a layer lies: "NAME.cache/LAYER" beside the scene, the layer's id by nameOfId(). Empty
/// where the scene has no file yet.
std::filesystem::path bakeFolder(const std::filesystem::path& scene, const std::string& layer);

/// Reads the list and looks which frames are there. A folder that cannot be read counts as none; @p problem,
/// when given, says why.
BakeInfo bakeInfo(const std::filesystem::path& folder, std::string* problem = nullptr);
/// A frame. Throws Error when it is missing, damaged, or of another simulation than the list says.
SolverStatePtr readBaked(const std::filesystem::path& folder, const BakeInfo& info, int frame,
                         size_t memory = kMemoryOfFile, Progress& progress = Progress::none());

struct BakeOptions {
    int first = 1, last = 1;
    /// Called after each frame, with it and whether it was there already.
    std::function<void(int frame, bool known)> done = {};
};

struct BakeResult {
    int written = 0, known = 0;
    std::vector<std::string> notes;  ///< what the frames had to say, each once
};

/// Writes the frames of a layer's simulation, whole and at Full. Frames that are there and still hold stay:
/// so it goes on where it was stopped, with the same bits. Frames from something else are removed first.
/// Throws Error when there is no simulation or no scene file, the bake is locked, another program bakes
/// there, or the disk is full; Cancelled. All frames written until then are whole and stay.
BakeResult bake(Evaluator& evaluator, const SceneContext& scene, const std::string& layer,
                const BakeOptions& options, Progress& progress);

/// Locks a bake so that it cannot be baked over, or unlocks it. Throws Error when there is none.
void lockBake(const std::filesystem::path& folder, bool locked);
/// Removes the frames that the program wrote, and the list. Throws Error when it is locked.
void removeBake(const std::filesystem::path& folder);

/// A layer's bake, and whether it is taken.
struct BakeUse {
    BakeInfo bake;
    bool fresh = false;   ///< the bake is of what the scene holds now
    std::string use;      ///< "while fresh", "always" or "never"
    std::string problem;  ///< why the bake cannot be read
    /// Whether the view and the render take frames of the bake.
    bool used() const { return bake.exists && (use == "always" || (use == "while fresh" && fresh)); }
};
/// What the step says of its bake: see BakeUse::use.
std::string bakeUseOf(const Step& step);
/// @param recipe  as recipeOf() gives it; @p place  of the step that simulates
BakeUse bakeUse(const SceneContext& scene, const Node& recipe, size_t index);

/// How the simulation of a layer stands, for the strip of time and for checks.
struct SimulationStatus : BakeUse {
    std::vector<std::pair<int, size_t>> kept;   ///< frames in memory, with their elements
    std::vector<std::pair<int, size_t>> alive;  ///< elements of all frames that are known, baked ones too
};
/// Nothing for a layer without a simulation.
std::optional<SimulationStatus> simulationStatus(Evaluator& evaluator, const SceneContext& scene,
                                                 const Node& layer, double share, bool draft = false);

}  // namespace ovrix::eval
