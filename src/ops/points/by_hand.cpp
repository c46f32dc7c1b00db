#include "ops/points/by_hand.h"

#include "params/param_table.h"

namespace ovrix::ops {

using namespace specs;

namespace {

const struct ByHandParams : ParamTable {
    Handle<ManualEdits> edits = add({.id = "edits",
                                     .title = "Edits",
                                     .type = ParamType::Edits,
                                     .initial = ManualEdits(),
                                     .help = "What was changed by hand, by the element's id"});
} kByHand;

int32_t prototypeIndex(Copies& copies, const std::string& id) {
    const auto it = std::find(copies.prototypes.begin(), copies.prototypes.end(), id);
    if (it != copies.prototypes.end()) return int32_t(it - copies.prototypes.begin());
    copies.prototypes.push_back(id);
    return int32_t(copies.prototypes.size()) - 1;
}

}  // namespace

std::shared_ptr<const Copies> withManualEdits(const Copies& copies, const ManualEdits& edits) {
    auto out = std::make_shared<Copies>();
    out->prototypes = copies.prototypes;
    const auto ids = copies.attributes.find<uint64_t>("id");
    std::vector<uint32_t> kept;
    kept.reserve(ids.size());
    for (size_t i = 0; i < ids.size(); ++i) {
        const ManualEdit* e = edits.find(ids[i]);
        if (!e || !e->removed) kept.push_back(uint32_t(i));
    }
    out->attributes = kept.size() == ids.size() ? copies.attributes : copies.attributes.gathered(kept);
    std::vector<const ManualEdit*> added;
    for (const ManualEdit& e : edits.list)
        if (e.added && !e.prototype.empty()) added.push_back(&e);
    const size_t count = kept.size();
    out->attributes.resize(count + added.size());
    auto position = out->attributes.add<V3f>("P");
    auto orient = out->attributes.add<Quatf>("orient");
    auto scale = out->attributes.add<float>("scale", 1.0f);
    auto prototype = out->attributes.add<int32_t>("prototype");
    auto id = out->attributes.add<uint64_t>("id");
    for (size_t i = 0; i < count; ++i) {
        const ManualEdit* e = edits.find(id[i]);
        if (!e || e->added) continue;
        position[i] += e->move;
        orient[i] = (e->turn * orient[i]).normalized();
        scale[i] *= e->size;
        if (!e->prototype.empty()) prototype[i] = prototypeIndex(*out, e->prototype);
    }
    for (size_t k = 0; k < added.size(); ++k) {
        const size_t i = count + k;
        position[i] = added[k]->move;
        orient[i] = added[k]->turn.normalized();
        scale[i] = added[k]->size;
        prototype[i] = prototypeIndex(*out, added[k]->prototype);
        id[i] = added[k]->id;
    }
    // What other columns say of an added one is neutral, not 0.
    if (out->attributes.has("stretch")) {
        auto stretch = out->attributes.add<V3f>("stretch");
        std::fill(stretch.begin() + std::ptrdiff_t(count), stretch.end(), V3f(1.0f));
    }
    if (out->attributes.has("color")) {
        auto color = out->attributes.add<Color>("color");
        std::fill(color.begin() + std::ptrdiff_t(count), color.end(), Color(1.0f));
    }
    if (out->attributes.has("tint")) {
        auto tint = out->attributes.add<V3f>("tint");
        std::fill(tint.begin() + std::ptrdiff_t(count), tint.end(), V3f(0, 1, 1));
    }
    return out;
}

static Geometry applyByHand(const StepInput& in) {
    const ManualEdits& edits = in.params[kByHand.edits];
    if (edits.list.empty()) return in.in;
    return withManualEdits(*std::get<std::shared_ptr<const Copies>>(in.in), edits);
}

StepType byHandStep() {
    return {.id = "by_hand",
            .title = "By hand",
            .phase = Phase::Shape,
            .help = "Single copies placed, moved, turned, sized, replaced or taken out in the view",
            .takes = GeometryKind::Copies,
            .gives = GeometryKind::Copies,
            .params = kByHand.specs(),
            .byHand = ByHand::Elements,
            .apply = applyByHand};
}

}  // namespace ovrix::ops
