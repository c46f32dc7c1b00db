#include "document/model/values.h"

namespace ovrix::document {

void changeValues(const std::vector<ParamSpec>& specs, ParamMap& params, const ValueChange& change) {
    for (auto& [name, param] : params) {
        if (const ParamSpec* spec = findSpec(specs, name)) change(*spec, param.value);
        if (!param.field) continue;
        auto field = std::make_shared<Field>(*param.field);
        for (FieldSource& source : field->sources)
            if (const SourceType* type = findSourceType(source.type))
                changeValues(type->params, source.params, change);
        if (!(*field == *param.field)) param.field = field;
    }
}

void changeValues(Node& node, const ValueChange& change) {
    changeValues(specsOf(node), node.params, change);
    for (Step& step : node.steps) changeValues(specsOf(step), step.params, change);
}

}  // namespace ovrix::document
