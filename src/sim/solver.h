// A step whose result at a frame comes from that at the frame before: what it is given and what it keeps.
#pragma once
#include <set>

#include "ops/step.h"

namespace ovrix::sim {

/// A part of the step, such as a force, as it is at one frame. Parts that are off are not among them.
struct PartInput {
    std::string id;  ///< of the part in its layer
    const StepType* type = nullptr;
    std::shared_ptr<const ResolvedParams> params;
    uint64_t hash = 0;  ///< of all that it is made from; alike at both ends of a frame: alike in between
    /// The integral of a number or vector over time, in its unit times seconds, from frame 0 to the part's
    /// frame: how far something has gone whose speed takes keys.
    std::function<V3d(const std::string& param)> sum = {};
};

/// What a solver sees of one frame.
struct SolverInput {
    double frame = 1, rate = kUsualRate;
    Geometry source;  ///< what comes before the step in the recipe
    std::shared_ptr<const ResolvedParams> params;
    std::vector<PartInput> parts;
    SurfacePtr surface = nullptr;  ///< what the layer lies on; null where it lies on nothing
    SceneQuery* query = nullptr;
    double share = 1.0;  ///< part of the elements that is made
    size_t memoryLimit = SIZE_MAX;
    /// An object, or the copies of a layer, as it is at the layer's rest frame; the layer's own surface
    /// without a name. What binds to a place once binds there. Null where that cannot be had; throws Error.
    std::function<SurfacePtr(const std::string& id)> atRest = {};
    /// Some of the parts at another frame, or between two, without a source; null where that cannot be had.
    std::function<std::shared_ptr<const SolverInput>(double frame, const std::set<std::string>& parts)>
        partsAt = {};
};

/// What there is at the end of a frame. Everything that the next frame comes from is in it, so it can be
/// written to a file and gone on from, with the same bits.
struct SolverState {
    double frame = 1;
    Geometry geometry;
    std::vector<double> numbers = {};     ///< the solver's own
    std::vector<std::string> notes = {};  ///< what the artist should know of this frame
    /// What makes the next frame quicker and changes no bit of it; not kept in files.
    std::shared_ptr<const void> memo = nullptr;
};
using SolverStatePtr = std::shared_ptr<const SolverState>;

class Solver {
  public:
    virtual ~Solver() = default;
    /// What is there at the first frame. Throws Error.
    virtual SolverState begin(const SolverInput& first, Progress& progress) const = 0;
    /// The state a frame after @p last, given what was so at its frame and what is so now. The same bits on
    /// any number of threads. Throws Error and Cancelled.
    virtual SolverState advance(const SolverState& last, const SolverInput& before, const SolverInput& now,
                                Progress& progress) const = 0;
    /// What is seen between two frames, by id. @p fraction 0 gives what @p a shows, 1 what @p b shows,
    /// exactly.
    virtual Geometry between(const SolverState& a, const SolverState& b, double fraction,
                             double rate) const = 0;
};

}  // namespace ovrix::sim
