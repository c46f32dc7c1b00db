#include "document/edits/keying.h"

#include "base/error.h"

namespace ovrix::document {

bool keyable(const ParamSpec& spec) { return componentsOf(spec.initial) > 0; }

namespace {

void addAnimated(const ParamPath& at, const std::vector<ParamSpec>& specs, const ParamMap& params,
                 std::vector<ParamPath>& out) {
    for (const ParamSpec& spec : specs) {
        const auto it = params.find(spec.id);
        if (it == params.end()) continue;
        ParamPath path = at;
        path.param = spec.id;
        if (!it->second.keys.empty()) out.push_back(path);
        if (!it->second.field) continue;
        for (size_t i = 0; i < it->second.field->sources.size(); ++i) {
            const FieldSource& s = it->second.field->sources[i];
            path.source = int(i);
            path.sourceParam = "strength";
            if (!s.strength.keys.empty()) out.push_back(path);
            const SourceType* type = findSourceType(s.type);
            for (const auto& [id, param] : s.params) {
                path.sourceParam = id;
                if (type && findSpec(type->params, id) && !param.keys.empty()) out.push_back(path);
            }
        }
    }
}

}  // namespace

std::vector<ParamPath> animatedParams(const Document& document, const std::string& id) {
    std::vector<ParamPath> out;
    const Node* node = document.find(id);
    if (!node) return out;
    addAnimated({id, "", ""}, specsOf(*node), node->params, out);
    const NodePtr recipe = recipeOf(document, *node);
    for (const Step& s : recipe->steps) addAnimated({id, s.id, ""}, specsOf(s), s.params, out);
    return out;
}

std::optional<size_t> keyAt(const Param& param, double frame) {
    for (size_t i = 0; i < param.keys.size(); ++i)
        if (std::abs(param.keys[i].frame - frame) < 0.01) return i;
    return std::nullopt;
}

Document withKeys(const Document& document, const ParamPath& path, std::vector<Key> keys) {
    const ParamSpec& spec = specAt(document, path);
    if (!keyable(spec) && !keys.empty()) throw Error("takes no keys", path.text());
    Param param = paramAt(document, path);
    for (Key& k : keys) {
        if (!holdsType(spec.type, k.value)) throw Error("expected a " + typeName(spec.type), path.text());
        k.value = clampToSpec(spec, k.value);
    }
    std::stable_sort(keys.begin(), keys.end(), [](const Key& a, const Key& b) { return a.frame < b.frame; });
    std::vector<Key> single;
    for (Key& k : keys) {
        if (!std::isfinite(k.frame)) continue;
        if (!single.empty() && std::abs(single.back().frame - k.frame) < 0.01) single.pop_back();
        single.push_back(std::move(k));
    }
    param.keys = std::move(single);
    return withParam(document, path, std::move(param));
}

Document withKey(const Document& document, const ParamPath& path, double frame, const Value& value) {
    Param param = paramAt(document, path);
    if (const auto known = keyAt(param, frame))
        param.keys[*known].value = value;
    else
        param.keys.push_back({frame, value, KeyEase::Smooth});
    return withKeys(document, path, std::move(param.keys));
}

Document withoutKey(const Document& document, const ParamPath& path, double frame) {
    Param param = paramAt(document, path);
    const auto known = keyAt(param, frame);
    if (!known) return document;
    if (param.keys.size() == 1) {
        param.value = param.keys[0].value;
        param.keys.clear();
        return withParam(document, path, std::move(param));
    }
    param.keys.erase(param.keys.begin() + std::ptrdiff_t(*known));
    return withKeys(document, path, std::move(param.keys));
}

Document withValueAt(const Document& document, const ParamPath& path, double frame, const Value& value) {
    return paramAt(document, path).keys.empty() ? withValue(document, path, value)
                                                : withKey(document, path, frame, value);
}

Document withFormula(const Document& document, const ParamPath& path, int component,
                     const std::string& text) {
    Param param = paramAt(document, path);
    if (component < 0 || component >= componentsOf(param.value)) throw Error("takes no formula", path.text());
    if (text.empty()) {
        param.formulas.erase(component);
    } else {
        formulaAt(text, 1.0, kUsualRate);
        param.formulas[component] = text;
    }
    return withParam(document, path, std::move(param));
}

std::vector<Key> copiedKeys(const std::vector<Key>& keys) {
    std::vector<Key> out = keys;
    if (!out.empty())
        for (Key& k : out) k.frame -= keys.front().frame;
    return out;
}

Document withKeysPut(const Document& document, const ParamPath& path, double frame,
                     const std::vector<Key>& keys) {
    Param param = paramAt(document, path);
    if (!keyable(specAt(document, path))) throw Error("takes no keys", path.text());
    for (const Key& k : keys) {
        Key made = k;
        made.frame += frame;
        made.value = param.at(made.frame);
        for (int c = 0; c < std::min(componentsOf(made.value), componentsOf(k.value)); ++c)
            setComponent(made.value, c, component(k.value, c));
        param.keys.push_back(std::move(made));
    }
    return withKeys(document, path, std::move(param.keys));
}

}  // namespace ovrix::document
