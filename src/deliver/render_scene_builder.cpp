#include "deliver/render_scene_builder.h"

#include <fmt/format.h>

#include <set>

#include "base/error.h"
#include "base/hash.h"
#include "deliver/picture_setup.h"
#include "deliver/render_item.h"
#include "deliver/shutter.h"
#include "document/edits/import_nodes.h"
#include "document/model/references.h"
#include "document/model/values.h"
#include "eval/evaluator_query.h"
#include "eval/prototype.h"
#include "geo/surface/surface.h"
#include "render/light/sky.h"

namespace ovrix::deliver {

/// Seconds over which motion is looked at.
static double openSeconds(const Document& document, double frame) {
    return motionFrames(document, frame) / document.rate();
}

/// Strands are drawn no thinner than this fraction of a pixel of the picture that is made, and bends of less
/// than a tenth of one are left out.
ThinLimit RenderSceneBuilder::thinLimit(const Document& document, const JobOptions& o) const {
    const auto number = [&](const auto& handle) { return document.renderSetting(handle, o.frame); };
    const double fraction = number(kRender.thinStrands);
    const auto chosen =
        o.camera.empty() ? sceneCamera(document, o.frame) : cameraOf(document, o.camera, o.frame);
    if (!o.view && !chosen) return {};
    const CameraOptions options = o.view ? *o.view : *chosen;
    const int width = o.width > 0 ? o.width : int(number(kRender.width)),
              height = o.height > 0 ? o.height : int(number(kRender.height));
    const Camera camera(options, float(width) / float(std::max(1, height)));
    const float pixel = 2.0f * camera.halfHeight() / float(std::max(1, height));
    const ThinLimit limit{camera.position(), float(fraction) * pixel, 0.1f * pixel};
    // While the artist turns the view, strands as they were are right to a fifth of their least width.
    const float moved = (limit.eye - limit_.eye).length(),
                near = (options.target - options.position).length();
    const bool still = o.view && limit_.detail > 0 && moved < 0.2f * near &&
                       (limit.perMetre > 0) == (limit_.perMetre > 0) &&
                       std::abs(limit.perMetre - limit_.perMetre) <= 0.2f * limit_.perMetre &&
                       std::abs(limit.detail - limit_.detail) < 0.2f * limit_.detail;
    return still ? limit_ : limit;
}

/// What a layer makes at the shutter's earlier times, where it is another than at its last.
void RenderSceneBuilder::addMoves(const SceneContext& scene, const Node& node, const JobOptions& o,
                                  const LayerResult& last, Item& whole, Progress& progress) {
    const Document& document = scene.document;
    const std::vector<double> frames = shutterFrames(document, o.frame);
    if (frames.size() < 2) return;
    bool moves = false;
    std::vector<Geometry> all;
    Hasher h;
    for (double frame : frames) {
        if (frame == o.frame) {
            all.push_back(last.geometry);
            continue;
        }
        const EvalOptions eval{frame, o.draft ? Purpose::Viewport : Purpose::Render, !o.draft, {}};
        const LayerResult result = evaluator_.layer(scene, node.id, eval, progress);
        if (!result.ok) return;
        moves = moves || result.hash != last.hash;
        h.add(result.hash);
        all.push_back(result.geometry);
    }
    if (!moves) return;
    whole.movesHash = h.value();
    for (const Geometry& g : all) {
        if (const auto* copies = std::get_if<std::shared_ptr<const Copies>>(&g))
            whole.moves.push_back(*copies);
        if (const auto* strands = std::get_if<StrandsPtr>(&g)) whole.strandMoves.push_back(*strands);
        if (const auto* points = std::get_if<std::shared_ptr<const PointSet>>(&g))
            whole.pointMoves.push_back(*points);
        if (const auto* mesh = std::get_if<MeshPtr>(&g)) whole.meshMoves.push_back(*mesh);
    }
}

/// An object's mesh at the shutter's earlier times, where it is another than at its last.
void RenderSceneBuilder::addShapes(const SceneContext& scene, const Node& object, const JobOptions& o,
                                   Item& item, Progress& progress) {
    const Document& document = scene.document;
    std::vector<MeshPtr> meshes;
    Hasher h;
    bool moves = false;
    for (double frame : shutterFrames(document, o.frame)) {
        const ObjectResult then = evaluator_.object(scene, object.id, frame, progress);
        moves = moves || then.mesh != item.mesh;
        h.add(then.hash);
        meshes.push_back(then.mesh);
    }
    if (!moves) return;
    item.meshMoves = std::move(meshes);
    item.movesHash = Hasher().add(item.movesHash).add(h.value()).value();
}

void RenderSceneBuilder::addLayer(const SceneContext& scene, const Node& node, const JobOptions& o,
                                  const LayerResult& result, RenderJob& job, std::vector<Item>& items,
                                  uint32_t layerId, Progress& progress) {
    const Document& document = scene.document;
    for (const StepReport& r : result.steps)
        if (!r.error.empty())
            job.problems.push_back(node.name + ": " + r.error + (r.remedy.empty() ? "" : ". " + r.remedy));
    if (!result.ok) return;
    const auto layerMaterial = document.value(node.id, kLayer.material, o.frame);
    Item whole;
    whole.layer = layerId, whole.hash = result.hash;
    if (const AttributeSet* elements = elementsOf(result.geometry)) elements_[node.id] = *elements;
    if (kindOf(result.geometry) != GeometryKind::Copies)
        whole.materials = {wear(document, layerMaterial, {Wearer::Layer, node.id})};
    if (const auto* strands = std::get_if<StrandsPtr>(&result.geometry)) {
        whole.strands = *strands;
        whole.limit = limit_;
        addMoves(scene, node, o, result, whole, progress);
        items.push_back(std::move(whole));
        return;
    }
    if (const auto* mesh = std::get_if<MeshPtr>(&result.geometry)) {
        whole.mesh = *mesh;
        addMoves(scene, node, o, result, whole, progress);
        items.push_back(std::move(whole));
        return;
    }
    if (const auto* points = std::get_if<std::shared_ptr<const PointSet>>(&result.geometry)) {
        whole.points = *points;
        addMoves(scene, node, o, result, whole, progress);
        items.push_back(std::move(whole));
        return;
    }
    const auto* copies = std::get_if<std::shared_ptr<const Copies>>(&result.geometry);
    if (!copies) return;
    addMoves(scene, node, o, result, whole, progress);
    for (size_t k = 0; k < (*copies)->prototypes.size(); ++k) {
        const Node* object = document.find((*copies)->prototypes[k]);
        if (!object) continue;
        const ObjectResult own = evaluator_.object(scene, object->id, o.frame, progress);
        Item item;
        item.mesh = own.mesh;
        item.materials = slotMaterialsOf(document, *object, *own.mesh, layerMaterial, node.id, o.frame);
        item.object = uint32_t(document.indexOf(object->id) + 1);
        item.layer = layerId;
        item.matrix = prototypeMatrix(document, object->id, o.frame);
        item.copies = *copies;
        item.prototype = int32_t(k);
        Hasher h;
        h.add(own.hash).add(result.hash).add(uint64_t(k));
        item.hash = h.value();
        item.strands = own.strands;
        item.moves = whole.moves, item.movesHash = whole.movesHash;
        if (!item.strands) addShapes(scene, *object, o, item, progress);
        items.push_back(std::move(item));
    }
}

RenderSceneBuilder::Item RenderSceneBuilder::objectItem(const SceneContext& scene, const Node& node,
                                                        const JobOptions& o, uint32_t id,
                                                        Progress& progress) {
    const Document& document = scene.document;
    const ObjectResult own = evaluator_.object(scene, node.id, o.frame, progress);
    Item item;
    item.mesh = own.mesh;
    item.materials = slotMaterialsOf(document, node, *own.mesh, {}, {}, o.frame);
    item.object = id;
    item.matrix = document.worldMatrix(node.id, o.frame);
    item.hash = own.hash;
    item.strands = own.strands;
    if (!own.strands) addShapes(scene, node, o, item, progress);
    for (double frame : shutterFrames(document, o.frame))
        item.matrices.push_back(document.worldMatrix(node.id, frame));
    if (std::all_of(item.matrices.begin(), item.matrices.end(),
                    [&](const M44f& m) { return m == item.matrices.back(); }))
        item.matrices.clear();
    return item;
}

std::vector<RenderSceneBuilder::Item> RenderSceneBuilder::collect(const SceneContext& scene,
                                                                  const JobOptions& o, RenderJob& job,
                                                                  Progress& progress) {
    const Document& document = scene.document;
    std::vector<Item> items;
    worn_.clear();
    elements_.clear();
    std::set<std::string> rendered;
    for (const NodePtr& node : document.nodes())
        if (node->rendered) rendered.insert(node->id);
    evaluator_.makeObjects(scene, withNeeds(document, rendered), o.frame, progress);
    const EvalOptions options{o.frame, o.draft ? Purpose::Viewport : Purpose::Render, !o.draft};
    const auto layers = evaluator_.layers(scene, rendered, options, progress);
    for (const NodePtr& node : document.nodes()) {
        const uint32_t id = uint32_t(document.indexOf(node->id) + 1);
        if (!node->rendered) continue;
        try {
            if (node->category() == Category::Object) {
                job.objectNames[id] = node->name, job.nodeIds[id] = node->id;
                items.push_back(objectItem(scene, *node, o, id, progress));
            }
            if (node->category() == Category::Layer) {
                job.layerNames[id] = node->name, job.nodeIds[id] = node->id;
                addLayer(scene, *node, o, layers.at(node->id), job, items, id, progress);
            }
        } catch (const Error& e) {
            job.problems.push_back(e.what());
        }
    }
    return items;
}

/// Measured: what the ray tracer takes for one instance, with its part of the tree.
void RenderSceneBuilder::requireInstanceMemory(const Document& document, const std::vector<Item>& items) {
    double instances = 0;
    std::set<const Copies*> counted;
    for (const Item& p : items)
        if (!p.copies)
            ++instances;
        else if (counted.insert(p.copies.get()).second)
            instances += double(p.copies->size());
    double points = 0;
    double clouds = 0;
    for (const Item& p : items) {
        if (p.strands) points += double(p.strands->pointCount());
        if (p.points) clouds += double(p.points->size()) * (p.pointMoves.empty() ? 1.0 : 1.5);
    }
    // The same of strands: buffers, and the tree over their segments; of clouds: their order in the picture,
    // how deep they lie in the light of some lamps, and what fields make of each.
    requireMemory(420.0 * instances + 170.0 * points + 48.0 * clouds, document.memoryLimit(),
                  instances + points + clouds);
}

/// What the job's scene is built from: equal as long as it may stay.
uint64_t RenderSceneBuilder::hashOf(const Document& document, const std::vector<Item>& items,
                                    double frame) const {
    Hasher h;
    h.add(openSeconds(document, frame)).add(double(document.renderSetting(kRender.shutterSteps, frame)));
    h.add(uint64_t(worn_.size()));
    for (const Item& p : items) {
        h.add(p.hash).add(uint64_t(p.object)).add(uint64_t(p.layer));
        for (uint32_t m : p.materials) h.add(uint64_t(m));
        addToHash(h, p.matrix);
        for (const M44f& m : p.matrices) addToHash(h, m);
        h.add(p.movesHash);
        for (int k = 0; k < 3; ++k) h.add(double(p.limit.eye[k]));
        h.add(double(p.limit.perMetre)).add(double(p.limit.detail));
    }
    return h.value();
}

/// Shapes and elements that several items share, by where the scene has them.
struct RenderSceneBuilder::Shared {
    std::map<const StrandSet*, uint32_t> tufts;
    std::map<const Copies*, uint32_t> elements;
};

uint32_t RenderSceneBuilder::addShape(const Item& p, Shared& shared) {
    if (!p.strands) return scene_->addMesh(p.mesh, p.meshMoves, p.finer);
    const auto known = shared.tufts.find(p.strands.get());
    if (known != shared.tufts.end()) return known->second;
    const uint32_t shape = scene_->addStrands(p.strands, p.limit, p.strandMoves);
    if (p.limit == ThinLimit()) shared.tufts[p.strands.get()] = shape;
    return shape;
}

void RenderSceneBuilder::addItem(const Item& p, double shutter, Shared& shared, Progress& progress) {
    if (p.points)
        return scene_->addCloud(p.points->attributes, motionOf(*p.points, p.pointMoves, shutter), p.object,
                                p.layer, p.materials.front());
    const uint32_t shape = addShape(p, shared), materials = scene_->addMaterialSlots(p.materials);
    if (p.copies) return addCopies(p, shape, materials, shutter, shared, progress);
    const bool ofLayer = p.strands && p.layer;
    const uint64_t element = ofLayer ? RenderScene::kOwnElement : 0;
    const uint32_t own = ofLayer ? scene_->addElements(p.strands->strands) : RenderScene::kNoElements;
    scene_->addInstance({.mesh = shape,
                         .materials = materials,
                         .object = p.object,
                         .layer = p.layer,
                         .element = element,
                         .elements = own},
                        p.matrices.empty() ? std::vector<M44f>{p.matrix} : p.matrices);
}

void RenderSceneBuilder::addCopies(const Item& p, uint32_t shape, uint32_t materials, double shutter,
                                   Shared& shared, Progress& progress) {
    const AttributeSet& a = p.copies->attributes;
    const auto [carried, fresh] = shared.elements.try_emplace(p.copies.get());
    if (fresh) carried->second = scene_->addElements(a);
    const ElementPlaces places(a);
    const auto prototype = a.find<int32_t>("prototype");
    const auto id = a.find<uint64_t>("id");
    std::vector<uint32_t> mine;
    std::vector<RenderScene::Instance> instances;
    for (size_t i = 0; i < prototype.size(); ++i)
        if (prototype[i] == p.prototype) {
            mine.push_back(uint32_t(i));
            instances.push_back({.mesh = shape,
                                 .materials = materials,
                                 .object = p.object,
                                 .layer = p.layer,
                                 .element = id[i],
                                 .elements = carried->second,
                                 .row = uint32_t(i)});
        }
    const MovingPlaces moving(*p.copies, p.moves, shutter / double(std::max<size_t>(1, p.moves.size() - 1)));
    scene_->addInstances(
        instances, moving.steps(),
        [&](size_t i, size_t step) { return p.matrix * moving.matrix(mine[i], step); },
        {places.tint.empty() ? std::function<V3f(size_t)>() : [&](size_t i) { return places.tint[mine[i]]; },
         places.color.empty() ? std::function<Color(size_t)>()
                              : [&](size_t i) { return places.color[mine[i]]; }},
        progress);
}

/// On the element that the camera keeps sharp: the layer is made by now. A draft has not every one, and says
/// nothing of that.
void RenderSceneBuilder::focus(const SceneContext& scene, const JobOptions& o, RenderJob& job,
                               Progress& progress) {
    const Document& document = scene.document;
    const std::string camera = o.camera.empty() ? document.renderSetting(kRender.camera, o.frame) : o.camera;
    const std::string layer = focusedLayer(document, camera, o.frame);
    if (layer.empty()) return;
    try {
        const EvalOptions eval{o.frame, o.draft ? Purpose::Viewport : Purpose::Render, !o.draft};
        const LayerResult result = evaluator_.layer(scene, layer, eval, progress);
        for (CameraOptions& c : job.cameras) focusOnElement(document, camera, o.frame, result.geometry, c);
    } catch (const Error& e) {
        if (!o.draft) job.problems.push_back(e.what());
    }
}

RenderJob RenderSceneBuilder::build(const SceneContext& scene, const JobOptions& o, Progress& progress) {
    const Document& document = scene.document;
    RenderJob job;
    evaluator_.images().setLimit(document.memoryLimit());
    setPicture(document, o, job);
    job.finish = finishOptions(scene, o.frame, job.finish.exposure, job.problems);
    setSurroundings(scene, o, evaluator_.images(), job);
    limit_ = thinLimit(document, o);
    std::vector<Item> items = collect(scene, o, job, progress);
    focus(scene, o, job, progress);
    requireInstanceMemory(document, items);
    groups_.clear();
    std::vector<Light> lights = lights_.make(scene, o.frame, job.problems);
    std::vector<SurfaceMaterial> materials = makeMaterials(scene, o, job, progress);
    job.materialNames[kPlain + 1] = "plain grey";
    for (uint32_t i = 0; i < worn_.size(); ++i)
        job.materialNames[kWorn + i + 1] =
            isPlain(kWorn + i) ? job.materialNames[kPlain + 1] : document.get(worn_[i].material).name;
    elements_.clear();  // the scene has those that it needs
    displace(scene, o, materials, items, job, progress);
    const uint64_t hash = hashOf(document, items, o.frame);
    const bool rebuild = !scene_ || hash != sceneHash_;
    if (rebuild) scene_ = std::make_shared<RenderScene>();
    scene_->fog = fogOf(document, o.frame);
    scene_->lights = std::move(lights);
    scene_->clearMaterials();
    for (SurfaceMaterial& m : materials) scene_->addMaterial(std::move(m));
    if (rebuild) {
        sceneHash_ = 0;
        Shared shared;
        for (const Item& p : items) {
            progress.check();
            addItem(p, openSeconds(document, o.frame), shared, progress);
        }
        scene_->commit(progress);
        sceneHash_ = hash;
    }
    for (const auto& [layer, problem] : scene_->wearClouds(progress, document.memoryLimit()))
        job.problems.push_back(job.layerNames[layer] + ": " + problem);
    // What glows is aimed at: its share of the tree over all lights.
    if (scene_->glows())
        requireMemory(200.0 * double(scene_->instanceCount()), document.memoryLimit(),
                      double(scene_->instanceCount()));
    job.scene = scene_;
    job.sceneHash = hash;
    job.layout = layoutOf(document, o.frame, job, scene_->hasFibres(), groups_.names());
    job.lights = std::make_shared<const SceneLights>(*scene_, progress);
    return job;
}

double bytesOfPicture(const Document& document, const FilmLayout& layout) {
    // The film, a copy of its last whole pass, the picture on the screen, and what is done to it.
    return 2 * layout.bytesOfPixel() + 8 + (layout.bins ? kFireflyBytes : 0.0) +
           (hasFinish(document) ? kFinishBytes : 0.0);
}

void requireFilmMemory(const Document& document, int width, int height, const FilmLayout& layout) {
    const double bytes = double(width) * height * bytesOfPicture(document, layout);
    if (bytes > double(document.memoryLimit()))
        throw Error(fmt::format("a picture of {} x {} takes {}, more than the limit of {}", width, height,
                                byteText(bytes), byteText(double(document.memoryLimit()))),
                    {},
                    "Make it smaller, raise the memory limit, or render it from the shell as EXR with "
                    "--pieces");
}

}  // namespace ovrix::deliver
