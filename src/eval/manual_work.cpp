#include "eval/manual_work.h"

#include <Imath/ImathMatrixAlgo.h>

#include "base/error.h"
#include "document/model/step_registry.h"
#include "field/paint.h"
#include "ops/points/orient.h"

namespace ovrix::eval {

namespace {

FieldSource& paintedIn(Field& field, const ParamPath& path) {
    if (path.source < 0 || size_t(path.source) >= field.sources.size() ||
        !isPainted(field.sources[size_t(path.source)]))
        throw Error("there is no painted source there", path.text(), "Add the source Painted to the field");
    return field.sources[size_t(path.source)];
}

double numberOf(const FieldSource& source, const Handle<double>& handle, double frame) {
    const SourceType& type = *findSourceType(source.type);
    return std::get<double>(paramOr(*findSpec(type.params, handle.id()), source.params).at(frame));
}

std::shared_ptr<const PaintedMap> mapFor(const FieldSource& source, const Surface& surface,
                                         const M44f& objectFromWorld, size_t memory, double frame) {
    auto known = valueIn(source.params, kPaint.map).map;
    const float resolution = float(numberOf(source, kPaint.resolution, frame));
    if (known && known->loaded() && known->layout->topology == topologyOf(surface) &&
        known->layout->resolution == std::max(resolution, 1e-6f))
        return known;
    const PaintLayoutPtr layout = makePaintLayout(surface, objectFromWorld, resolution, memory);
    if (known && known->loaded()) return transferred(*known, layout, Progress::none());
    const float base = float(numberOf(source, kPaint.base, frame));
    return std::make_shared<const PaintedMap>(layout, std::vector<float>(layout->position.size(), base));
}

}  // namespace

/// The field that @p source stands in, as one that can be written.
static std::pair<Param, std::shared_ptr<Field>> fieldOf(const Document& document, ParamPath source) {
    source.source = -1;
    Param param = paramAt(document, source);
    if (!param.field) throw Error("there is no field there", source.text(), "Drive the number by a field");
    auto field = std::make_shared<Field>(*param.field);
    param.field = field;
    return {std::move(param), field};
}

PaintStroke::PaintStroke(const Document& document, const ParamPath& source, SurfacePtr surface, double frame)
    : surface_(std::move(surface)), memory_(document.memoryLimit()), frame_(frame) {
    if (surface_->mesh().triangles().empty())
        throw Error("the surface has no faces to paint on", {}, "Choose another surface");
    source_ = paintedIn(*fieldOf(document, source).second, source);
    const std::string on = document.get(source.node).category() == Category::Object
                               ? source.node
                               : document.value(source.node, kLayer.surface, frame);
    const M44f world = document.worldMatrix(on, frame);
    if (std::abs(world.determinant()) > 1e-20f) objectFromWorld_ = world.inverse();
}

void PaintStroke::apply(const Brush& brush, std::span<const Dab> dabs) {
    if (!map_) map_ = mapFor(source_, *surface_, objectFromWorld_, memory_, frame_);
    Brush own = brush;
    own.base = float(numberOf(source_, kPaint.base, frame_));
    map_ = brushed(*map_, *surface_, objectFromWorld_, own, dabs);
}

Document withPaintedMap(const Document& document, const ParamPath& source, MapValue map) {
    auto [param, field] = fieldOf(document, source);
    paintedIn(*field, source).params[kPaint.map.id()].value = std::move(map);
    ParamPath owner = source;
    owner.source = -1;
    return withParam(document, owner, std::move(param));
}

Document withDabs(const Document& document, const ParamPath& source, SurfacePtr surface, const Brush& brush,
                  std::span<const Dab> dabs, double frame) {
    PaintStroke stroke(document, source, std::move(surface), frame);
    stroke.apply(brush, dabs);
    return withPaintedMap(document, source, stroke.map());
}

namespace {

const Step* manualStep(const Document& document, const std::string& layer) {
    const Node& owner = recipeOwner(document, document.get(layer));
    for (const Step& s : owner.steps)
        if (byHandOf(s) == ByHand::Elements) return &s;
    return nullptr;
}

}  // namespace

Document withManualEdit(const Document& document, const std::string& layer,
                        const std::function<void(ManualEdits&)>& change) {
    Document out = document;
    if (!manualStep(out, layer)) {
        const Node& owner = recipeOwner(out, out.get(layer));
        const auto last = std::find_if(owner.steps.rbegin(), owner.steps.rend(),
                                       [](const Step& s) { return s.in.empty(); });
        const StepType* type = last == owner.steps.rend() ? nullptr : findStepType(last->type);
        if (!type || type->gives != GeometryKind::Copies)
            throw Error("the layer makes no copies to change by hand", owner.name,
                        "End its recipe with Copies of");
        out = withStep(out, layer, owner.steps.size(), makeStep(stepTypeFor(ByHand::Elements).id, owner));
    }
    const ParamPath path{layer, manualStep(out, layer)->id, "edits"};
    ManualEdits edits = std::get<ManualEdits>(paramAt(out, path).value);
    change(edits);
    return withValue(out, path, edits);
}

static const Step* combStepOf(const Document& document, const std::string& layer) {
    for (const Step& s : recipeOwner(document, document.get(layer)).steps)
        if (s.on && byHandOf(s) == ByHand::Strands) return &s;
    return nullptr;
}

StrandEdits combingOf(const Document& document, const std::string& layer) {
    const Step* step = combStepOf(document, layer);
    return step ? std::get<StrandEdits>(paramAt(document, {layer, step->id, "combing"}).value)
                : StrandEdits();
}

Document withCombing(const Document& document, const std::string& layer, std::vector<StrandEdit> edits,
                     uint64_t topology) {
    Document out = document;
    if (!combStepOf(out, layer)) {
        const Node& owner = recipeOwner(out, out.get(layer));
        const auto place = combIndex(owner.steps);
        if (!place)
            throw Error("the layer makes no strands to comb", owner.name, "Add the step Grow strands");
        out = withStep(out, layer, *place + 1, makeStep(stepTypeFor(ByHand::Strands).id, owner));
    }
    const ParamPath path{layer, combStepOf(out, layer)->id, "combing"};
    StrandEdits all = std::get<StrandEdits>(paramAt(out, path).value);
    if (all.topology != topology) {  // planted on other faces: from now on by their places
        std::vector<StrandEdit> moved;
        for (const StrandEditPtr& e : all.list)
            if (e->added) moved.push_back(*e), moved.back().triangle = -1;
        all.put(std::move(moved));
    }
    all.put(std::move(edits));
    all.topology = topology;
    return withValue(out, path, all);
}

ManualEdit manualEditOf(const Document& document, const std::string& layer, uint64_t id) {
    if (const Step* step = manualStep(document, layer)) {
        const ManualEdits edits = std::get<ManualEdits>(paramAt(document, {layer, step->id, "edits"}).value);
        if (const ManualEdit* known = edits.find(id)) return *known;
    }
    ManualEdit none;
    none.id = id;
    return none;
}

Document withPlaced(const Document& document, const std::string& layer, const std::string& prototype,
                    const V3f& position, const V3f& normal, uint64_t* id) {
    return withManualEdit(document, layer, [&](ManualEdits& edits) {
        ManualEdit e;
        e.id = std::max(kFirstAddedId, edits.list.empty() ? 0 : edits.list.back().id + 1);
        e.added = true;
        e.move = position;
        e.turn = turnToUp(normal.length() > 0 ? normal.normalized() : V3f(0, 1, 0));
        e.prototype = prototype;
        edits.put(e);
        if (id) *id = e.id;
    });
}

Document withMadeReal(const Document& document, const std::string& layer, const Copies& copies,
                      std::span<const uint64_t> ids, std::vector<std::string>* newIds) {
    Document out = document;
    const ElementPlaces places(copies.attributes);
    const auto all = copies.attributes.find<uint64_t>("id");
    const auto which = copies.attributes.find<int32_t>("prototype");
    std::vector<uint64_t> taken;
    for (size_t i = 0; i < all.size(); ++i) {
        if (std::find(ids.begin(), ids.end(), all[i]) == ids.end()) continue;
        if (which[i] < 0 || size_t(which[i]) >= copies.prototypes.size()) continue;
        const Node* prototype = document.find(copies.prototypes[size_t(which[i])]);
        if (!prototype) continue;
        Node object = *prototype;
        object.name = prototype->name + " by hand";
        object.id = out.freeId(object.name);
        object.parent.clear();
        object.shown = object.rendered = true;
        const PlacementParams& placement = kObject.object.transform.placement;
        const auto own = [&](const Handle<V3f>& h) { return V3f(document.value(prototype->id, h)); };
        const M44f turn = transformMatrix(V3f(0.0f), own(placement.rotation), V3f(1.0f)) *
                          (places.orient.empty() ? M44f() : places.orient[i].toMatrix44());
        const float scale = places.scale.empty() ? 1.0f : places.scale[i];
        object.params[placement.position.id()].value = V3d(places.position[i]);
        object.params[placement.rotation.id()].value = degreesOf(turn);
        object.params[placement.scale.id()].value = V3d(own(placement.scale) * places.stretchOf(i) * scale);
        if (newIds) newIds->push_back(object.id);
        out.insert(out.nodes().size(), std::move(object));
        taken.push_back(all[i]);
    }
    if (taken.empty()) throw Error("none of the chosen elements is there", {}, "Choose elements in the view");
    return withManualEdit(out, layer, [&](ManualEdits& edits) {
        for (uint64_t id : taken) {
            ManualEdit e;
            if (const ManualEdit* known = edits.find(id)) e = *known;
            e.id = id;
            e.removed = true;
            edits.put(e);
        }
    });
}

}  // namespace ovrix::eval
