#include "document/edits/edits.h"

#include <fmt/format.h>

#include "base/error.h"
#include "base/json_guard.h"
#include "base/srgb.h"
#include "document/model/references.h"
#include "document/model/step_registry.h"
#include "document/model/values.h"
#include "params/number_text.h"
#include "params/specs.h"

namespace ovrix::document {

namespace {

/// Calls @p change with a copy of the node and puts it back.
template <class Change>
Document changed(const Document& document, const std::string& id, const Change& change) {
    Node node = document.get(id);
    change(node);
    Document out = document;
    out.put(std::move(node));
    return out;
}

Step& stepIn(Node& node, const std::string& id) {
    for (Step& s : node.steps)
        if (s.id == id) return s;
    throw Error("\"" + node.id + "\" has no step \"" + id + "\"");
}

/// The step as the node may change it: of a linked layer, the one that holds its own values.
Step& ownStep(const Document& document, Node& node, const std::string& id) {
    const Node& owner = recipeOwner(document, document.get(node.id));
    if (owner.id == node.id || node.step(id)) return stepIn(node, id);
    const Step* shared = owner.step(id);
    if (!shared) throw Error("\"" + node.id + "\" has no step \"" + id + "\"");
    node.steps.push_back({shared->id, shared->type, true, {}, nlohmann::json::object()});
    return node.steps.back();
}

const std::vector<ParamSpec>& specsAt(const Document& document, const Node& node, const std::string& step) {
    if (step.empty()) return specsOf(node);
    const Step* s = recipeOwner(document, node).step(step);
    if (!s) throw Error("\"" + node.id + "\" has no step \"" + step + "\"");
    return specsOf(*s);
}

const FieldSource& sourceAt(const Param& param, const ParamPath& path) {
    if (!param.field || size_t(path.source) >= param.field->sources.size())
        throw Error("there is no such field source", path.text());
    return param.field->sources[size_t(path.source)];
}

const ParamSpec& ownSpec(const Document& document, const ParamPath& path) {
    const ParamSpec* spec = findSpec(specsAt(document, document.get(path.node), path.step), path.param);
    if (!spec) throw Error("there is no such parameter", path.text(), "ovrix-cli describe lists them");
    return *spec;
}

Param ownParam(const Document& document, const ParamPath& path) {
    const Node& node = document.get(path.node);
    const ParamSpec& spec = ownSpec(document, path);
    if (path.step.empty()) return paramOr(spec, node.params);
    if (const Step* own = node.step(path.step); own && own->params.count(path.param))
        return paramOr(spec, own->params);
    return paramOr(spec, recipeOwner(document, node).step(path.step)->params);
}

}  // namespace

std::string ParamPath::text() const {
    std::string out = node + (step.empty() ? "" : "/" + step) + "/" + param;
    if (source >= 0) out += fmt::format("/field/{}/{}", source, sourceParam);
    return out;
}

static std::vector<std::string> splitText(const std::string& text, char by) {
    std::vector<std::string> parts(1);
    for (char c : text) {
        if (c == by)
            parts.emplace_back();
        else
            parts.back() += c;
    }
    return parts;
}

ParamPath ParamPath::parse(const Document& document, const std::string& text) {
    std::vector<std::string> parts = splitText(text, '/');
    ParamPath path;
    if (parts.size() >= 5 && parts[parts.size() - 3] == "field") {
        path.sourceParam = parts.back();
        const std::string& index = parts[parts.size() - 2];
        if (index.empty() || index.size() > 6 || index.find_first_not_of("0123456789") != std::string::npos)
            throw Error("expected the number of a field source", text);
        path.source = std::stoi(index);
        parts.resize(parts.size() - 3);
    }
    if (parts.size() < 2 || parts.size() > 3)
        throw Error("is no path to a parameter", text, "Write NODE/PARAM or LAYER/STEP/PARAM");
    path.node = parts[0];
    path.step = parts.size() == 3 ? parts[1] : "";
    path.param = parts.back();
    specAt(document, path);
    return path;
}

const ParamSpec& specAt(const Document& document, const ParamPath& path) {
    const ParamSpec& own = ownSpec(document, path);
    if (path.source < 0) return own;
    const FieldSource& source = sourceAt(ownParam(document, path), path);
    if (path.sourceParam == "strength") return strengthSpec();
    const SourceType* type = findSourceType(source.type);
    const ParamSpec* spec = type ? findSpec(type->params, path.sourceParam) : nullptr;
    if (!spec) throw Error("there is no such parameter of the field source", path.text());
    return *spec;
}

Param paramAt(const Document& document, const ParamPath& path) {
    Param own = ownParam(document, path);
    if (path.source < 0) return own;
    const FieldSource source = sourceAt(own, path);
    return path.sourceParam == "strength" ? source.strength : paramOr(specAt(document, path), source.params);
}

bool appliesAt(const Document& document, const ParamPath& path, const ParamSpec& spec) {
    return specs::applies(spec, [&](const std::string& other) -> std::string {
        ParamPath beside = path;
        if (other == "makes") return kindName(kindMade(document, document.get(path.node)));
        constexpr std::string_view kKind = ".kind";
        const bool kind = other.ends_with(kKind);
        const std::string id = other.substr(0, other.size() - (kind ? kKind.size() : 0));
        (path.source >= 0 ? beside.sourceParam : beside.param) = id;
        const Param param = paramAt(document, beside);
        const Value& value = param.value;
        if (const bool* flag = std::get_if<bool>(&value)) return *flag ? "true" : "false";
        if (const int64_t* whole = std::get_if<int64_t>(&value)) return std::to_string(*whole);
        if (const double* number = std::get_if<double>(&value))  // one that varies is some number but 0
            return param.field || param.animated() ? "varies" : fmt::format("{}", *number);
        const auto* text = std::get_if<std::string>(&value);
        if (!text) return {};
        if (!kind) return *text;
        const Node* named = document.find(*text);
        return named ? categoryName(named->category()) : std::string();
    });
}

Document withParam(const Document& document, const ParamPath& path, Param param) {
    const ParamSpec& spec = specAt(document, path);
    if (!holdsType(spec.type, param.value)) throw Error("expected a " + typeName(spec.type), path.text());
    param.value = clampToSpec(spec, param.value);
    if (path.source >= 0) {
        Param own = ownParam(document, path);
        auto field = std::make_shared<Field>(*own.field);
        FieldSource& source = field->sources[size_t(path.source)];
        (path.sourceParam == "strength" ? source.strength : source.params[path.sourceParam]) =
            std::move(param);
        own.field = field;
        ParamPath owner = path;
        owner.source = -1;
        return withParam(document, owner, std::move(own));
    }
    return changed(document, path.node, [&](Node& node) {
        (path.step.empty() ? node.params : ownStep(document, node, path.step).params)[path.param] =
            std::move(param);
    });
}

Document withValue(const Document& document, const ParamPath& path, const Value& value) {
    Param param = paramAt(document, path);
    param.value = value;
    return withParam(document, path, std::move(param));
}

Document withField(const Document& document, const ParamPath& path, std::shared_ptr<const Field> field) {
    Param param = paramAt(document, path);
    if (!specAt(document, path).drivable) throw Error("takes no field", path.text());
    param.field = std::move(field);
    return withParam(document, path, std::move(param));
}

namespace {

/// As in the window: arithmetic and units. Throws Error naming the path.
double parseNumber(const std::string& text, const std::string& where, const std::string& unit) {
    try {
        return parseNumberText(text, unit);
    } catch (const Error& e) {
        throw Error(e.problem(), where, e.remedy());
    }
}

bool parseFlag(const std::string& text, const std::string& where) {
    if (text == "true" || text == "on" || text == "yes" || text == "1") return true;
    if (text == "false" || text == "off" || text == "no" || text == "0") return false;
    throw Error("\"" + text + "\" is neither true nor false", where);
}

Color parseColor(const std::string& text, const std::string& where) {
    if (text.size() == 7 && text[0] == '#' &&
        text.find_first_not_of("0123456789abcdefABCDEF", 1) == std::string::npos) {
        const auto part = [&](size_t i) {  // the usual notation is in sRGB; light inside is linear
            return decodeSrgb(float(std::stoi(text.substr(i, 2), nullptr, 16)) / 255.0f);
        };
        return Color(part(1), part(3), part(5));
    }
    const auto parts = splitText(text, ',');
    if (parts.size() != 3) throw Error("expected #rrggbb or three numbers", where);
    return Color(float(parseNumber(parts[0], where, "")), float(parseNumber(parts[1], where, "")),
                 float(parseNumber(parts[2], where, "")));
}

Value parseValue(const ParamSpec& spec, const std::string& text, const std::string& where) {
    switch (spec.type) {
        case ParamType::Bool:
            return parseFlag(text, where);
        case ParamType::Int:
            return int64_t(std::clamp(parseNumber(text, where, spec.unit), -9e15, 9e15));
        case ParamType::Number:
            return parseNumber(text, where, spec.unit);
        case ParamType::Range: {
            const auto dots = text.find("..");
            if (dots == std::string::npos) throw Error("expected two numbers as 0.2..0.8", where);
            return Range{parseNumber(text.substr(0, dots), where, spec.unit),
                         parseNumber(text.substr(dots + 2), where, spec.unit)};
        }
        case ParamType::Vector: {
            const auto parts = splitText(text, ',');
            if (parts.size() != 3) throw Error("expected three numbers as 1,2,3", where);
            return V3d(parseNumber(parts[0], where, spec.unit), parseNumber(parts[1], where, spec.unit),
                       parseNumber(parts[2], where, spec.unit));
        }
        case ParamType::Color:
            return parseColor(text, where);
        case ParamType::Refs:
            return text.empty() ? Refs{} : Refs(splitText(text, ','));
        case ParamType::Choices:
            return valueFromJson(spec, text.empty() ? Refs{} : Refs(splitText(text, ',')));
        case ParamType::PrototypeMix: {
            PrototypeMix mix;
            for (const std::string& part : splitText(text, ',')) {
                const auto colon = part.find(':');
                mix.push_back(
                    {part.substr(0, colon), colon == std::string::npos
                                                ? 1.0
                                                : parseNumber(part.substr(colon + 1), where, spec.unit)});
            }
            return mix;
        }
        default:
            return valueFromJson(spec, text);
    }
}

}  // namespace

Document withText(const Document& document, const std::string& path, const std::string& text) {
    const std::vector<std::string> parts = splitText(path, '/');
    if (parts.size() == 2 && document.find(parts[0])) {
        if (parts[1] == "shown" || parts[1] == "rendered")
            return changed(document, parts[0], [&](Node& n) {
                (parts[1] == "shown" ? n.shown : n.rendered) = parseFlag(text, path);
            });
        if (parts[1] == "name") {
            if (text.empty()) throw Error("a name cannot be empty", path);
            return changed(document, parts[0], [&](Node& n) { n.name = text; });
        }
        if (parts[1] == "parent") {
            if (!text.empty()) document.get(text);
            return changed(document, parts[0], [&](Node& n) { n.parent = text; });
        }
    }
    if (parts.size() == 3 && parts[2] == "on")
        return withStepOn(document, parts[0], parts[1], parseFlag(text, path));
    const ParamPath where = ParamPath::parse(document, path);
    const ParamSpec& spec = specAt(document, where);
    const bool list = !text.empty() && text.front() == '[';
    if (list || (!text.empty() && text.front() == '{')) {
        requireBoundedJson(text, path);
        const auto json = nlohmann::ordered_json::parse(text, nullptr, false);
        if (json.is_discarded()) throw Error("is not JSON", path, "As the scene file has it: [1, 2, 3]");
        if (list) return withValue(document, where, valueFromJson(spec, json));
        return withParam(document, where, paramFromJson(spec, json));
    }
    return withValue(document, where, parseValue(spec, text, path));
}

Document withNode(const Document& document, Node node) {
    Document out = document;
    out.put(std::move(node));
    return out;
}

Document withoutNode(const Document& document, const std::string& id) {
    if (document.get(id).category() == Category::Settings) throw Error("the scene's settings stay");
    Document out = document;
    for (const NodePtr& layer : document.nodes(Category::Layer))  // what follows its recipe keeps it
        if (layer->id != id && recipeOwner(document, *layer).id == id) out = withUnlinked(out, layer->id);
    out.remove(id);  // first, so that layers which lie on each other end too
    for (const NodePtr& layer : document.layersOn(id))
        if (out.find(layer->id)) out = withoutNode(out, layer->id);
    const std::vector<NodePtr> rest = out.nodes();
    for (const NodePtr& other : rest) {
        Node n = *other;
        if (n.parent == id) n.parent = document.get(id).parent;
        changeReferences(n, [&](const ParamSpec&, std::string& ref) {
            if (ref == id) ref.clear();
        });
        if (!(n == *other)) out.put(std::move(n));
    }
    return out;
}

Document withDuplicate(const Document& document, const std::string& id, std::string* newId) {
    Document out = document;
    Node copy = document.get(id);
    if (copy.category() == Category::Settings) throw Error("the scene's settings cannot be copied");
    copy.name += " copy";
    copy.id = out.freeId(copy.name);
    if (newId) *newId = copy.id;
    const std::string copyId = copy.id;
    out.insert(document.indexOf(id) + 1, std::move(copy));
    for (const NodePtr& layer : document.layersOn(id)) {
        Node l = *layer;
        l.id = out.freeId(l.name);
        l.params[kLayer.surface.id()].value = copyId;
        out.insert(out.nodes().size(), std::move(l));
    }
    return out;
}

Document withLinkedLayer(const Document& document, const std::string& id, const std::string& surface,
                         std::string* newId) {
    const Node& layer = document.get(id);
    if (layer.category() != Category::Layer) throw Error("only a layer can be linked to", layer.name);
    const Node& owner = recipeOwner(document, layer);
    Node copy = layer;
    copy.name += " linked";
    copy.id = document.freeId(copy.name);
    if (&owner == &layer)
        copy.steps.clear();  // else it starts with the own values of the one it is made from
    copy.params[kLayer.linked.id()].value = owner.id;
    copy.params[kLayer.surface.id()].value = surface;
    if (newId) *newId = copy.id;
    Document out = document;
    out.insert(document.indexOf(id) + 1, std::move(copy));
    return out;
}

Document withUnlinked(const Document& document, const std::string& layer) {
    return changed(document, layer, [&](Node& n) {
        n.steps = recipeOf(document, document.get(layer))->steps;
        n.params[kLayer.linked.id()].value = std::string();
    });
}

bool isOwnValue(const Document& document, const ParamPath& path) {
    const Node& node = document.get(path.node);
    if (path.step.empty() || &recipeOwner(document, node) == &node) return false;
    const Step* own = node.step(path.step);
    return own && own->params.count(path.param);
}

Document withSharedValue(const Document& document, const ParamPath& path) {
    if (!isOwnValue(document, path)) return document;
    return changed(document, path.node, [&](Node& n) {
        Step& own = stepIn(n, path.step);
        own.params.erase(path.param);
        if (own.params.empty()) std::erase_if(n.steps, [&](const Step& s) { return s.id == path.step; });
    });
}

static std::string ownerId(const Document& document, const std::string& layer) {
    return recipeOwner(document, document.get(layer)).id;
}

/// Parts follow the step that they stand in: the first place at or after @p place that cuts no such run.
static size_t placeBetween(const std::vector<Step>& steps, size_t index) {
    index = std::min(index, steps.size());
    while (index < steps.size() && !steps[index].in.empty()) ++index;
    return index;
}

Document withStep(const Document& document, const std::string& layer, size_t index, Step step) {
    return changed(document, ownerId(document, layer), [&](Node& n) {
        if (!step.in.empty()) {
            const Step& holder = stepIn(n, step.in);
            index = size_t(&holder - n.steps.data()) + 1;
        }
        index = placeBetween(n.steps, index);
        const StepType* type = findStepType(step.type);
        const std::string id = step.id;
        n.steps.insert(n.steps.begin() + std::ptrdiff_t(index), std::move(step));
        if (!type) return;
        for (const std::string& part : type->startsWith) {
            Step made = makeStep(part, n);
            made.in = id;
            n.steps.insert(n.steps.begin() + std::ptrdiff_t(++index), std::move(made));
        }
    });
}

Document withPart(const Document& document, const std::string& layer, const std::string& step,
                  const std::string& type) {
    const Node& owner = recipeOwner(document, document.get(layer));
    Step part = makeStep(type, owner);
    part.in = step;
    return withStep(document, layer, 0, std::move(part));
}

Document withoutStep(const Document& document, const std::string& layer, const std::string& step) {
    return changed(document, ownerId(document, layer), [&](Node& n) {
        stepIn(n, step);
        std::erase_if(n.steps, [&](const Step& s) { return s.id == step || s.in == step; });
    });
}

Document withStepMoved(const Document& document, const std::string& layer, const std::string& step,
                       size_t index) {
    return changed(document, ownerId(document, layer), [&](Node& n) {
        const std::string in = stepIn(n, step).in;
        std::vector<Step> moved, rest;  // the step with its parts, and all others
        for (Step& s : n.steps) (s.id == step || s.in == step ? moved : rest).push_back(std::move(s));
        size_t at = 0;  // past so many of those that it stands among
        for (size_t passed = 0; at < rest.size(); ++at)
            if (rest[at].in == in && passed++ == index) break;
        if (!in.empty())  // not past the last of them
            while (at > 0 && rest[at - 1].in != in && rest[at - 1].id != in) --at;
        rest.insert(rest.begin() + std::ptrdiff_t(at), std::make_move_iterator(moved.begin()),
                    std::make_move_iterator(moved.end()));
        n.steps = std::move(rest);
    });
}

Document withStepOn(const Document& document, const std::string& layer, const std::string& step, bool on) {
    return changed(document, ownerId(document, layer), [&](Node& n) { stepIn(n, step).on = on; });
}

std::vector<const StepType*> replacementsOf(const Step& step) {
    std::vector<const StepType*> fitting;
    const StepType* own = findStepType(step.type);
    for (const StepType& t : stepTypes())
        if (own && t.id != own->id && t.takes == own->takes && t.gives == own->gives &&
            t.phase == own->phase && t.partOf == own->partOf && t.holds == own->holds)
            fitting.push_back(&t);
    return fitting;
}

Document withStepReplaced(const Document& document, const std::string& layer, const std::string& step,
                          const std::string& type) {
    return changed(document, ownerId(document, layer), [&](Node& n) {
        Step& old = stepIn(n, step);
        Step fresh = makeStep(type, n);
        for (const ParamSpec& spec : specsOf(fresh)) {
            const ParamSpec* before = findSpec(specsOf(old), spec.id);
            if (before && before->type == spec.type && old.params.count(spec.id))
                fresh.params[spec.id] = old.params.at(spec.id);
        }
        fresh.on = old.on;
        fresh.in = old.in;
        old = std::move(fresh);
    });
}

std::vector<const StepType*> fittingSteps(const Node& layer, size_t index) {
    const std::optional<GeometryKind> first = recipeBegins(layer);
    if (!first) return {};
    GeometryKind before = *first;
    index = placeBetween(layer.steps, index);
    for (size_t i = 0; i < index; ++i)
        if (const StepType* t = findStepType(layer.steps[i].type); t && t->partOf.empty()) before = t->gives;
    const StepType* next = index < layer.steps.size() ? findStepType(layer.steps[index].type) : nullptr;
    std::vector<const StepType*> fitting;
    for (const StepType& t : stepTypes())
        if (t.partOf.empty() && t.takes == before &&
            (next ? t.gives == next->takes : *first == GeometryKind::Nothing || t.gives == *first))
            fitting.push_back(&t);
    return fitting;
}

std::vector<const StepType*> fittingParts(const Step& step) {
    const StepType* holder = findStepType(step.type);
    std::vector<const StepType*> fitting;
    for (const StepType& t : stepTypes())
        if (holder && std::find(t.partOf.begin(), t.partOf.end(), holder->holds) != t.partOf.end())
            fitting.push_back(&t);
    return fitting;
}

}  // namespace ovrix::document
