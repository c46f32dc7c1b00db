#include "eval/recipe_run.h"

#include <fmt/format.h>
#include <tbb/task_arena.h>

#include <chrono>

#include "base/error.h"
#include "base/hash.h"
#include "document/model/step_registry.h"
#include "eval/simulated.h"
#include "geo/surface/surface.h"
#include "ops/place/place_points.h"
#include "ops/rebind.h"

namespace ovrix::eval {

using Clock = std::chrono::steady_clock;

double millisecondsSince(Clock::time_point start) {
    return std::chrono::duration<double, std::milli>(Clock::now() - start).count();
}

const StepType& typeOfStep(const Step& step) {
    const StepType* type = findStepType(step.type);
    if (!type) throw Error("there is no step \"" + step.type + "\"", {}, "Open the scene in a newer version");
    return *type;
}

void requireFit(const StepType& type, const Geometry& in) {
    if (kindOf(in) != type.takes)
        throw Error(fmt::format("takes {}, and gets {}", kindName(type.takes), kindName(kindOf(in))), {},
                    "Move it to where they are made");
}

/// Whether the step has a mask that may take elements out.
static bool thins(const StepType& type, const Step& step) {
    const auto mask = step.params.find(kPlaced.mask.id());
    if (!type.masked || mask == step.params.end()) return false;
    const double* value = std::get_if<double>(&mask->second.value);
    return mask->second.field || mask->second.animated() || (value && *value < 1.0);
}

/// The first step that is on and fills, else the one that simulates; the end for none.
static size_t fillingStep(const std::vector<Step>& steps) {
    for (size_t i = 0; i < steps.size(); ++i)
        if (const StepType* type = findStepType(steps[i].type); steps[i].on && type && type->fills) return i;
    return solverIndex(steps).value_or(steps.size());
}

Evaluator::RecipeRun::RecipeRun(Evaluator& evaluator, const Node& layer, LayerResult& result, Query& query)
    : evaluator_(evaluator), layer_(layer), query_(query), result_(result) {
    const Document& document = query.document();
    const double frame = query.options().frame;
    memory_ = document.memoryLimit();
    const auto surfaceId = document.value(layer.id, kLayer.surface, frame);
    try {
        rest_ = surface_ = surfaceId.empty() ? nullptr : query.surface(surfaceId);
        Hasher h;
        h.add(query.surfaceHash(surfaceId));
        const double restFrame = document.value(layer.id, kLayer.rest, frame);
        if (surface_ && restFrame != frame) {
            EvalOptions atRest = query.options();
            atRest.frame = restFrame;
            Query then(evaluator, query.scene(), atRest, query.progress());
            rest_ = then.surface(surfaceId);
            if (rest_ != surface_) h.add(then.surfaceHash(surfaceId));
        }
        fillsAt_ = fillingStep(layer.steps);
        combAt_ = combIndex(layer.steps).value_or(layer.steps.size());
        if (fillsAt_ == layer.steps.size()) h.add(result.share);
        hash_ = h.value();
        context_ = evaluator.fieldContext(surfaceId, frame, surface_, query);
        restContext_ = context_;
        if (rest_ != surface_) restContext_ = evaluator.fieldContext(surfaceId, restFrame, rest_, query);
        restContext_.frame = frame;  // numbers are those of now, places those at rest
    } catch (const Error& e) {
        error_ = e.where().empty() ? e.problem() : e.where() + ": " + e.problem();
        remedy_ = e.remedy();
    }
}

/// Until a step fails. True when none does.
bool Evaluator::RecipeRun::all() {
    for (size_t i = 0; i < layer_.steps.size();) {
        if (!layer_.steps[i].in.empty()) {  // a part: the step that it stands in takes it up
            ++i;
            continue;
        }
        if (const size_t end = paintedUntil(i); end > i) {
            i = end;
            continue;
        }
        if (!one(i)) {
            evaluator_.recallLast(layer_, i, result_);
            return false;
        }
        ++i;
    }
    result_.geometry = geometry_;
    result_.hash = hash_;
    return true;
}

Geometry Evaluator::RecipeRun::before(size_t end) {
    for (size_t i = 0; i < end; ++i) {
        if (!layer_.steps[i].in.empty()) continue;
        if (one(i)) continue;
        const StepReport& failed = result_.steps.back();
        const StepType* type = findStepType(layer_.steps[i].type);
        throw Error(failed.error, type ? type->title : layer_.steps[i].type, failed.remedy);
    }
    if (!error_.empty()) throw Error(error_, {}, remedy_);
    return geometry_;
}

/// What the steps before one give at another frame.
Geometry Evaluator::RecipeRun::atFrame(size_t i, double frame) {
    Query there = query_.tracesAt(frame);
    LayerResult result;
    result.share = result_.share;
    return RecipeRun(evaluator_, layer_, result, there).before(i);
}

Geometry Evaluator::RecipeRun::simulated(size_t i, StepReport& report) {
    const auto start = Clock::now();
    const size_t before = evaluator_.stepsRun_;
    Simulated simulated(evaluator_, layer_, i, query_, whole_ ? 1.0 : result_.share);
    const double frame = query_.options().frame;
    Geometry made = query_.options().live ? simulated.liveAt(frame) : simulated.at(frame);
    report.cached = evaluator_.stepsRun_ == before;
    report.milliseconds = millisecondsSince(start);
    report.note = fmt::format("{}", fmt::join(simulated.notes(), ". "));
    return made;
}

const StepType& Evaluator::RecipeRun::typeOf(const Step& step) const {
    if (!error_.empty()) throw Error(error_, {}, remedy_);
    return typeOfStep(step);
}

/// Whether the step puts points on the surface: it does so at rest, and they go with it from there.
bool Evaluator::RecipeRun::placesAtRest(const StepType& type) const {
    return rest_ != surface_ && type.takes == GeometryKind::Nothing && type.gives == GeometryKind::Points;
}

/// Fields of what lies at rest are asked there. They may read what the elements carry; roots of a fill carry
/// nothing yet.
FieldContext Evaluator::RecipeRun::contextOf(const StepType& type, const Geometry& elements) const {
    FieldContext context = placesAtRest(type) || type.fills ? restContext_ : context_;
    if (!type.fills) context.elements = elementsOf(elements);
    return context;
}

Geometry Evaluator::RecipeRun::apply(const StepType& type, const Step& step, const Geometry& in) {
    ++evaluator_.stepsRun_;
    const ResolvedParams params(type.params, step.params, contextOf(type, in));
    return type.apply({.in = in,
                       .params = params,
                       .surface = placesAtRest(type) ? rest_ : surface_,
                       .rest = rest_,
                       .share = whole_ ? 1.0 : result_.share,
                       .memoryLimit = memory_,
                       .progress = query_.progress(),
                       .query = &query_,
                       .notes = &notes_,
                       .frame = query_.options().frame,
                       .rate = context_.rate,
                       .inAt = type.overTime ? [this, i = at_](double frame) { return atFrame(i, frame); }
                                             : std::function<Geometry(double)>(),
                       .draft = query_.draft()});
}

/// What was placed at rest, as it lies on the surface now.
Geometry Evaluator::RecipeRun::onPresentSurface(const Geometry& placed) {
    size_t rebound = 0;
    auto points = pointsRebound(*std::get<std::shared_ptr<const PointSet>>(placed), *rest_, *surface_,
                                query_.progress(), &rebound);
    if (rebound) notes_.push_back(reboundNote(rebound));
    return points;
}

static uint64_t noteKey(uint64_t key) { return Hasher().add(std::string_view("note")).add(key).value(); }

/// From the cache, or made and kept there.
Geometry Evaluator::RecipeRun::cached(uint64_t key, const std::function<Geometry()>& make,
                                      double* milliseconds) {
    if (const auto known = evaluator_.lookUp<Geometry>(key, milliseconds)) return *known;
    const KeyLocks::Turn turn = evaluator_.turns_.take(key, query_.progress());
    if (const auto known = evaluator_.lookUp<Geometry>(key, milliseconds)) return *known;
    const auto start = Clock::now();
    std::shared_ptr<const Geometry> made;
    tbb::this_task_arena::isolate([&] { made = std::make_shared<const Geometry>(make()); });
    const double time = millisecondsSince(start);
    if (milliseconds) *milliseconds = time;
    if (!notes_.empty())  // first: who finds the geometry looks for it
        evaluator_.store<std::string>(noteKey(key),
                                      std::make_shared<const std::string>(
                                          fmt::format("{}", fmt::join(std::exchange(notes_, {}), ". "))),
                                      256);
    evaluator_.storeGeometry(key, made, time);
    return *made;
}

/// What a step with a mask places when its mask takes nothing out, and the key of that.
std::pair<Geometry, uint64_t> Evaluator::RecipeRun::placed(const StepType& type, const Step& step) {
    Step whole = step;
    whole.params.erase(kPlaced.mask.id());
    const uint64_t key = query_.stepHash(hash_, type, whole);
    return {cached(key, [&] { return apply(type, whole, geometry_); }), key};
}

Geometry Evaluator::RecipeRun::make(const StepType& type, const Step& step) {
    const Geometry made = thins(type, step) ? thinned(type, step) : apply(type, step, geometry_);
    return placesAtRest(type) ? onPresentSurface(made) : made;
}

Geometry Evaluator::RecipeRun::thinned(const StepType& type, const Step& step) {
    const size_t before = evaluator_.stepsRun_;
    const Geometry all = placed(type, step).first;
    if (evaluator_.stepsRun_ == before) ++evaluator_.stepsRun_;  // with its placing it counts as one
    const ResolvedParams params(type.params, step.params, contextOf(type, all));
    return masked(std::get<std::shared_ptr<const PointSet>>(all), params[kPlaced.mask],
                  uint64_t(params[kPlaced.seed]), query_.progress());
}

/// One step; false when it fails, which its report says.
bool Evaluator::RecipeRun::one(size_t i) {
    const Step& step = layer_.steps[i];
    StepReport report;
    report.step = step.id, report.in = elementCount(geometry_);
    if (step.on) {
        try {
            const StepType& type = typeOf(step);
            requireFit(type, geometry_);
            whole_ = i < fillsAt_ && fillsAt_ < layer_.steps.size();
            if (type.fills) {
                result_.guides = std::get<StrandsPtr>(geometry_);
                result_.guidesHash = hash_;
            }
            if (i == fillsAt_) hash_ = Hasher().add(hash_).add(result_.share).value();
            const uint64_t key = query_.stepHash(hash_, layer_, i);
            if (type.solver) {
                geometry_ = simulated(i, report);
                hash_ =
                    query_.options().traces ? Hasher().add(key).add(std::string_view("traces")).value() : key;
                report.out = elementCount(geometry_);
                result_.steps.push_back(report);
                return true;
            }
            at_ = i;
            report.cached = true;
            geometry_ = cached(
                key,
                [&] {
                    report.cached = false;
                    return make(type, step);
                },
                &report.milliseconds);
            hash_ = key;
            if (i == combAt_)
                if (const auto* strands = std::get_if<StrandsPtr>(&geometry_)) result_.combable = *strands;
            if (const auto note = evaluator_.lookUp<std::string>(noteKey(key))) report.note = *note;
        } catch (const Error& e) {
            report.error = e.where().empty() ? e.problem() : e.where() + ": " + e.problem();
            report.remedy = e.remedy();
            if (const auto* wait = dynamic_cast<const TooLong*>(&e)) report.minutes = wait->minutes();
        } catch (const std::bad_alloc&) {
            report.error = "there was not enough memory";
            report.remedy = "Lower the count, or work in Draft";
        } catch (const Cancelled&) {
            throw;
        } catch (const std::exception& e) {  // a fault of the step is no fault of the scene
            report.error = problemOf(e);
        }
    }
    report.out = elementCount(geometry_);
    result_.steps.push_back(report);
    return report.error.empty();
}

/// The end of the steps from @p first that can work on all that the first one places, and be thinned by
/// its mask then; @p first itself when the mask is not being painted, or something is not as it should
/// be: then the steps say so one by one.
size_t Evaluator::RecipeRun::paintedUntil(size_t first) {
    const auto& steps = layer_.steps;
    if (query_.options().painted != layer_.id || !steps[first].on || rest_ != surface_) return first;
    const StepType* type = findStepType(steps[first].type);
    if (!type || !thins(*type, steps[first]) || kindOf(geometry_) != type->takes) return first;
    size_t end = first + 1;
    for (; end < steps.size(); ++end) {
        const StepType* next = findStepType(steps[end].type);
        if (steps[end].on && !(next && next->elementwise)) break;
    }
    try {
        thinLast(first, end);
    } catch (const Error&) {
        return first;
    } catch (const std::bad_alloc&) {
        return first;
    }
    return end;
}

void Evaluator::RecipeRun::thinLast(size_t first, size_t end) {
    const auto start = Clock::now();
    const auto& steps = layer_.steps;
    const StepType& type = typeOf(steps[first]);
    const auto whole = placed(type, steps[first]);
    const Geometry& placedAll = whole.first;
    uint64_t key = whole.second;
    uint64_t hash = query_.stepHash(hash_, type, steps[first]);
    Geometry all = placedAll;
    for (size_t i = first + 1; i < end; ++i) {
        if (!steps[i].on) continue;
        const StepType& next = typeOf(steps[i]);
        requireFit(next, all);
        key = query_.stepHash(key, next, steps[i]);
        hash = query_.stepHash(hash, next, steps[i]);
        all = cached(key, [&] { return apply(next, steps[i], all); });
    }
    const size_t before = elementCount(geometry_);
    geometry_ = cached(hash, [&] {
        const ResolvedParams params(type.params, steps[first].params, context_);
        const auto& points = std::get<std::shared_ptr<const PointSet>>(placedAll);
        const auto stay = survivors(points->attributes, params[kPlaced.mask], uint64_t(params[kPlaced.seed]),
                                    query_.progress());
        return stay ? gathered(all, *stay) : all;
    });
    hash_ = hash;
    const double time = millisecondsSince(start);
    for (size_t i = first; i < end; ++i) {
        StepReport& report = result_.steps.emplace_back();
        report.step = steps[i].id;
        report.in = i == first ? before : elementCount(geometry_), report.out = elementCount(geometry_);
        report.milliseconds = i == first ? time : 0.0;
    }
}

}  // namespace ovrix::eval
