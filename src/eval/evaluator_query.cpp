#include "eval/evaluator_query.h"

#include <fmt/format.h>

#include "base/error.h"
#include "base/file_sequence.h"
#include "base/hash.h"
#include "document/model/step_registry.h"
#include "eval/bake.h"
#include "eval/camera_options.h"
#include "eval/prototype.h"
#include "geo/points/curve_set.h"
#include "geo/points/merge.h"
#include "geo/strands/strands.h"
#include "geo/surface/surface.h"
#include "io/formats/elements_io.h"
#include "io/volume/vdb_grids.h"

namespace ovrix::eval {

Evaluator::Query::CycleGuard::CycleGuard(Query& query, const std::string& id) : query_(query) {
    auto& asking = query.asking_;
    const auto again = std::find(asking.begin(), asking.end(), id);
    if (again != asking.end()) {
        std::string path;
        for (auto it = again; it != asking.end(); ++it) path += query.document_.get(*it).name + " \u2192 ";
        const std::string name = query.document_.get(id).name;
        throw Error(fmt::format("{} depends on itself: {}{}", name, path, name), {},
                    "Take one of them out of what the other refers to");
    }
    asking.push_back(id);
}

double Evaluator::Query::share() const {
    const bool full = options_.full || options_.purpose == Purpose::Render;
    return full ? 1.0 : std::clamp(document_.sceneSetting(kScene.draft), 0.001, 1.0);
}

SceneQuery::Kind Evaluator::Query::kindOf(const std::string& id) {
    const Category category = document_.get(id).category();
    return category == Category::Layer   ? Kind::Layer
           : category == Category::Curve ? Kind::Curve
                                         : Kind::Object;
}

uint64_t Evaluator::Query::curveHash(const Node& curve) {
    Hasher h;
    h.add(std::string_view("curve"));
    addParamsToHash(h, specsOf(curve), curve.params, options_.frame, {{}, {}, document_.rate()});
    params::addToHash(h, document_.worldMatrix(curve.id, options_.frame));
    return h.value();
}

std::shared_ptr<const CurveSet> Evaluator::Query::curves(const std::string& id) {
    const Node& node = document_.get(id);
    if (node.category() != Category::Curve) throw Error("is no curve", node.name, "Choose a curve");
    const uint64_t key = curveHash(node);
    if (auto known = evaluator_.lookUp<CurveSet>(key)) return known;
    auto line = curveLine(document_, id, options_.frame);
    const size_t bytes = line.size() * 64;
    auto made = std::make_shared<const CurveSet>(std::vector<std::vector<V3f>>{std::move(line)});
    evaluator_.store<CurveSet>(key, made, bytes);
    return made;
}

uint64_t Evaluator::Query::meshHash(const std::string& object) {
    Hasher h;
    h.add(objectHash(*scene_, document_.get(object), options_.frame));
    params::addToHash(h, prototypeMatrix(document_, object, options_.frame));
    return h.value();
}

uint64_t Evaluator::Query::surfaceHash(const std::string& id) {
    if (id.empty()) return 0;
    const Node& node = document_.get(id);
    Hasher h;
    if (node.category() == Category::Layer) {
        h.add(std::string_view("copies as surface")).add(layerHash(id));
        return h.value();  // what the layer hashes names its prototypes, and hashes their meshes too
    }
    h.add(std::string_view("surface")).add(objectHash(*scene_, node, options_.frame));
    params::addToHash(h, document_.worldMatrix(id, options_.frame));
    return h.value();
}

M44f Evaluator::Query::projection(const std::string& id) {
    const auto options = cameraOf(document_, id, options_.frame);
    if (!options) throw Error("is no camera", id, "Choose a camera");
    return Camera(*options, pictureAspect(document_, options_.frame)).projection();
}

uint64_t Evaluator::Query::refHash(const ParamSpec& spec, const std::string& id) {
    const Node* node = document_.find(id);
    if (!node) return 0;
    if (node->category() == Category::Curve) return curveHash(*node);
    if (spec.type == ParamType::PrototypeMix) return node->category() == Category::Object ? meshHash(id) : 0;
    if (node->category() == Category::Object || node->category() == Category::Layer) return surfaceHash(id);
    if (node->category() == Category::Camera) {
        Hasher h;
        params::addToHash(h, projection(id));
        return h.value();
    }
    if (node->category() != Category::Material) return 0;
    const CycleGuard guard(*this, id);
    return paramsHash(specsOf(*node), node->params);
}

uint64_t Evaluator::Query::paramsHash(std::span<const ParamSpec> specs, const ParamMap& params) {
    Hasher h;
    addParamsToHash(h, specs, params, options_.frame,
                    {[this](const std::string& path) {  // of a sequence each frame shows another file
                         const uint64_t stamp = scene_->stampOf(path);
                         return isSequence(path) ? Hasher().add(stamp).add(options_.frame).value() : stamp;
                     },
                     [this](const ParamSpec& spec, const std::string& id) { return refHash(spec, id); },
                     document_.rate()});
    return h.value();
}

uint64_t Evaluator::Query::stepHash(uint64_t before, const StepType& type, const Step& step) {
    Hasher h;
    h.add(before).add(std::string_view(type.id)).add(paramsHash(type.params, step.params));
    if (type.followsDraft && type.followsDraft(step.params)) h.add(uint64_t(draft()));
    return h.value();
}

uint64_t Evaluator::Query::stepHash(uint64_t before, const Node& recipe, size_t index) {
    const Step& step = recipe.steps[index];
    const StepType& type = *findStepType(step.type);
    const uint64_t own = stepHash(before, type, step);
    if (!type.solver && !type.overTime) return own;
    Hasher h;
    h.add(own).add(simulationKeyOf(*scene_, recipe, index, 1.0, false, progress_)).add(options_.frame);
    if (options_.live && type.solver) h.add(options_.live).add(evaluator_.liveSteps_.load());
    // A fresh bake gives the same; another one may be made anew.
    if (type.solver && bakeUseOf(step) == "always")
        if (const BakeUse use = bakeUse(*scene_, recipe, index); use.used() && !use.fresh)
            h.add(use.bake.life).add(uint64_t(use.bake.frames.count(int(std::floor(options_.frame)))));
    return h.value();
}

Evaluator::Query Evaluator::Query::at(double frame) const {
    EvalOptions then = options_;
    then.frame = frame;
    then.traces = false;  // only for the recipe that asked: what others make must be whole
    Query out(evaluator_, scene_, then, progress_);
    out.asking_ = asking_;
    return out;
}

Evaluator::Query Evaluator::Query::tracesAt(double frame) const {
    Query out = at(frame);
    out.options_.traces = true;
    return out;
}

uint64_t Evaluator::Query::layerHash(const std::string& id) {
    if (const auto known = layerHashes_.find(id); known != layerHashes_.end()) return known->second;
    if (const double shown = shownFrame(document_, document_.get(id), options_.frame);
        shown != options_.frame) {
        // The same layer without a time of its own, at that frame.
        const CycleGuard guard(*this, id);
        Query then = at(shown);
        then.asking_.pop_back();
        return layerHashes_[id] = then.ownHash(id);
    }
    return layerHashes_[id] = ownHash(id);
}

uint64_t Evaluator::Query::ownHash(const std::string& id) {
    const CycleGuard guard(*this, id);
    const auto on = document_.value(id, kLayer.surface, options_.frame);
    uint64_t hash = Hasher().add(surfaceHash(on)).add(share()).value();
    if (const double rest = document_.value(id, kLayer.rest, options_.frame);
        !on.empty() && rest != options_.frame) {
        EvalOptions atRest = options_;
        atRest.frame = rest;
        hash = Hasher().add(hash).add(Query(evaluator_, scene_, atRest, progress_).surfaceHash(on)).value();
    }
    const NodePtr whole = recipeOf(document_, document_.get(id));
    const Node& recipe = *whole;
    for (size_t i = 0; i < recipe.steps.size(); ++i)
        if (findStepType(recipe.steps[i].type) && recipe.steps[i].on && recipe.steps[i].in.empty())
            hash = stepHash(hash, recipe, i);
    return hash;
}

SceneQuery::Placed Evaluator::Query::placed(const std::string& id) {
    const Node& node = document_.get(id);
    if (node.category() != Category::Object) return {surface(id), M44f()};
    const uint64_t key =
        Hasher().add(std::string_view("placed")).add(objectHash(*scene_, node, options_.frame)).value();
    const SurfacePtr shape = evaluator_.once<Surface>(key, progress_, [&] {
        auto made =
            std::make_shared<const Surface>(evaluator_.object(*scene_, id, options_.frame, progress_).mesh);
        return std::pair(made, made->bytes());
    });
    return {shape, document_.worldMatrix(id, options_.frame)};
}

Geometry Evaluator::Query::elements(const std::string& id) {
    Query whole = at(options_.frame);
    const LayerResult result = evaluator_.layer(document_.get(id), whole);
    for (const StepReport& r : result.steps)
        if (!r.error.empty()) throw Error(r.error, document_.get(id).name, r.remedy);
    return result.geometry;
}

MeshPtr Evaluator::Query::mesh(const std::string& id) {
    const uint64_t key = Hasher().add(std::string_view("prototype")).add(meshHash(id)).value();
    const M44f matrix = prototypeMatrix(document_, id, options_.frame);
    if (matrix == M44f()) return evaluator_.object(*scene_, id, options_.frame, progress_).mesh;
    return evaluator_.once<Mesh>(key, progress_, [&] {
        const MeshPtr made =
            transformed(*evaluator_.object(*scene_, id, options_.frame, progress_).mesh, matrix);
        return std::pair(made, made->bytes());
    });
}

std::shared_ptr<const PointSet> Evaluator::Query::points(const std::string& file) {
    const uint64_t key = Hasher().add(std::string_view("points")).add(scene_->stampOf(file)).value();
    return evaluator_.once<PointSet>(key, progress_, [&] {
        auto made = std::make_shared<const PointSet>(readPoints(scene_->resolve(file)));
        return std::pair(made, made->attributes.bytes());
    });
}

std::shared_ptr<const StrandSet> Evaluator::Query::strandFile(const std::string& file) {
    const uint64_t key = Hasher().add(std::string_view("strands")).add(scene_->stampOf(file)).value();
    return evaluator_.once<StrandSet>(key, progress_, [&] {
        auto made = std::make_shared<const StrandSet>(readStrands(scene_->resolve(file)));
        return std::pair(made, bytesOf(Geometry(made)));
    });
}

std::set<int> Evaluator::Query::framesOf(const std::string& pattern) {
    return ovrix::base::framesOf(scene_->resolve(pattern));
}

VectorGridPtr Evaluator::Query::vectors(const std::string& file, const std::string& grid) {
    const uint64_t key = Hasher()
                             .add(std::string_view("vectors"))
                             .add(scene_->stampOf(file))
                             .add(std::string_view(grid))
                             .value();
    return evaluator_.once<VectorGrid>(key, progress_, [&] {
        auto made = std::make_shared<const VectorGrid>(
            readVectorGrid(scene_->resolve(file), grid, document_.memoryLimit(), progress_));
        return std::pair(made, made->values.size() * sizeof(V3f));
    });
}

std::shared_ptr<const StrandSet> Evaluator::Query::strands(const std::string& id) {
    const StrandsPtr own = evaluator_.object(*scene_, id, options_.frame, progress_).strands;
    const M44f matrix = prototypeMatrix(document_, id, options_.frame);
    return own && matrix != M44f() ? transformed(*own, matrix) : own;
}

std::vector<MeshPtr> Evaluator::Query::prototypes(const Copies& copies) {
    std::vector<MeshPtr> meshes;
    for (const std::string& id : copies.prototypes) meshes.push_back(document_.find(id) ? mesh(id) : nullptr);
    return meshes;
}

SurfacePtr Evaluator::Query::surface(const std::string& id) {
    const Node& node = document_.get(id);
    if (node.category() != Category::Object && node.category() != Category::Layer)
        throw Error("is no surface", node.name, "Choose an object, or a layer");
    return evaluator_.once<Surface>(surfaceHash(id), progress_, [&] {
        size_t own = 0;
        const MeshPtr mesh = node.category() == Category::Layer ? meshOfLayer(id, own) : meshInWorld(id, own);
        const auto made = std::make_shared<const Surface>(mesh);
        return std::pair(made, made->bytes() + own);
    });
}

/// What a layer makes as one mesh: its copies, its strands as tubes, or the mesh itself; @p own  the bytes
/// that it takes
MeshPtr Evaluator::Query::meshOfLayer(const std::string& layer, size_t& own) {
    constexpr int kSides = 8;
    constexpr float kWidth = 0.001f;  // of strands without widths
    const Geometry geometry = elements(layer);
    if (const auto* mesh = std::get_if<MeshPtr>(&geometry)) return *mesh;
    if (const auto* strands = std::get_if<StrandsPtr>(&geometry)) {
        const double corners = double((*strands)->pointCount()) * kSides;
        if (corners > 5e8)
            throw Error("has too many strands to be one shape", document_.get(layer).name,
                        "Show a part of them, or give them fewer points");
        requireMemory(corners * 90.0, document_.memoryLimit(), double((*strands)->size()));
        const MeshPtr tubes = tubesOf(**strands, kSides, kWidth);
        own = tubes->bytes();
        return tubes;
    }
    const auto* copies = std::get_if<std::shared_ptr<const Copies>>(&geometry);
    if (!copies)
        throw Error("makes no copies to lie on", document_.get(layer).name, "End its recipe with Copies of");
    const std::vector<MeshPtr> meshes = prototypes(**copies);
    requireMemory(2.5 * mergedBytes(**copies, meshes), document_.memoryLimit(), double((*copies)->size()));
    MeshPtr mesh = mergedCopies(**copies, meshes);
    own = mesh->bytes();
    return mesh;
}

MeshPtr Evaluator::Query::meshInWorld(const std::string& object, size_t& own) {
    MeshPtr shape = evaluator_.object(*scene_, object, options_.frame, progress_).mesh;
    const M44f world = document_.worldMatrix(object, options_.frame);
    if (world == M44f()) return shape;
    MeshPtr mesh = transformed(*shape, world);
    own = mesh->bytes();
    return mesh;
}

}  // namespace ovrix::eval
