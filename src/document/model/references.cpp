#include "document/model/references.h"

#include "document/model/values.h"

namespace ovrix::document {

static void changeValue(const ParamSpec& spec, Value& value, const ReferenceChange& change) {
    if (spec.type == ParamType::Ref)
        if (auto* id = std::get_if<std::string>(&value); id && !id->empty()) change(spec, *id);
    if (auto* refs = std::get_if<Refs>(&value); refs && spec.type == ParamType::Refs)
        for (std::string& id : *refs)
            if (!id.empty()) change(spec, id);
    if (auto* mix = std::get_if<PrototypeMix>(&value)) {
        std::erase_if(*mix, [&](WeightedPrototype& s) {
            const bool named = !s.ref.empty();
            if (named) change(spec, s.ref);
            return named && s.ref.empty();
        });
    }
}

void changeReferences(Node& node, const ReferenceChange& change) {
    changeValues(node, [&](const ParamSpec& spec, Value& value) { changeValue(spec, value, change); });
}

void visitReferences(const Node& node,
                     const std::function<void(const ParamSpec& spec, const std::string& id)>& visit) {
    visitValues(node, [&](const ParamSpec& spec, const Value& value) {
        const auto say = [&](const std::string& id) {
            if (!id.empty()) visit(spec, id);
        };
        if (spec.type == ParamType::Ref)
            if (const auto* id = std::get_if<std::string>(&value)) say(*id);
        if (const auto* refs = std::get_if<Refs>(&value); refs && spec.type == ParamType::Refs)
            for (const std::string& id : *refs) say(id);
        if (const auto* mix = std::get_if<PrototypeMix>(&value))
            for (const WeightedPrototype& s : *mix) say(s.ref);
    });
}

bool isOfKind(const Node& node, const std::string& kind) {
    const std::string any = " or " + kind + " or ";
    return any.find(" or " + categoryName(node.category()) + " or ") != std::string::npos;
}

}  // namespace ovrix::document
