#include "scene/evaluator.h"

#include <chrono>

#include "base/error.h"
#include "base/files.h"
#include "base/hash.h"
#include "base/number_text.h"
#include "geo/primitives.h"
#include "geo/simplify.h"
#include "geo/strands.h"
#include "geo/tuft.h"
#include "ops/carry.h"
#include "ops/place_points.h"
#include "scene/around.h"
#include "scene/showing.h"

namespace ovrix {

namespace {

using Clock = std::chrono::steady_clock;

double millisecondsSince(Clock::time_point start) {
    return std::chrono::duration<double, std::milli>(Clock::now() - start).count();
}

float unitInMetres(const std::string& unit) {
    if (unit == "millimetre") return 0.001f;
    if (unit == "centimetre") return 0.01f;
    if (unit == "inch") return 0.0254f;
    if (unit == "foot") return 0.3048f;
    return 1.0f;
}

/// From the file's unit and up axis to metres and Y up.
M44f fileMatrix(const ResolvedParams& p) {
    const float s = unitInMetres(p.text("unit"));
    M44f m(s, 0, 0, 0, 0, s, 0, 0, 0, 0, s, 0, 0, 0, 0, 1);
    if (p.text("up") == "Z") m = M44f(s, 0, 0, 0, 0, 0, -s, 0, 0, s, 0, 0, 0, 0, 0, 1);
    return m;
}

MeshPtr turnedOver(const Mesh& mesh) {
    Mesh out = mesh;
    reverseFaces(out);
    for (V3f& v : out.corners.add<V3f>("N")) v = -v;
    out.finish();
    return std::make_shared<const Mesh>(std::move(out));
}

MeshPtr builtIn(const std::string& type, const ResolvedParams& p) {
    if (type == "plane") return makePlane(float(p.number("size")), int(p.integer("divisions")));
    if (type == "sphere") return makeSphere(float(p.number("radius")), int(p.integer("segments")));
    if (type == "torus")
        return makeTorus(float(p.number("radius")), float(p.number("tube")), int(p.integer("segments")));
    if (type == "blade") {
        BladeOptions o;
        const auto number = [&](const char* id) { return float(p.number(id)); };
        const auto whole = [&](const char* id) { return int(p.integer(id)); };
        o.height = number("height"), o.width = number("width");
        o.profile = p.profile("profile");
        o.segments = whole("segments");
        o.bend = radians(number("bend")), o.curl = radians(number("curl"));
        o.twist = radians(number("twist")), o.wave = radians(number("wave"));
        o.fold = number("fold");
        o.blades = whole("blades"), o.spread = number("spread");
        o.columns = whole("columns"), o.rows = whole("rows");
        o.cells = cellsFromText(p.text("pictures"), o.columns * o.rows);
        o.seed = uint32_t(p.integer("seed"));
        return makeBlades(o);
    }
    if (type == "terrain")
        return makeTerrain({float(p.number("size")), int(p.integer("divisions")), float(p.number("height")),
                            float(p.number("feature")), float(p.number("ridges")),
                            uint32_t(p.integer("seed"))});
    throw Error("there is no kind of object \"" + type + "\"", {}, "Open the scene in a newer version");
}

TuftOptions tuftOptions(const ResolvedParams& p) {
    const auto number = [&](const char* id) { return float(p.number(id)); };
    TuftOptions o;
    o.strands = int(p.integer("strands")), o.segments = int(p.integer("segments"));
    o.height = number("height"), o.vary = number("vary"), o.foot = number("foot");
    o.open = radians(number("open"));
    o.radius = number("radius"), o.radiusVary = number("radius_vary");
    o.turns = number("turns"), o.turnsVary = number("turns_vary");
    o.pinch = number("pinch"), o.trim = number("trim"), o.distortion = number("distortion");
    o.rootWidth = 0.001f * number("root_width"), o.tipWidth = 0.001f * number("tip_width");
    o.round = p.text("form") == "round";
    o.seed = uint32_t(p.integer("seed"));
    return o;
}

void requireFit(const StepType& type, const Geometry& in) {
    if (kindOf(in) != type.takes)
        throw Error(fmt::format("takes {}, and gets {}", kindName(type.takes), kindName(kindOf(in))), {},
                    "Move it to where they are made");
}

}  // namespace

Evaluator::Evaluator(size_t cacheBytes) : limit_(cacheBytes) {}

void Evaluator::setFolder(const std::filesystem::path& folder) { images_.setFolder(folder); }

uint64_t Evaluator::stampOf(const std::string& path) const {
    if (path.empty()) return 0;
    const auto whole = resolve(path);
    return Hasher().add(fileStamp(whole)).add(std::string_view(whole.native())).value();
}

uint64_t Evaluator::objectHash(const Node& node, double frame) const {
    Hasher h;
    h.add(std::string_view(node.type));
    for (const ParamSpec& spec :
         specsOf(node)) {  // where it stands and what it wears are no part of its mesh
        if (spec.id == "material" || spec.id == "slots" || spec.id == "position" || spec.id == "rotation" ||
            spec.id == "scale")
            continue;
        addParamsToHash(h, std::span(&spec, 1), node.params, frame,
                        {[this](const std::string& p) { return stampOf(p); }, {}});
    }
    for (const Step& step : node.steps)
        if (const StepType* type = findStepType(step.type); type && step.on) {
            h.add(std::string_view(type->id));
            addParamsToHash(h, type->params, step.params, frame,
                            {[this](const std::string& p) { return stampOf(p); }, {}});
        }
    return h.value();
}

/// The object's own recipe on its mesh. Fields are asked in the object's space: moving it moves them with it.
void Evaluator::shapeObject(const Node& node, double frame, size_t memory, ObjectResult& result,
                            Progress& progress) {
    for (const Step& step : node.steps) {
        StepReport report{step.id, result.mesh->triangles().size(), 0, 0, false, false, {}, {}};
        const StepType* type = findStepType(step.type);
        if (step.on) {
            const auto start = Clock::now();
            const Geometry in = result.mesh;
            try {
                if (!type)
                    throw Error("there is no step \"" + step.type + "\"", {},
                                "Open the scene in a newer version");
                requireFit(*type, in);
                FieldContext context;
                context.frame = frame;
                context.images = &images_;
                context.progress = &progress;
                context.hasUvs = !result.mesh->uvs().empty();
                context.surface = std::make_shared<const Surface>(result.mesh);
                const ResolvedParams params(type->params, step.params, context);
                const Geometry out =
                    type->apply({in, params, context.surface, context.surface, 1.0, memory, progress});
                const MeshPtr* mesh = std::get_if<MeshPtr>(&out);
                if (!mesh) throw Error("gives no mesh", {}, "Take it out of the object's recipe");
                result.mesh = *mesh;
            } catch (const Error& e) {
                throw Error(e.where().empty() ? e.problem() : e.where() + ": " + e.problem(),
                            node.name + ", " + (type ? type->title : step.type), e.remedy());
            }
            report.milliseconds = millisecondsSince(start);
        }
        report.out = result.mesh->triangles().size();
        result.steps.push_back(report);
    }
}

ObjectResult Evaluator::makeObject(const Node& node, double frame, Progress& progress) {
    FieldContext context;
    context.frame = frame;
    const ResolvedParams p(specsOf(node), node.params, context);
    ObjectResult result;
    if (node.type == "tuft") {  // its mesh, for drawing and keeping apart, has few sides
        result.strands = makeTuft(tuftOptions(p));
        result.mesh = tubesOf(*result.strands, 3, 0.001f);
        return result;
    }
    if (node.type != "mesh_file") {
        result.mesh = builtIn(node.type, p);
        return result;
    }
    if (p.text("file").empty())
        throw Error("no mesh file is chosen", {}, "Choose a file, or drop one on the window");
    FileMesh file = readMesh(resolve(p.text("file")), progress);
    result.report = inspect(*file.mesh);
    result.fileMaterials = std::move(file.materials);
    const M44f matrix = fileMatrix(p);
    result.mesh = matrix == M44f() ? MeshPtr(file.mesh) : transformed(*file.mesh, matrix);
    if (p.flag("flip")) result.mesh = turnedOver(*result.mesh);
    return result;
}

ObjectResult Evaluator::object(const Document& document, const std::string& id, double frame,
                               Progress& progress) {
    const Node& node = document.get(id);
    const uint64_t key = objectHash(node, frame);
    if (const auto known = lookUp<ObjectResult>(key)) return *known;
    try {
        auto made = std::make_shared<ObjectResult>(makeObject(node, frame, progress));
        shapeObject(node, frame, document.memoryLimit(), *made, progress);
        made->hash = key;
        keep<ObjectResult>(key, made, made->mesh->bytes());
        return *made;
    } catch (const Error& e) {
        throw Error(e.problem(), e.where().empty() ? node.name : e.where(), e.remedy());
    }
}

std::shared_ptr<const std::vector<uint32_t>> Evaluator::coarse(const ObjectResult& object) {
    const uint64_t key = Hasher().add(std::string_view("coarse")).add(object.hash).value();
    if (auto known = lookUp<std::vector<uint32_t>>(key)) return known;
    const auto made = std::make_shared<const std::vector<uint32_t>>(coarseCorners(*object.mesh));
    keep<std::vector<uint32_t>>(key, made, made->size() * sizeof(uint32_t));
    return made;
}

SurfacePtr Evaluator::surface(const Document& document, const std::string& id, const EvalOptions& options,
                              Progress& progress) {
    return Around(*this, document, options, progress).surface(id);
}

FieldContext Evaluator::fieldContext(const Document& document, const std::string& surfaceId, double frame,
                                     const SurfacePtr& surface, Surroundings* around, Progress& progress) {
    FieldContext context;
    context.frame = frame;
    context.images = &images_;
    context.surface = surface;
    context.hasUvs = surface && !surface->mesh().uvs().empty();
    context.surroundings = around;
    context.progress = &progress;
    const M44f world = document.worldMatrix(surfaceId, frame);
    if (std::abs(world.determinant()) > 1e-20f) context.objectFromWorld = world.inverse();
    V3f up;
    world.multDirMatrix(V3f(0, 1, 0), up);
    if (up.length() > 0.0f) context.objectUp = up.normalized();
    return context;
}

/// Whether the step has a mask that may take elements out.
static bool thins(const StepType& type, const Step& step) {
    const auto mask = step.params.find(type.mask);
    if (type.mask.empty() || mask == step.params.end()) return false;
    const double* value = std::get_if<double>(&mask->second.value);
    return mask->second.field || mask->second.animated() || (value && *value < 1.0);
}

/// The first step that is on and fills; the end for none.
static size_t fillingStep(const std::vector<Step>& steps) {
    for (size_t i = 0; i < steps.size(); ++i)
        if (const StepType* type = findStepType(steps[i].type); steps[i].on && type && type->fills) return i;
    return steps.size();
}

/// One run through a layer's recipe.
class Evaluator::Run {
  public:
    Run(Evaluator& evaluator, const Node& layer, Around& around, LayerResult& result)
        : evaluator_(evaluator), layer_(layer), around_(around), result_(result) {
        const Document& document = around.document();
        const double frame = around.options().frame;
        memory_ = document.memoryLimit();
        const auto surfaceId = std::get<std::string>(document.value(layer.id, "surface", frame));
        try {
            rest_ = surface_ = surfaceId.empty() ? nullptr : around.surface(surfaceId);
            Hasher h;
            h.add(around.surfaceHash(surfaceId));
            const double restFrame = std::get<double>(document.value(layer.id, "rest", frame));
            if (surface_ && restFrame != frame) {
                EvalOptions atRest = around.options();
                atRest.frame = restFrame;
                Around then(evaluator, document, atRest, around.progress());
                rest_ = then.surface(surfaceId);
                if (rest_ != surface_) h.add(then.surfaceHash(surfaceId));
            }
            fillsAt_ = fillingStep(layer.steps);
            combAt_ = combPlace(layer.steps).value_or(layer.steps.size());
            if (fillsAt_ == layer.steps.size()) h.add(result.share);
            hash_ = h.value();
            context_ =
                evaluator.fieldContext(document, surfaceId, frame, surface_, &around, around.progress());
            restContext_ = context_;
            if (rest_ != surface_)
                restContext_ =
                    evaluator.fieldContext(document, surfaceId, restFrame, rest_, &around, around.progress());
            restContext_.frame = frame;  // numbers are those of now, places those at rest
        } catch (const Error& e) {
            trouble_ = e.where().empty() ? e.problem() : e.where() + ": " + e.problem();
            cure_ = e.remedy();
        }
    }

