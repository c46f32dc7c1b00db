// A solver step of a recipe: its frames one after another, from memory, from a bake, or worked out.
#pragma once
#include "eval/recipe_run.h"

namespace ovrix::eval {

/// The frame at which simulations begin: the scene's first, less its pre-roll.
int firstSimulated(const Document& document);

/// The place of the step that simulates, among those that are on; nothing without one.
std::optional<size_t> solverIndex(const std::vector<Step>& steps);

/// A number that changes with everything that the simulation of a layer's recipe depends on.
/// @param share  the part of its elements that is made; @param draft  for the view in Draft
uint64_t simulationKeyOf(const SceneContext& scene, const Node& recipe, size_t index, double share,
                         bool draft = false, Progress& progress = Progress::none());

class Simulated {
  public:
    Simulated(Evaluator& evaluator, const Node& recipe, size_t index, Evaluator::Query& query, double share);

    /// What the step gives at the query's frame; between two frames what lies between, by id. Before
    /// the first frame, that one. Throws Error and Cancelled.
    Geometry at(double frame);
    /// The same while EvalOptions::live: the frame is stepped to from what was shown shortly before it, where
    /// the exact one would take longer.
    Geometry liveAt(double frame);
    /// What there is at a whole frame. @p baked  whether a bake that holds may give it.
    SolverStatePtr stateAt(int frame, bool baked = true);
    uint64_t life() const { return life_; }
    /// What the artist should know of the frames that at() took.
    const std::vector<std::string>& notes() const { return notes_; }

  private:
    struct Frame;  // what the solver sees of one
    std::unique_ptr<Frame> frameAt(int frame);
    void addParts(Frame& f, const std::set<std::string>* only);
    Geometry shown(const SolverState& a, double frame, const std::function<SolverStatePtr()>& next);
    uint64_t liveKey() const;
    SolverStatePtr shownBefore(int frame, int reach);
    SolverStatePtr workedOut(int frame, bool baked);
    void refuseForever(int done, int left, double seconds) const;
    SolverStatePtr fromBake(int frame);
    /// The bake that may be used, read at the first time that it is asked for; null for none.
    const struct BakeInfo* usableBake();

    Evaluator& evaluator_;
    const Node& recipe_;
    size_t place_;
    Evaluator::Query& query_;
    double share_;
    const Solver& solver_;
    uint64_t life_;
    std::vector<std::string> notes_;
    std::shared_ptr<const struct BakeInfo> bake_;
    bool looked_ = false;
};

}  // namespace ovrix::eval
