#include "scene/references.h"

namespace ovrix {

static void changeValue(const ParamSpec& spec, Value& value, const ReferenceChange& change) {
    if (spec.type == ParamType::Ref)
        if (auto* id = std::get_if<std::string>(&value); id && !id->empty()) change(spec, *id);
    if (auto* refs = std::get_if<Refs>(&value))
        for (std::string& id : *refs)
            if (!id.empty()) change(spec, id);
    if (auto* shares = std::get_if<Shares>(&value)) {
        std::erase_if(*shares, [&](Share& s) {
            const bool named = !s.ref.empty();
            if (named) change(spec, s.ref);
            return named && s.ref.empty();
        });
    }
}

void changeReferences(const std::vector<ParamSpec>& specs, ParamMap& params, const ReferenceChange& change) {
    for (auto& [name, param] : params) {
        const ParamSpec* spec = findSpec(specs, name);
        if (spec) changeValue(*spec, param.value, change);
        if (!param.field) continue;
        auto field = std::make_shared<Field>(*param.field);
        for (FieldSource& source : field->sources)
            if (const SourceType* type = findSourceType(source.type))
                changeReferences(type->params, source.params, change);
        if (!(*field == *param.field)) param.field = field;
    }
}

void changeReferences(Node& node, const ReferenceChange& change) {
    changeReferences(specsOf(node), node.params, change);
    for (Step& step : node.steps) changeReferences(specsOf(step), step.params, change);
}

}  // namespace ovrix
