// What things wear in a render, and what that makes of their meshes.
#include "base/error.h"
#include "base/hash.h"
#include "deliver/picture_setup.h"
#include "deliver/render_item.h"
#include "document/model/references.h"
#include "document/model/values.h"
#include "eval/evaluator_query.h"
#include "geo/surface/surface.h"

namespace ovrix::deliver {

/// The number of a material as something wears it; plain grey for none. Only where fields drive it, or are
/// passes, does it matter what that is.
uint32_t RenderSceneBuilder::wear(const Document& document, const std::string& material, const Wearer& by) {
    const Node* node = material.empty() ? nullptr : document.find(material);
    if (node && node->category() != Category::Material) node = nullptr;
    bool varying = !fieldPasses(document).empty();
    if (!node && !varying) return kPlain;
    if (node) {
        varying |= std::any_of(node->params.begin(), node->params.end(),
                               [](const auto& p) { return p.second.field != nullptr; });
        visitReferences(*node,
                        [&](const ParamSpec&, const std::string&) { varying = true; });  // so may others be
    }
    const Worn worn{node ? material : std::string(), varying ? by : Wearer()};
    for (size_t i = 0; i < worn_.size(); ++i)
        if (worn_[i].material == worn.material && worn_[i].by == worn.by) return kWorn + uint32_t(i);
    worn_.push_back(worn);
    return kWorn + uint32_t(worn_.size() - 1);
}

bool RenderSceneBuilder::isPlain(uint32_t material) const {
    return material < kWorn || worn_[material - kWorn].material.empty();
}

/// A material per slot: the slot's own, else the object's; the layer's stands above all, and that an object
/// is to block light alone above that.
std::vector<uint32_t> RenderSceneBuilder::slotMaterialsOf(const Document& document, const Node& object,
                                                          const Mesh& mesh, const std::string& layerMaterial,
                                                          const std::string& layer, double frame) {
    if (document.value(object.id, kObject.object.blocks, frame)) return {kBlocker};
    const Wearer by{Wearer::Object, object.id, layer};
    if (!layerMaterial.empty()) return {wear(document, layerMaterial, by)};
    const uint32_t own = wear(document, document.value(object.id, kObject.object.material, frame), by);
    std::vector<uint32_t> materials(std::max<size_t>(1, mesh.slotNames.size()), own);
    if (isPlain(own) && findSpec(specsOf(object), kObject.slots.id())) {
        const Refs slots = document.value(object.id, kObject.slots, frame);
        for (size_t i = 0; i < std::min(materials.size(), slots.size()); ++i)
            if (!slots[i].empty()) materials[i] = wear(document, slots[i], by);
    }
    return materials;
}

/// What a material's fields see: the wearer's own surface, in its own space, and all of the scene.
FieldContext RenderSceneBuilder::contextOf(const Worn& worn, Evaluator::Query& query) {
    const double frame = query.options().frame;
    const auto on = [&](const std::string& surface, const SurfacePtr& shape, const std::string& layer) {
        FieldContext context = evaluator_.fieldContext(surface, frame, shape, query);
        const auto carried = elements_.find(layer);
        if (carried != elements_.end()) context.elements = &carried->second;
        return context;
    };
    if (worn.by.kind == Wearer::Object) return on(worn.by.id, query.placed(worn.by.id).shape, worn.by.layer);
    if (worn.by.kind == Wearer::Layer) {
        const auto under = query.document().value(worn.by.id, kLayer.surface, frame);
        return on(under, under.empty() ? nullptr : query.surface(under), worn.by.id);
    }
    return on({}, nullptr, {});
}

std::vector<SurfaceMaterial> RenderSceneBuilder::makeMaterials(const SceneContext& scene, const JobOptions& o,
                                                               RenderJob& job, Progress& progress) {
    const Document& document = scene.document;
    const EvalOptions eval{o.frame, o.draft ? Purpose::Viewport : Purpose::Render, !o.draft};
    Evaluator::Query query(evaluator_, scene, eval, progress);
    SurfaceMaterial blocker;
    blocker.blocker = true;
    std::vector<SurfaceMaterial> materials;
    materials.push_back({});
    materials.push_back(std::move(blocker));
    for (const Worn& worn : worn_) {
        const Node* node = document.find(worn.material);
        FieldContext context;
        context.frame = o.frame, context.rate = document.rate();
        try {
            context = contextOf(worn, query);
            context.hasUvs = true;  // checks say where there are none
        } catch (const Error& e) {
            if (node) job.problems.push_back(node->name + ": " + e.what());
        }
        SurfaceMaterial m =
            node ? materials_.make(document, *node, context, job.problems) : SurfaceMaterial();
        MaterialMaker::addPasses(document, context, m, job.problems);
        m.onWearer = worn.by.kind == Wearer::Object;
        m.white = 1.0f / std::exp2(job.finish.exposure);
        materials.push_back(std::move(m));
    }
    return materials;
}

/// Meshes whose materials displace them, in place of those that were.
void RenderSceneBuilder::displace(const SceneContext& scene, const JobOptions& o,
                                  const std::vector<SurfaceMaterial>& materials, std::vector<Item>& items,
                                  RenderJob& job, Progress& progress) {
    const Document& document = scene.document;
    const EvalOptions eval{o.frame, o.draft ? Purpose::Viewport : Purpose::Render, !o.draft};
    Evaluator::Query query(evaluator_, scene, eval, progress);
    displacements_.begin();
    for (Item& item : items) {
        if (!item.mesh) continue;
        DisplacementInput in{.mesh = item.mesh, .moves = item.meshMoves, .matrix = item.matrix};
        for (const uint32_t m : item.materials) in.materials.push_back(&materials[m]);
        if (!isDisplaced(in)) continue;
        in.memoryLimit = document.memoryLimit();
        in.name = document.nodes()[(item.object ? item.object : item.layer) - 1]->name;
        Hasher key;
        addToHash(key, item.matrix);
        try {
            for (const uint32_t m : item.materials) {
                if (isPlain(m)) continue;
                const Node& node = document.get(worn_[m - kWorn].material);
                key.add(query.paramsHash(specsOf(node), node.params));
            }
            const Displaced& made = displacements_.of(in, key.value(), progress);
            item.mesh = made.mesh, item.meshMoves = made.moves, item.finer = made.finer;
            item.hash = Hasher().add(item.hash).add(made.stamp).value();
        } catch (const Error& e) {
            job.problems.push_back(problemOf(e));
        }
    }
    displacements_.end();
}

}  // namespace ovrix::deliver
