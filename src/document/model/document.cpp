#include "document/model/document.h"

#include <Imath/ImathMatrixAlgo.h>

#include <unistd.h>

#include <atomic>

#include "base/error.h"
#include "document/model/motion.h"
#include "document/model/step_registry.h"
#include "document/model/values.h"
#include "geo/points/curve_set.h"

namespace ovrix::document {

Category Node::category() const {
    const NodeType* t = findNodeType(type);
    return t ? t->category : Category::Object;
}

const Step* Node::step(const std::string& stepId) const {
    for (const Step& s : steps)
        if (s.id == stepId) return &s;
    return nullptr;
}

Document Document::fresh() {
    Document d;
    const auto add = [&](const char* type, const char* name) {
        Node n = makeNode(d, type, name);
        d.put(n);
        return n.id;
    };
    add("scene", "Scene");
    const std::string render = add("render", "Render");
    add("finish", "Finish");
    add("surroundings", "Surroundings");
    const std::string sun = add("sun", "Sun"), sky = add("sky", "Sky"), camera = add("camera", "Camera");
    Node settings = d.get(render);
    settings.params[kRender.camera.id()].value = camera;
    d.put(settings);
    Node air = d.get(sky);
    setValue(air, "sun", sun);
    d.put(air);
    return d;
}

std::vector<NodePtr> Document::nodes(Category category) const {
    std::vector<NodePtr> found;
    for (const NodePtr& n : nodes_)
        if (n->category() == category) found.push_back(n);
    return found;
}

const Node* Document::find(const std::string& id) const {
    const size_t index = indexOf(id);
    return index < nodes_.size() ? nodes_[index].get() : nullptr;
}

const Node& Document::get(const std::string& id) const {
    const Node* node = find(id);
    if (!node) throw Error("there is nothing with the id \"" + id + "\" in the scene");
    return *node;
}

std::vector<NodePtr> Document::layersOn(const std::string& objectId) const {
    std::vector<NodePtr> found;
    for (const NodePtr& n : nodes(Category::Layer))
        if (value(n->id, kLayer.surface) == objectId) found.push_back(n);
    return found;
}

const Node& recipeOwner(const Document& document, const Node& layer) {
    const Node* owner = &layer;
    for (size_t hops = 0; hops <= document.nodes().size(); ++hops) {
        const auto link = owner->params.find(kLayer.linked.id());
        const auto* id =
            link == owner->params.end() ? nullptr : std::get_if<std::string>(&link->second.value);
        const Node* next = id && !id->empty() ? document.find(*id) : nullptr;
        if (!next || next->category() != Category::Layer) return *owner;
        owner = next;
    }
    return layer;  // a circle
}

double shownFrame(const Document& document, const Node& layer, double frame) {
    if (layer.category() != Category::Layer || !document.value(layer.id, kLayer.warp, frame)) return frame;
    return document.value(layer.id, kLayer.warpAt, frame);
}

NodePtr recipeOf(const Document& document, const Node& layer) {
    const Node& owner = recipeOwner(document, layer);
    if (&owner == &layer) return NodePtr(NodePtr(), &layer);
    Node whole = layer;
    whole.steps = owner.steps;
    for (Step& step : whole.steps)
        if (const Step* own = layer.step(step.id); own && own->type == step.type)
            for (const auto& [id, param] : own->params) step.params[id] = param;
    return std::make_shared<const Node>(std::move(whole));
}

std::optional<GeometryKind> recipeBegins(const Node& node) {
    const NodeType* type = findNodeType(node.type);
    if (!type) return std::nullopt;
    if (type->category == Category::Layer) return GeometryKind::Nothing;
    if (type->category == Category::Object) return GeometryKind::Mesh;
    return type->finishes ? std::optional(GeometryKind::Picture) : std::nullopt;
}

GeometryKind kindMade(const Document& document, const Node& layer) {
    const Node& owner = recipeOwner(document, layer);
    for (auto step = owner.steps.rbegin(); step != owner.steps.rend(); ++step)
        if (const StepType* type = findStepType(step->type); type && step->on && step->in.empty())
            return type->gives;
    return GeometryKind::Nothing;
}

std::optional<size_t> combIndex(const std::vector<Step>& steps) {
    std::optional<size_t> first, before;
    for (size_t i = 0; i < steps.size(); ++i) {
        const StepType* type = findStepType(steps[i].type);
        if (!type || !steps[i].on) continue;
        if (type->byHand == ByHand::Strands) return i;
        if (type->fills) return before ? before : first;
        if (type->gives == GeometryKind::Strands) {
            if (!first) first = i;
            before = i;
        }
    }
    return first;
}

std::vector<std::string> prototypesOf(const Node& layer) {
    std::vector<std::string> ids;
    for (const Step& step : layer.steps)
        for (const auto& [id, param] : step.params)
            if (const auto* mix = std::get_if<PrototypeMix>(&param.value))
                for (const WeightedPrototype& s : *mix) ids.push_back(s.ref);
    return ids;
}

std::set<std::string> Document::prototypes() const {
    std::set<std::string> all;
    for (const NodePtr& layer : nodes(Category::Layer)) {
        const auto ids = prototypesOf(*recipeOf(*this, *layer));
        all.insert(ids.begin(), ids.end());
    }
    return all;
}

Refs materialsOf(const Document& document, const Node& object, double frame) {
    const std::string own = document.value(object.id, kObject.object.material, frame);
    if (!own.empty() || !findSpec(specsOf(object), kObject.slots.id())) return {own};
    const Refs slots = document.value(object.id, kObject.slots, frame);
    return slots.empty() ? Refs{own} : slots;
}

bool wearsMaterial(const Document& document, const Node& object, const std::string& material, double frame) {
    if (document.value(object.id, kObject.object.material, frame) == material) return true;
    if (!findSpec(specsOf(object), kObject.slots.id())) return false;
    const Refs slots = document.value(object.id, kObject.slots, frame);
    return std::find(slots.begin(), slots.end(), material) != slots.end();
}

size_t Document::indexOf(const std::string& id) const {
    for (size_t i = 0; i < nodes_.size(); ++i)
        if (nodes_[i]->id == id) return i;
    return nodes_.size();
}

void Document::put(Node node) {
    const size_t index = indexOf(node.id);
    auto shared = std::make_shared<const Node>(std::move(node));
    if (index < nodes_.size())
        nodes_[index] = std::move(shared);
    else
        nodes_.push_back(std::move(shared));
}

void Document::insert(size_t index, Node node) {
    nodes_.insert(nodes_.begin() + std::ptrdiff_t(std::min(index, nodes_.size())),
                  std::make_shared<const Node>(std::move(node)));
}

bool Document::remove(const std::string& id) {
    const size_t index = indexOf(id);
    if (index == nodes_.size()) return false;
    nodes_.erase(nodes_.begin() + std::ptrdiff_t(index));
    return true;
}

static std::string slug(const std::string& name) {
    std::string out;
    for (unsigned char c : name) {
        if (std::isalnum(c))
            out += char(std::tolower(c));
        else if (!out.empty() && out.back() != '_')
            out += '_';
    }
    while (!out.empty() && out.back() == '_') out.pop_back();
    return out.empty() ? "node" : out;
}

std::string Document::freeId(const std::string& name) const {
    const std::string base = slug(name);
    std::string id = base;
    for (int i = 2; find(id); ++i) id = base + "_" + std::to_string(i);
    return id;
}

Value Document::value(const std::string& nodeId, const std::string& param, double frame) const {
    const Node& node = get(nodeId);
    const ParamSpec* spec = findSpec(specsOf(node), param);
    if (!spec) throw Error("\"" + nodeId + "\" has no parameter \"" + param + "\"");
    const Param known = paramOr(*spec, node.params);
    return clampToSpec(*spec, known.formulas.empty() ? known.at(frame) : known.at(frame, rate()));
}

std::pair<int, int> Document::frames() const {
    const int first = int(sceneSetting(kScene.first));
    return {first, std::max(first, int(sceneSetting(kScene.last)))};
}

const Node* Document::settings(const std::string& type) const {
    for (const NodePtr& n : nodes_)
        if (n->type == type) return n.get();
    return nullptr;
}

Value Document::setting(const std::string& settings, const std::string& param, double frame) const {
    const NodeType* type = findNodeType(settings);
    const ParamSpec* spec = type ? findSpec(type->params, param) : nullptr;
    if (!spec) throw Error("there is no setting \"" + settings + "/" + param + "\"");
    const Node* node = this->settings(settings);
    if (!node) return spec->initial;
    const Param known = paramOr(*spec, node->params);
    // A file may say what the window would not take.
    return clampToSpec(*spec, known.formulas.empty() || param == kScene.rate.id() ? known.at(frame)
                                                                                  : known.at(frame, rate()));
}

namespace {

std::atomic<size_t>& cap() {
    // Three quarters of what the machine has: more would push it into swapping.
    static std::atomic<size_t> bytes{
        size_t(0.75 * double(::sysconf(_SC_PHYS_PAGES)) * double(::sysconf(_SC_PAGE_SIZE)))};
    return bytes;
}

}  // namespace

void setMemoryCap(size_t bytes) { cap() = bytes; }
size_t memoryCap() { return cap(); }

size_t Document::wantedMemory() const { return size_t(sceneSetting(kScene.memory) * 1e9); }
size_t Document::memoryLimit() const { return std::min(wantedMemory(), memoryCap()); }

std::vector<V3f> curveLine(const Document& document, const std::string& curve, double frame, int depth) {
    const CurvePoints points = document.value(curve, kCurve.points, frame);
    std::vector<V3f> line = curveThrough(points.list, document.value(curve, kCurve.closed, frame),
                                         document.value(curve, kCurve.round, frame));
    const M44f world = document.worldMatrix(curve, frame, depth);
    for (V3f& p : line) p = p * world;
    return line;
}

V3d degreesOf(const M44f& turn) {
    V3f r;
    Imath::extractEulerXYZ(turn, r);
    return V3d(double(degrees(r.x)), double(degrees(r.y)), double(degrees(r.z)));
}

M44f transformMatrix(const V3f& position, const V3f& r, const V3f& scale) {
    M44f m, turn;
    m.setScale(scale);
    turn.rotate(V3f(radians(r.x), radians(r.y), radians(r.z)));
    m *= turn;
    m[3][0] = position.x, m[3][1] = position.y, m[3][2] = position.z;
    return m;
}

M44f Document::worldMatrix(const std::string& nodeId, double frame, int depth) const {
    M44f world;
    std::vector<std::string> seen;
    for (std::string id = nodeId; !id.empty() && std::find(seen.begin(), seen.end(), id) == seen.end();) {
        const Node* node = find(id);
        if (!node || !findSpec(specsOf(*node), kObject.object.transform.placement.rotation.id())) break;
        world = world * ownMatrix(*this, *node, frame, depth);
        seen.push_back(id);
        id = node->parent;
    }
    return world;
}

std::optional<V3f> Document::originOf(const std::string& nodeId, double frame) const {
    const Node* node = find(nodeId);
    if (!node || !findSpec(specsOf(*node), kCamera.position.id())) return std::nullopt;
    if (findNodeType(node->type)->placed()) return worldMatrix(nodeId, frame).translation();
    return V3f(value(nodeId, kCamera.position, frame));
}

bool Document::operator==(const Document& other) const {
    if (nodes_.size() != other.nodes_.size() || unknown != other.unknown) return false;
    for (size_t i = 0; i < nodes_.size(); ++i)
        if (nodes_[i] != other.nodes_[i] && !(*nodes_[i] == *other.nodes_[i])) return false;
    return true;
}

static const std::vector<ParamSpec> kNoSpecs;

const std::vector<ParamSpec>& specsOf(const Node& node) {
    const NodeType* t = findNodeType(node.type);
    return t ? t->params : kNoSpecs;
}

const std::vector<ParamSpec>& specsOf(const Step& step) {
    const StepType* t = findStepType(step.type);
    return t ? t->params : kNoSpecs;
}

ByHand byHandOf(const Step& step) {
    const StepType* type = findStepType(step.type);
    return type ? type->byHand : ByHand::No;
}

const ParamSpec* findSpec(const std::vector<ParamSpec>& specs, const std::string& id) {
    for (const ParamSpec& s : specs)
        if (s.id == id) return &s;
    return nullptr;
}

static ParamMap defaults(const std::vector<ParamSpec>& specs) {
    ParamMap params;
    for (const ParamSpec& s : specs) params[s.id] = paramOr(s, {});
    return params;
}

Step makeStep(const std::string& type, const Node& layer) {
    const StepType* t = findStepType(type);
    if (!t) throw Error("there is no step \"" + type + "\"", {}, "ovrix-cli describe lists them");
    Step step{type, type, true, defaults(t->params)};
    for (const auto& [id, param] : t->start) step.params[id] = param;
    for (int i = 2; layer.step(step.id); ++i) step.id = type + "_" + std::to_string(i);
    return step;
}

Node makeNode(const Document& document, const std::string& type, const std::string& name) {
    const NodeType* t = findNodeType(type);
    if (!t) throw Error("there is no kind of node \"" + type + "\"", {}, "ovrix-cli describe lists them");
    Node node;
    node.type = type;
    node.name = name.empty() ? t->title : name;
    node.id = document.freeId(node.name);
    node.params = defaults(t->params);
    return node;
}

}  // namespace ovrix::document
