#include "eval/evaluator.h"

#include <tbb/task_arena.h>

#include <chrono>

#include "base/error.h"
#include "base/file_sequence.h"
#include "base/hash.h"
#include "base/parallel.h"
#include "document/model/motion.h"
#include "document/model/step_registry.h"
#include "eval/evaluator_query.h"
#include "eval/recipe_run.h"
#include "eval/showing.h"
#include "eval/waves.h"
#include "geo/mesh/simplify.h"
#include "geo/surface/surface.h"
#include "ops/place/place_points.h"
#include "ops/rebind.h"

namespace ovrix::eval {

using Clock = std::chrono::steady_clock;

Evaluator::Evaluator(size_t cacheBytes) : limit_(cacheBytes) {}

/// Whether anything of an object's shape may be another at another frame.
static bool followsTime(const Node& node) {
    const auto any = [](const ParamMap& params) {
        return std::any_of(params.begin(), params.end(), [](const auto& p) {
            if (p.second.animated() || p.second.field) return true;
            const auto* text = std::get_if<std::string>(&p.second.value);
            return text && isSequence(*text);
        });
    };
    return any(node.params) ||
           std::any_of(node.steps.begin(), node.steps.end(), [&](const Step& s) { return any(s.params); });
}

uint64_t Evaluator::objectHash(const SceneContext& scene, const Node& node, double frame) {
    const uint64_t own = shapeHash(scene, node, frame);
    const double first = scene.document.frames().first;
    if (frame == first || !followsTime(node)) return own;
    // Its polygons are cut as they are at the first frame.
    const uint64_t reference = shapeHash(scene, node, first);
    return own == reference ? own : Hasher().add(own).add(reference).value();
}

uint64_t Evaluator::shapeHash(const SceneContext& scene, const Node& node, double frame) {
    const Stamps hashing{[&](const std::string& p) { return scene.stampOf(p); }, {}, scene.document.rate()};
    Hasher h;
    h.add(std::string_view(node.type));
    for (const ParamSpec& spec : specsOf(node))
        if (spec.affects == Affects::Result)
            addParamsToHash(h, std::span(&spec, 1), node.params, frame, hashing);
    for (const Step& step : node.steps)
        if (const StepType* type = findStepType(step.type); type && step.on) {
            h.add(std::string_view(type->id));
            addParamsToHash(h, type->params, step.params, frame, hashing);
        }
    return h.value();
}

namespace {

/// Images by the paths of a scene, for what may ask for nothing else.
class SceneImages : public ImageSource {
  public:
    SceneImages(const SceneContext& scene, Evaluator& evaluator, Progress& progress)
        : scene_(scene), evaluator_(evaluator), progress_(progress) {}
    std::shared_ptr<const Image> image(const std::string& path, const std::string& space) override {
        return evaluator_.images().image(scene_.resolve(path), space);
    }
    std::shared_ptr<const Texture> texture(const std::string& path, const std::string& space) override {
        return evaluator_.texture(scene_.resolve(path), space, progress_);
    }
    std::map<int, std::shared_ptr<const Texture>> tiles(const std::string& pattern,
                                                        const std::string& space) override {
        return evaluator_.tiles(scene_.resolve(pattern), space, progress_);
    }