    /// Until a step fails. True when none does.
    bool all() {
        for (size_t i = 0; i < layer_.steps.size();) {
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

  private:
    const StepType& typeOf(const Step& step) const {
        if (!trouble_.empty()) throw Error(trouble_, {}, cure_);
        const StepType* type = findStepType(step.type);
        if (!type)
            throw Error("there is no step \"" + step.type + "\"", {}, "Open the scene in a newer version");
        return *type;
    }

    /// Whether the step puts points on the surface: it does so at rest, and they go with it from there.
    bool placesAtRest(const StepType& type) const {
        return rest_ != surface_ && type.takes == GeometryKind::Nothing && type.gives == GeometryKind::Points;
    }

    /// Fields of what lies at rest are asked there.
    const FieldContext& contextOf(const StepType& type) const {
        return placesAtRest(type) || type.fills ? restContext_ : context_;
    }

    Geometry apply(const StepType& type, const Step& step, const Geometry& in) {
        ++evaluator_.stepsRun_;
        const ResolvedParams params(type.params, step.params, contextOf(type));
        return type.apply({in, params, placesAtRest(type) ? rest_ : surface_, rest_,
                           whole_ ? 1.0 : result_.share, memory_, around_.progress(), &around_, &notes_});
    }

    /// What was placed at rest, as it lies on the surface now.
    Geometry carried(const Geometry& placed) {
        size_t rebound = 0;
        auto points = pointsCarried(*std::get<std::shared_ptr<const PointSet>>(placed), *rest_, *surface_,
                                    around_.progress(), &rebound);
        if (rebound) notes_.push_back(reboundNote(rebound));
        return points;
    }

    /// From the cache, or made and kept there.
    Geometry kept(uint64_t key, const std::function<Geometry()>& make, double* milliseconds = nullptr) {
        if (const auto known = evaluator_.lookUp<Geometry>(key, milliseconds)) return *known;
        const auto start = Clock::now();
        auto made = std::make_shared<const Geometry>(make());
        const double time = millisecondsSince(start);
        if (milliseconds) *milliseconds = time;
        evaluator_.keep<Geometry>(key, made, bytesOf(*made), time);
        if (!notes_.empty())
            evaluator_.keep<std::string>(noteKey(key),
                                         std::make_shared<const std::string>(
                                             fmt::format("{}", fmt::join(std::exchange(notes_, {}), ". "))),
                                         256);
        return *made;
    }

    static uint64_t noteKey(uint64_t key) { return Hasher().add(std::string_view("note")).add(key).value(); }

    /// What a step with a mask places when its mask takes nothing out, and the key of that.
    std::pair<Geometry, uint64_t> placed(const StepType& type, const Step& step) {
        Step whole = step;
        whole.params.erase(type.mask);
        const uint64_t key = around_.stepHash(hash_, type, whole);
        return {kept(key, [&] { return apply(type, whole, geometry_); }), key};
    }

    Geometry make(const StepType& type, const Step& step) {
        const Geometry made = thins(type, step) ? thinned(type, step) : apply(type, step, geometry_);
        return placesAtRest(type) ? carried(made) : made;
    }

    Geometry thinned(const StepType& type, const Step& step) {
        const size_t before = evaluator_.stepsRun_;
        const Geometry all = placed(type, step).first;
        if (evaluator_.stepsRun_ == before) ++evaluator_.stepsRun_;  // with its placing it counts as one
        const ResolvedParams params(type.params, step.params, contextOf(type));
        return masked(std::get<std::shared_ptr<const PointSet>>(all), params.driven(type.mask),
                      uint64_t(params.integer("seed")), around_.progress());
    }

    /// One step; false when it fails, which its report says.
    bool one(size_t i) {
        const Step& step = layer_.steps[i];
        StepReport report{step.id, elementCount(geometry_), 0, 0, false, false, {}, {}};
        if (step.on) {
            try {
                const StepType& type = typeOf(step);
                requireFit(type, geometry_);
                whole_ = i < fillsAt_ && fillsAt_ < layer_.steps.size();
                if (type.fills) {
                    result_.guides = std::get<StrandsPtr>(geometry_);
                    result_.guidesHash = hash_;
                    if (i == fillsAt_) hash_ = Hasher().add(hash_).add(result_.share).value();
                }
                const uint64_t key = around_.stepHash(hash_, type, step);
                report.cached = true;
                geometry_ = kept(
                    key,
                    [&] {
                        report.cached = false;
                        return make(type, step);
                    },
                    &report.milliseconds);
                hash_ = key;
                if (i == combAt_)
                    if (const auto* strands = std::get_if<StrandsPtr>(&geometry_))
                        result_.combable = *strands;
                if (const auto note = evaluator_.lookUp<std::string>(noteKey(key))) report.note = *note;
            } catch (const Error& e) {
                report.error = e.where().empty() ? e.problem() : e.where() + ": " + e.problem();
                report.remedy = e.remedy();
            } catch (const std::bad_alloc&) {
                report.error = "there was not enough memory";
                report.remedy = "Lower the count, or work in Draft";
            }
        }
        report.out = elementCount(geometry_);
        result_.steps.push_back(report);
        return report.error.empty();
    }

    /// The end of the steps from @p first that can work on all that the first one places, and be thinned by
    /// its mask then; @p first itself when the mask is not being painted, or something is not as it should
    /// be: then the steps say so one by one.
    size_t paintedUntil(size_t first) {
        const auto& steps = layer_.steps;
        if (around_.options().painted != layer_.id || !steps[first].on || rest_ != surface_) return first;
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

    void thinLast(size_t first, size_t end) {
        const auto start = Clock::now();
        const auto& steps = layer_.steps;
        const StepType& type = typeOf(steps[first]);
        auto [placedAll, key] = placed(type, steps[first]);
        uint64_t hash = around_.stepHash(hash_, type, steps[first]);
        Geometry all = placedAll;
        for (size_t i = first + 1; i < end; ++i) {
            if (!steps[i].on) continue;
            const StepType& next = typeOf(steps[i]);
            requireFit(next, all);
            key = around_.stepHash(key, next, steps[i]);
            hash = around_.stepHash(hash, next, steps[i]);
            all = kept(key, [&] { return apply(next, steps[i], all); });
        }
        const size_t before = elementCount(geometry_);
        geometry_ = kept(hash, [&] {
            const ResolvedParams params(type.params, steps[first].params, context_);
            const auto& points = std::get<std::shared_ptr<const PointSet>>(placedAll);
            const auto stay = survivors(points->attributes, params.driven(type.mask),
                                        uint64_t(params.integer("seed")), around_.progress());
            return stay ? gathered(all, *stay) : all;
        });
        hash_ = hash;
        const double time = millisecondsSince(start);
        for (size_t i = first; i < end; ++i)
            result_.steps.push_back({steps[i].id,
                                     i == first ? before : elementCount(geometry_),
                                     elementCount(geometry_),
                                     i == first ? time : 0.0,
                                     false,
                                     false,
                                     {},
                                     {}});
    }

    Evaluator& evaluator_;
    const Node& layer_;
    Around& around_;
    LayerResult& result_;
    SurfacePtr surface_, rest_;
    size_t combAt_ = 0;   // the step whose strands are combed; the end for none
    size_t fillsAt_ = 0;  // the first step that lays many elements between few; the end for none
    bool whole_ = false;  // the step at work makes all, also in Draft
    std::vector<std::string> notes_;
    FieldContext context_, restContext_;
    std::string trouble_, cure_;  // why there is no surface
    size_t memory_ = 0;
    Geometry geometry_;
    uint64_t hash_ = 0;
};

void Evaluator::forgetLast() {
    std::lock_guard lock(mutex_);
    lastGood_.clear();
}

/// After a step failed, the cards that follow show what they last made, and so does the view.
void Evaluator::recallLast(const Node& layer, size_t failed, LayerResult& result) {
    std::lock_guard lock(mutex_);
    const auto last = lastGood_.find(layer.id);
    const LayerResult* known = last == lastGood_.end() ? nullptr : &last->second;
    for (size_t i = failed + 1; i < layer.steps.size(); ++i) {
        StepReport report;
        if (known)
            for (const StepReport& r : known->steps)
                if (r.step == layer.steps[i].id) report = r;
        report.step = layer.steps[i].id;
        report.stale = true;
        result.steps.push_back(report);
    }
    if (known) {
        result.geometry = known->geometry;
        result.hash = known->hash;
    }
}

LayerResult Evaluator::layer(const Document& document, const std::string& id, const EvalOptions& options,
                             Progress& progress) {
    Around around(*this, document, options, progress);
    LayerResult result = layer(document.get(id), around);
    result.made = elementCount(result.geometry);
    const Showing showing = showingOf(document, document.get(id), options);
    const GeometryKind kind = kindOf(result.geometry);
    if (showing.all() || (kind != GeometryKind::Copies && kind != GeometryKind::Strands)) return result;
    Hasher h;
    h.add(std::string_view("shown")).add(result.hash);
    addToHash(h, showing);
    result.hash = h.value();
    if (const auto known = lookUp<Geometry>(result.hash)) {
        result.geometry = *known;
        return result;
    }
    result.geometry = shownOf(result.geometry, showing);
    keep<Geometry>(result.hash, std::make_shared<const Geometry>(result.geometry), bytesOf(result.geometry));
    return result;
}

LayerResult Evaluator::layer(const Node& layer, Around& around) {
    LayerResult result;
    result.share = around.share();
    const Around::Asking asking(around, layer.id);
    const Node recipe = recipeOf(around.document(), layer);
    result.ok = Run(*this, recipe, around, result).all();
    if (result.ok) {
        std::lock_guard lock(mutex_);
        lastGood_[layer.id] = result;
    } else if (around.options().purpose == Purpose::Render) {
        result.geometry = {};  // a picture never shows what the recipe no longer makes
    }
    return result;
}

}  // namespace ovrix
