#include "document/model/values.h"

namespace ovrix::document {

ResolvedParams paramsOf(const Document& document, const Node& node, double frame) {
    FieldContext context;
    context.frame = frame, context.rate = document.rate();
    return ResolvedParams(specsOf(node), node.params, context);
}

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

using Visit = std::function<void(const ParamSpec& spec, const Value& value)>;

static void visitValues(const std::vector<ParamSpec>& specs, const ParamMap& params, const Visit& visit) {
    for (const auto& [name, param] : params) {
        if (const ParamSpec* spec = findSpec(specs, name)) visit(*spec, param.value);
        if (!param.field) continue;
        for (const FieldSource& source : param.field->sources)
            if (const SourceType* type = findSourceType(source.type))
                visitValues(type->params, source.params, visit);
    }
}

void visitValues(const Node& node, const Visit& visit) {
    visitValues(specsOf(node), node.params, visit);
    for (const Step& step : node.steps) visitValues(specsOf(step), step.params, visit);
}

void changeValues(Node& node, const ValueChange& change) {
    changeValues(specsOf(node), node.params, change);
    for (Step& step : node.steps) changeValues(specsOf(step), step.params, change);
}

static void setIn(ParamMap& params, const std::vector<ParamSpec>& specs, const std::string& param,
                  Value value) {
    const ParamSpec* spec = findSpec(specs, param);
    if (!spec || !holdsType(spec->type, value))
        throw std::logic_error("no parameter " + param + " is declared for such a value");
    params[param].value = std::move(value);
}

void setValue(Node& node, const std::string& param, Value value) {
    setIn(node.params, specsOf(node), param, std::move(value));
}

void setValue(Step& step, const std::string& param, Value value) {
    setIn(step.params, specsOf(step), param, std::move(value));
}

}  // namespace ovrix::document
