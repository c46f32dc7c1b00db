// One run through a layer's recipe at one frame.
#pragma once
#include <chrono>

#include "eval/evaluator_query.h"

namespace ovrix::eval {

/// The type of a step. Throws Error when this version does not know it.
const StepType& typeOfStep(const Step& step);
/// Throws Error when the step does not take such geometry.
void requireFit(const StepType& type, const Geometry& in);

class Evaluator::RecipeRun {
  public:
    /// @param layer  with the recipe that it follows: see recipeOf()
    RecipeRun(Evaluator& evaluator, const Node& layer, LayerResult& result, Query& query);

    /// Until a step fails. True when none does.
    bool all();
    /// What the steps before the one at @p end give. Throws Error when one fails.
    Geometry before(size_t end);

    const FieldContext& context() const { return context_; }
    const SurfacePtr& surface() const { return surface_; }
    /// The same at the rest frame of the layer.
    const SurfacePtr& rest() const { return rest_; }

  private:
    const StepType& typeOf(const Step& step) const;
    bool placesAtRest(const StepType& type) const;
    FieldContext contextOf(const StepType& type, const Geometry& elements) const;
    Geometry apply(const StepType& type, const Step& step, const Geometry& in);
    Geometry onPresentSurface(const Geometry& placed);
    Geometry cached(uint64_t key, const std::function<Geometry()>& make, double* milliseconds = nullptr);
    std::pair<Geometry, uint64_t> placed(const StepType& type, const Step& step);
    Geometry make(const StepType& type, const Step& step);
    Geometry thinned(const StepType& type, const Step& step);
    Geometry simulated(size_t i, StepReport& report);
    Geometry atFrame(size_t i, double frame);
    bool one(size_t i);
    size_t paintedUntil(size_t first);
    void thinLast(size_t first, size_t end);

    Evaluator& evaluator_;
    const Node& layer_;
    Query& query_;
    LayerResult& result_;
    SurfacePtr surface_, rest_;
    size_t combAt_ = 0;   // the step whose strands are combed; the end for none
    size_t fillsAt_ = 0;  // the first step that lays many elements between few; the end for none
    size_t at_ = 0;       // the step at work
    bool whole_ = false;  // the step at work makes all, also in Draft
    std::vector<std::string> notes_;
    FieldContext context_, restContext_;
    std::string error_, remedy_;  // why there is no surface
    size_t memory_ = 0;
    Geometry geometry_;
    uint64_t hash_ = 0;
};

/// For what cards tell of steps.
double millisecondsSince(std::chrono::steady_clock::time_point start);

}  // namespace ovrix::eval
