#include "eval/simulation/simulation_key.h"

#include "base/hash.h"

namespace ovrix::eval {

namespace {

/// Another number for each change of what the solvers make of the same scene: bakes from before are stale
/// then.
constexpr uint64_t kSolvers = 3;

}  // namespace

void SimulationKey::addParam(Hasher& h, const ParamSpec& spec, const Param& param) {
    const auto addValue = [&](const Value& value) {
        addToHash(h, value);
        if (spec.type == ParamType::File && stamp_) h.add(stamp_(std::get<std::string>(value)));
        if (spec.type == ParamType::Ref)
            if (const auto* id = std::get_if<std::string>(&value)) h.add(node(*id));
        if (const auto* refs = std::get_if<Refs>(&value))
            for (const std::string& id : *refs) h.add(node(id));
        if (const auto* mix = std::get_if<PrototypeMix>(&value))
            for (const WeightedPrototype& s : *mix) h.add(node(s.ref));
    };
    addValue(param.value);
    h.add(uint64_t(param.keys.size())).add(uint64_t(param.repeat)).add(uint64_t(param.formulas.size()));
    for (const Key& k : param.keys) {
        h.add(k.frame).add(uint64_t(k.ease));
        addValue(k.value);
        for (const KeyHandle& handle : {k.before, k.after}) {
            h.add(handle.frames);
            for (double x : handle.by) h.add(x);
        }
    }
    for (const auto& [c, text] : param.formulas) h.add(uint64_t(c)).add(std::string_view(text));
    if (!param.field) return;
    addToHash(h, param.low);
    h.add(uint64_t(param.field->sources.size()));
    for (const FieldSource& s : param.field->sources) {
        h.add(std::string_view(s.type)).add(uint64_t(s.on)).add(uint64_t(s.invert)).add(uint64_t(s.blend));
        addToHash(h, Value(s.remap));
        addParam(h, strengthSpec(), s.strength);
        if (const SourceType* type = findSourceType(s.type))
            addParams(h, type->params, s.params, Affects::Result);
    }
}

void SimulationKey::addParams(Hasher& h, const std::vector<ParamSpec>& specs, const ParamMap& params,
                              Affects leftOut) {
    for (const ParamSpec& spec : specs) {
        if (leftOut != Affects::Result && spec.affects == leftOut) continue;
        h.add(std::string_view(spec.id));
        addParam(h, spec, paramOr(spec, params));
    }
}

void SimulationKey::addStep(Hasher& h, const Step& step) {
    if (!step.on) return;
    h.add(std::string_view(step.type)).add(std::string_view(step.id)).add(std::string_view(step.in));
    addParams(h, specsOf(step), step.params, Affects::Storage);
}

/// Of what a camera's picture shows of the world: what it focuses on does not matter.
uint64_t SimulationKey::picture(const Node& camera) {
    Hasher h;
    for (const std::string& id :
         {kCamera.position.id(), kCamera.target.id(), kCamera.roll.id(), kCamera.focal.id(),
          kCamera.film.id(), kCamera.shiftX.id(), kCamera.shiftY.id()})
        if (const ParamSpec* spec = findSpec(specsOf(camera), id))
            addParam(h, *spec, paramOr(*spec, camera.params));
    for (const std::string& id : {kRender.width.id(), kRender.height.id()})
        addToHash(h, document_.setting("render", id));
    return h.value();
}

uint64_t SimulationKey::node(const std::string& id) {
    const Node* n = id.empty() ? nullptr : document_.find(id);
    if (!n || n->category() == Category::Material) return 0;
    if (n->category() == Category::Camera) return picture(*n);
    if (const auto known = known_.find(id); known != known_.end()) return known->second;
    const auto again = std::find(open_.begin(), open_.end(), id);
    if (again != open_.end()) {
        entered_ = std::min(entered_, size_t(again - open_.begin()));
        return uint64_t(again - open_.begin()) + 1;
    }
    const size_t index = open_.size(), outer = std::exchange(entered_, SIZE_MAX);
    open_.push_back(id);
    Hasher h;
    h.add(std::string_view(n->type));
    addParams(h, specsOf(*n), n->params, Affects::Appearance);
    const NodePtr recipe = recipeOf(document_, *n);
    for (const Step& s : recipe->steps) addStep(h, s);
    h.add(node(n->parent));
    open_.pop_back();
    // With a circle in it, it depends on where that was entered.
    if (entered_ == SIZE_MAX) known_[id] = h.value();
    entered_ = std::min(entered_ < index ? entered_ : SIZE_MAX, outer);
    return h.value();
}

uint64_t SimulationKey::upTo(const Node& recipe, size_t index) {
    Hasher h;
    h.add(kSolvers);
    for (const std::string& setting : {kScene.rate.id(), kScene.first.id(), kScene.preroll.id()})
        addToHash(h, document_.setting("scene", setting));
    open_ = {recipe.id}, entered_ = SIZE_MAX, known_.clear();
    ParamMap own = recipe.params;  // what time of its own it shows changes no frame of it
    own.erase(kLayer.warp.id()), own.erase(kLayer.warpAt.id());
    addParams(h, specsOf(recipe), own, Affects::Appearance);
    h.add(node(recipe.parent));
    const std::string& id = recipe.steps[index].id;
    for (size_t i = 0; i < recipe.steps.size(); ++i)
        if (i <= index || recipe.steps[i].in == id) addStep(h, recipe.steps[i]);
    open_.clear();
    return h.value();
}

}  // namespace ovrix::eval
