#include "app/session/eval_worker.h"
#include "geo/surface/surface.h"

namespace ovrix::app {

using Clock = std::chrono::steady_clock;

EvalWorker::EvalWorker(Evaluator& evaluator, Publish publish)
    : evaluator_(evaluator),
      publish_(std::move(publish)),
      looks_(evaluator),
      lights_(evaluator, groups_),
      jobs_([this](const std::exception& e) { publishProblem(e, nullptr); }) {}

void EvalWorker::request(Request request) {
    const auto work = [this, r = std::move(request)](Progress& progress) {
        try {
            publish_(last_ = evaluate(r, progress));
            // Forms first, then what they wear; while it plays, that waits.
            if (!r.playing)
                if (const auto snapshot = dressed(*last_, r, progress)) publish_(last_ = snapshot);
        } catch (const Cancelled&) {
        } catch (const std::exception& e) {  // a scene without its settings, say
            publishProblem(e, &r);
        }
    };
    jobs_.postNewest(work, JobThread::Forerunner::CancelIfLong);
}

/// What was last made stays in view; the check says why nothing newer is.
void EvalWorker::publishProblem(const std::exception& problem, const Request* request) {
    auto snapshot = std::make_shared<EvalSnapshot>(last_ ? *last_ : EvalSnapshot());
    if (request) snapshot->document = request->scene.document, snapshot->opened = request->opened;
    snapshot->checks.assign(1, {Severity::Error, problemOf(problem), {}, {}, {}, {}});
    publish_(snapshot);
}

/// What the view needs of a layer that makes strands or a mesh; kept from the last time when it is the same.
void EvalWorker::addDrawn(EvalSnapshot& snapshot, const std::string& layer) const {
    const LayerResult& result = snapshot.layers[layer];
    const auto lines = [&](auto EvalSnapshot::*all, const StrandSet& strands, uint64_t hash) {
        if (last_)
            if (const auto known = ((*last_).*all).find(layer);
                known != ((*last_).*all).end() && known->second.hash == hash) {
                (snapshot.*all)[layer] = known->second;
                return;
            }
        (snapshot.*all)[layer] = {std::make_shared<const PackedStrands>(packedStrands(strands)), hash};
    };
    if (const auto* strands = std::get_if<StrandsPtr>(&result.geometry))
        lines(&EvalSnapshot::strands, **strands, result.hash);
    if (result.guides) lines(&EvalSnapshot::guides, *result.guides, result.guidesHash);
    if (const auto* mesh = std::get_if<MeshPtr>(&result.geometry)) {
        ObjectResult object;
        object.mesh = *mesh;
        object.hash = result.hash;
        snapshot.layerMeshes[layer] = {*mesh, evaluator_.coarse(object), M44f(), result.hash, {}};
    }
}

/// Checks, and what lies on the disk: while it plays, twice a second is enough.
void EvalWorker::inspect(EvalSnapshot& snapshot, const Request& r, Progress& progress) {
    const Document& document = r.scene.document;
    const bool same = last_ && last_->document.nodes() == document.nodes();
    if (r.playing && same && Clock::now() - inspected_ < std::chrono::milliseconds(500)) {
        snapshot.checks = last_->checks;
        snapshot.simulations = last_->simulations;
        return;
    }
    for (const NodePtr& layer : document.nodes(Category::Layer)) {
        const double share = snapshot.layers[layer->id].share;
        if (auto status = simulationStatus(evaluator_, r.scene, *layer, share, !r.full))
            snapshot.simulations[layer->id] = std::move(*status);
    }
    snapshot.checks = findChecks(r.scene, snapshot.layers, evaluator_, r.frame, progress);
    inspected_ = Clock::now();
}

/// What the layer lies on was made for it: this finds it again, and the tree for rays at it.
void EvalWorker::aim(EvalSnapshot& snapshot, const Request& r, Progress& progress) const {
    const Node* layer = r.aimedFrom.empty() ? nullptr : r.scene.document.find(r.aimedFrom);
    if (!layer || layer->category() != Category::Layer) return;
    snapshot.aimedFrom = layer->id;
    const auto id = r.scene.document.value(layer->id, kLayer.surface, r.frame);
    if (id.empty()) return;
    try {
        snapshot.aimedAt = evaluator_.surface(r.scene, id, {r.frame, Purpose::Viewport, r.full}, progress);
        snapshot.aimedAt->prepareRays();
    } catch (const Error&) {  // the layer's card says it
    }
}

MeshPtr EvalSnapshot::meshOf(const std::string& id) const {
    for (const auto* views : {&objects, &layerMeshes})
        if (const auto it = views->find(id); it != views->end()) return it->second.mesh;
    return nullptr;
}

/// Which edges are drawn of a mesh with materials in its slots; the first of them says it.
static DrawnEdges edgesOf(const document::DrawnLook& look, const std::vector<std::string>& materials) {
    DrawnEdges which{.crease = look.crease, .open = look.objects || look.jump > 0.0f};
    if (!look.materials) return which;
    std::map<std::string, int32_t> numbers;
    for (const std::string& id : materials)
        which.kinds.push_back(numbers.try_emplace(id, int32_t(numbers.size())).first->second);
    if (numbers.size() < 2) which.kinds.clear();
    return which;
}

/// The edges of what wears materials that draw them; kept from the last time. Of what would take too much
/// there are none.
/// @param materials  of its slots  @param wearer  an object or a layer
void EvalWorker::addEdges(EvalSnapshot& snapshot, const std::vector<std::string>& materials,
                          const std::string& owner, const std::string& wearer, Progress& progress) const {
    constexpr double kBytesOfTriangle = 64;  // while they are looked for
    const Document& document = snapshot.document;
    const Node* node = document.find(materials.front());
    const NodeType* type = node ? findNodeType(node->type) : nullptr;
    const MeshPtr mesh = snapshot.meshOf(owner);
    if (!type || !type->look || !mesh) return;
    const document::DrawnLook look = type->look(document, *node, snapshot.frame);
    if (!(look.width > 0.0f)) return;
    const DrawnEdges which = edgesOf(look, materials);
    if (!which.any()) return;
    if (kBytesOfTriangle * double(mesh->triangles().size()) > double(document.memoryLimit())) return;
    EdgeLines& lines = snapshot.edges[{owner, wearer}];
    if (last_)
        if (const auto known = last_->edges.find({owner, wearer});
            known != last_->edges.end() && known->second.of == mesh && known->second.which == which) {
            lines = known->second;
            return;
        }
    lines = {mesh, which, std::make_shared<const DrawnLines>(drawnEdges(*mesh, which, progress))};
}

/// What everything wears now.
void EvalWorker::dress(EvalSnapshot& snapshot, const Request& r, Progress& progress) {
    const Document& document = r.scene.document;
    Evaluator::Query query(evaluator_, r.scene, {r.frame, Purpose::Viewport, r.full}, progress);
    snapshot.worn.clear(), snapshot.edges.clear();
    for (const auto& [id, object] : snapshot.objects) {
        const Node& node = document.get(id);
        if (node.shown) snapshot.worn[id] = looks_.ofObject(query, node, object.mesh);
        addEdges(snapshot, materialsOf(document, node, r.frame), id, id, progress);
    }
    for (const auto& [id, layer] : snapshot.layers) {
        const Node& node = document.get(id);
        if (!node.shown) continue;
        if (const auto* strands = std::get_if<StrandsPtr>(&layer.geometry))
            snapshot.worn[id] = looks_.ofStrands(query, node, *strands, *snapshot.strands.at(id).packed);
        const std::string material = document.value(id, kLayer.material, r.frame);
        addEdges(snapshot, {material}, id, id, progress);  // of a mesh that it makes
        const auto* copies = std::get_if<std::shared_ptr<const Copies>>(&layer.geometry);
        if (!copies) continue;
        for (size_t k = 0; k < (*copies)->prototypes.size(); ++k) {
            snapshot.worn[deliver::wornKey(id, k)] = looks_.ofCopies(query, node, *copies, int32_t(k));
            addEdges(snapshot, {material}, (*copies)->prototypes[k], id, progress);
        }
    }
    looks_.dropUnused();
    std::vector<std::string> problems;  // the render says them
    snapshot.light = deliver::viewLightOf(lights_.make(r.scene, r.frame, problems));
}

/// The same with what everything wears now; null where it wears what it wore.
std::shared_ptr<const EvalSnapshot> EvalWorker::dressed(const EvalSnapshot& bare, const Request& r,
                                                        Progress& progress) {
    auto snapshot = std::make_shared<EvalSnapshot>(bare);
    dress(*snapshot, r, progress);
    const bool same = snapshot->light == bare.light && snapshot->edges == bare.edges &&
                      snapshot->worn.size() == bare.worn.size() &&
                      std::equal(snapshot->worn.begin(), snapshot->worn.end(), bare.worn.begin(),
                                 [](const auto& a, const auto& b) {
                                     return a.first == b.first && a.second.stamp == b.second.stamp;
                                 });
    return same ? nullptr : snapshot;
}

std::shared_ptr<const EvalSnapshot> EvalWorker::evaluate(const Request& r, Progress& progress) {
    const auto start = Clock::now();
    auto snapshot = std::make_shared<EvalSnapshot>();
    const Document& document = r.scene.document;
    snapshot->opened = r.opened;
    snapshot->document = document;
    snapshot->frame = r.frame;
    snapshot->full = r.full;
    if (last_ && last_->opened == r.opened) {
        snapshot->worn = last_->worn, snapshot->edges = last_->edges;
        snapshot->light = last_->light;
    }
    evaluator_.simulations().setLimit(size_t(document.sceneSetting(kScene.simMemory) * 1e9));
    // A scene that was just opened shows what is there at once, and the rest as it comes.
    const bool opening = !last_ || last_->opened != r.opened;
    // Drawing takes time from what is still to come, so it waits longer from time to time.
    auto shownAt = start;
    std::chrono::milliseconds wait{200};
    const auto showSoFar = [&] {
        if (!opening || Clock::now() - shownAt < wait) return;
        shownAt = Clock::now();
        wait *= 3;
        publish_(std::make_shared<const EvalSnapshot>(*snapshot));
    };
    const auto viewOf = [&](const Node& node, const ObjectResult& o) {
        return ObjectView{o.mesh, evaluator_.coarse(o), document.worldMatrix(node.id, r.frame), o.hash,
                          o.steps};
    };
    std::set<std::string> all;
    std::mutex one;
    for (const NodePtr& node : document.nodes()) all.insert(node->id);
    snapshot->objectErrors =
        evaluator_.makeObjects(r.scene, all, r.frame, progress, [&](const Node& node, const ObjectResult& o) {
            ObjectView view = viewOf(node, o);
            const std::lock_guard lock(one);
            snapshot->objects[node.id] = std::move(view);
            showSoFar();
        });
    const EvalOptions options{
        .frame = r.frame, .full = r.full, .painted = r.painted, .live = r.live, .patient = r.patient};
    evaluator_.layers(r.scene, all, options, progress, [&](const std::string& id, const LayerResult& made) {
        snapshot->layers[id] = made;
        addDrawn(*snapshot, id);
        showSoFar();
    });
    for (const auto& [id, layer] : snapshot->layers) {
        if (document.get(id).shown) snapshot->shown += elementCount(layer.geometry);
        snapshot->total += double(layer.made) / layer.part;
        snapshot->bytes += bytesOf(layer.geometry);
    }
    for (const auto& [id, o] : snapshot->objects) snapshot->bytes += o.mesh->bytes();
    if (!r.overlay.node.empty())
        snapshot->overlay =
            makeOverlay(r.scene, r.overlay, evaluator_, {r.frame, Purpose::Viewport, r.full}, progress);
    if (snapshot->overlay && snapshot->overlay->ground && !r.painted.empty())
        snapshot->overlay->ground->prepareRays();
    aim(*snapshot, r, progress);
    inspect(*snapshot, r, progress);
    snapshot->milliseconds = std::chrono::duration<double, std::milli>(Clock::now() - start).count();
    return snapshot;
}

}  // namespace ovrix::app