  private:
    const SceneContext& scene_;
    Evaluator& evaluator_;
    Progress& progress_;
};

}  // namespace

static uint64_t turnOf(const std::filesystem::path& path, const std::string& space) {
    return Hasher().add(std::string_view(path.native())).add(std::string_view(space)).value();
}

std::shared_ptr<const Texture> Evaluator::texture(const std::filesystem::path& path, const std::string& space,
                                                  Progress& progress) {
    const KeyLocks::Turn turn = turns_.take(turnOf(path, space), progress);
    return images_.texture(path, space, progress);
}

std::map<int, std::shared_ptr<const Texture>> Evaluator::tiles(const std::filesystem::path& pattern,
                                                               const std::string& space, Progress& progress) {
    const KeyLocks::Turn turn = turns_.take(turnOf(pattern, space), progress);
    return images_.tiles(pattern, space, progress);
}

/// The object's own recipe on its mesh. Fields are asked in the object's space: moving it moves them with it.
void Evaluator::shapeObject(const SceneContext& scene, const Node& node, double frame, ObjectResult& result,
                            Progress& progress) {
    SceneImages images(scene, *this, progress);
    for (const Step& step : node.steps) {
        StepReport report;
        report.step = step.id, report.in = result.mesh->triangles().size();
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
                context.rate = scene.document.rate();
                context.images = &images;
                context.progress = &progress;
                context.hasUvs = !result.mesh->uvs().empty();
                context.surface = std::make_shared<const Surface>(result.mesh);
                const ResolvedParams params(type->params, step.params, context);
                const Geometry out = type->apply({.in = in,
                                                  .params = params,
                                                  .surface = context.surface,
                                                  .rest = context.surface,
                                                  .memoryLimit = scene.document.memoryLimit(),
                                                  .progress = progress,
                                                  .frame = frame,
                                                  .rate = context.rate});
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

ObjectResult Evaluator::makeObject(const SceneContext& scene, const Node& node, double frame,
                                   Progress& progress) {
    const NodeType* type = findNodeType(node.type);
    if (!type || !type->make)
        throw Error("there is no kind of object \"" + node.type + "\"", {},
                    "Open the scene in a newer version");
    FieldContext context;
    context.frame = frame;
    context.rate = scene.document.rate();
    const ResolvedParams p(specsOf(node), node.params, context);
    return {type->make({p, [&](const std::string& path) { return scene.resolve(path); },
                        scene.document.memoryLimit(), progress})};
}

/// Polygons that are not triangles are cut in one way at all frames, whatever shape they have there: so what
/// is bound to a triangle stays on it, and what moves is seen to move.
void Evaluator::cutAsAtFirst(const SceneContext& scene, const Node& node, double frame, ObjectResult& result,
                             Progress& progress) {
    const double first = scene.document.frames().first;
    const bool polygons = result.mesh->triangles().size() != result.mesh->faceCount();
    if (!polygons || frame == first || !followsTime(node)) return;
    if (shapeHash(scene, node, first) == shapeHash(scene, node, frame)) return;
    try {
        const MeshPtr reference = object(scene, node.id, first, progress).mesh;
        Mesh cut = *result.mesh;
        if (cut.cutAs(*reference)) result.mesh = std::make_shared<const Mesh>(std::move(cut));
    } catch (const Error&) {  // the frame may be one that has no file: then each stands for itself
    }
}

ObjectResult Evaluator::object(const SceneContext& scene, const std::string& id, double frame,
                               Progress& progress) {
    const Node& node = scene.document.get(id);
    const uint64_t key = objectHash(scene, node, frame);
    try {
        return *once<ObjectResult>(key, progress, [&] {
            auto made = std::make_shared<ObjectResult>(makeObject(scene, node, frame, progress));
            shapeObject(scene, node, frame, *made, progress);
            cutAsAtFirst(scene, node, frame, *made, progress);
            made->hash = key;
            return std::pair(std::shared_ptr<const ObjectResult>(made), made->mesh->bytes());
        });
    } catch (const Error& e) {
        throw Error(e.problem(), e.where().empty() ? node.name : e.where(), e.remedy());
    }
}

/// Each on its own: while a thread waits within one, it takes nothing up of another, which might wait for
/// what the first has locked.
template <class Item, class Work>
static void sideBySide(const std::vector<Item>& items, Progress& progress, const Work& work) {
    parallelEach(items.size(), progress,
                 [&](size_t i) { tbb::this_task_arena::isolate([&] { work(items[i]); }); });
}

std::map<std::string, std::string> Evaluator::makeObjects(
    const SceneContext& scene, const std::set<std::string>& ids, double frame, Progress& progress,
    const std::function<void(const Node&, const ObjectResult&)>& made) {
    std::vector<const Node*> objects;
    for (const NodePtr& node : scene.document.nodes(Category::Object))
        if (ids.count(node->id)) objects.push_back(node.get());
    std::map<std::string, std::string> errors;
    std::mutex one;
    sideBySide(objects, progress, [&](const Node* node) {
        try {
            const ObjectResult result = object(scene, node->id, frame, progress);
            if (made) made(*node, result);
        } catch (const Error& e) {
            const std::lock_guard lock(one);
            errors[node->id] = e.what();
        }
    });
    return errors;
}

std::map<std::string, LayerResult> Evaluator::layers(
    const SceneContext& scene, const std::set<std::string>& ids, const EvalOptions& options,
    Progress& progress, const std::function<void(const std::string&, const LayerResult&)>& made) {
    std::map<std::string, LayerResult> results;
    std::mutex one;
    for (std::vector<std::string>& wave : layersInWaves(scene.document)) {
        std::erase_if(wave, [&](const std::string& id) { return ids.count(id) == 0; });
        sideBySide(wave, progress, [&](const std::string& id) {
            LayerResult result;
            try {
                result = layer(scene, id, options, progress);
            } catch (const Error& e) {
                result.ok = false;
                result.steps.emplace_back().error = e.problem();
                result.steps.back().remedy = e.remedy();
            }
            const std::lock_guard lock(one);
            LayerResult& kept = results[id] = std::move(result);
            if (made) made(id, kept);
        });
    }
    return results;
}

std::shared_ptr<const std::vector<uint32_t>> Evaluator::coarse(const ObjectResult& object) {
    const uint64_t key = Hasher().add(std::string_view("coarse")).add(object.hash).value();
    if (auto known = lookUp<std::vector<uint32_t>>(key)) return known;
    auto made = std::make_shared<const std::vector<uint32_t>>(coarseCorners(*object.mesh));
    store<std::vector<uint32_t>>(key, made, made->size() * sizeof(uint32_t));
    return made;
}

SurfacePtr Evaluator::surface(const SceneContext& scene, const std::string& id, const EvalOptions& options,
                              Progress& progress) {
    return Query(*this, scene, options, progress).surface(id);
}

FieldContext Evaluator::fieldContext(const std::string& surfaceId, double frame, const SurfacePtr& surface,
                                     Query& query) {
    const Document& document = query.document();
    images_.setLimit(document.memoryLimit());
    FieldContext context;
    context.frame = frame;
    context.rate = document.rate();
    context.images = &query;
    context.surface = surface;
    context.hasUvs = surface && !surface->mesh().uvs().empty();
    context.query = &query;
    context.progress = &query.progress();
    const M44f world = document.worldMatrix(surfaceId, frame);
    if (std::abs(world.determinant()) > 1e-20f) context.objectFromWorld = world.inverse();
    V3f up;
    world.multDirMatrix(V3f(0, 1, 0), up);
    if (up.length() > 0.0f) context.objectUp = up.normalized();
    return context;
}

void Evaluator::storeBlocks(uint64_t key, std::shared_ptr<const void> value, std::vector<Block> blocks,
                            double milliseconds) {
    std::lock_guard lock(mutex_);
    if (entries_.count(key)) return;
    recent_.push_front(key);
    held_.add(blocks);
    entries_[key] = {std::move(value), std::move(blocks), milliseconds, recent_.begin()};
    while (held_.bytes() > limit_ && recent_.size() > 1) {  // what is in use elsewhere stays alive there
        const auto oldest = entries_.find(recent_.back());
        held_.remove(oldest->second.blocks);
        entries_.erase(oldest);
        recent_.pop_back();
    }
}

void Evaluator::forgetLast() {
    std::lock_guard lock(mutex_);
    for (const auto& [id, last] : lastGood_) held_.remove(blocksOf(last.geometry));
    lastGood_.clear();
    shownLife_.clear();
}

/// After a step failed, the cards that follow show what they last made, and so does the view.
void Evaluator::recallLast(const Node& layer, size_t failed, LayerResult& result) {
    std::lock_guard lock(mutex_);
    const auto last = lastGood_.find(layer.id);
    const LayerResult* known = last == lastGood_.end() ? nullptr : &last->second;
    for (size_t i = failed + 1; i < layer.steps.size(); ++i) {
        if (!layer.steps[i].in.empty()) continue;
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

LayerResult Evaluator::layer(const SceneContext& scene, const std::string& id, const EvalOptions& options,
                             Progress& progress) {
    const Document& document = scene.document;
    Query query(*this, scene, options, progress);
    LayerResult result = layer(document.get(id), query);
    result.made = elementCount(result.geometry);
    const Showing showing = showingOf(document, document.get(id), options);
    if (showing.all() || !elementsOf(result.geometry)) return result;
    Hasher h;
    h.add(std::string_view("shown")).add(result.hash);
    addToHash(h, showing);
    result.hash = h.value();
    if (const auto known = lookUp<Geometry>(result.hash)) {
        result.geometry = *known;
        return result;
    }
    result.geometry = shownOf(result.geometry, showing);
    storeGeometry(result.hash, std::make_shared<const Geometry>(result.geometry));
    return result;
}

/// Roughly how many elements are made of each that Full makes.
static double partOfFull(const Node& recipe, bool draft, double share) {
    for (const Step& s : recipe.steps) {
        const StepType* type = s.on ? findStepType(s.type) : nullptr;
        const double part = draft && type && type->draftPart ? type->draftPart(s.params) : 0.0;
        if (part > 0.0) return part;
    }
    return share;
}

LayerResult Evaluator::layer(const Node& layer, Query& query) {
    LayerResult result;
    result.share = query.share();
    const Query::CycleGuard guard(query, layer.id);
    const NodePtr whole = recipeOf(query.document(), layer);
    const Node& recipe = *whole;
    result.part = partOfFull(recipe, query.draft(), result.share);
    const double frame = shownFrame(query.document(), layer, query.options().frame);
    if (frame == query.options().frame) {
        result.ok = RecipeRun(*this, recipe, result, query).all();
    } else {
        Query then = query.at(frame);
        result.ok = RecipeRun(*this, recipe, result, then).all();
    }
    if (result.ok) {
        std::lock_guard lock(mutex_);
        LayerResult& last = lastGood_[layer.id];
        held_.remove(blocksOf(last.geometry));
        last = result;
        held_.add(blocksOf(last.geometry));
    } else if (query.options().purpose == Purpose::Render) {
        result.geometry = {};  // a picture never shows what the recipe no longer makes
    }
    return result;
}

}  // namespace ovrix::eval
