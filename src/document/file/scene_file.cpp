#include "document/file/scene_file.h"

#include <fmt/format.h>

#include <set>

#include "base/error.h"
#include "base/files.h"
#include "base/json_guard.h"
#include "document/file/map_files.h"
#include "document/model/values.h"
#include "params/number_text.h"

namespace ovrix::document {

using Json = nlohmann::ordered_json;

namespace {

/// Known keys first and in a fixed order, then what a newer version put there.
void addUnknown(Json& out, const nlohmann::json& unknown) {
    for (const auto& [key, value] : unknown.items())
        if (key != "params") out[key] = value;
}

Json paramsToJson(const std::vector<ParamSpec>& specs, const ParamMap& params,
                  const nlohmann::json& unknown) {
    Json out = Json::object();
    for (const ParamSpec& spec : specs)
        if (const auto it = params.find(spec.id); it != params.end())
            out[spec.id] = paramToJson(spec, it->second);
    if (unknown.contains("params"))
        for (const auto& [key, value] : unknown["params"].items()) out[key] = value;
    return out;
}

Json stepToJson(const Step& step) {
    Json j{{"id", step.id},
           {"type", step.type},
           {"on", step.on},
           {"params", paramsToJson(specsOf(step), step.params, step.unknown)}};
    if (!step.in.empty()) j["in"] = step.in;
    addUnknown(j, step.unknown);
    return j;
}

Json nodeToJson(const Node& node) {
    Json j{{"id", node.id}, {"type", node.type}, {"name", node.name}};
    if (!node.parent.empty()) j["parent"] = node.parent;
    j["shown"] = node.shown;
    j["rendered"] = node.rendered;
    j["params"] = paramsToJson(specsOf(node), node.params, node.unknown);
    if (node.category() == Category::Layer || !node.steps.empty()) {
        j["steps"] = Json::array();
        for (const Step& s : node.steps) j["steps"].push_back(stepToJson(s));
    }
    addUnknown(j, node.unknown);
    return j;
}

/// Runs @p body and adds @p place in front of the place of an Error from it.
template <class Body>
auto at(const std::string& place, const Body& body) {
    try {
        return body();
    } catch (const Error& e) {
        throw Error(e.problem(), e.where().empty() ? place : place + " > " + e.where(), e.remedy());
    } catch (const nlohmann::json::exception& e) {
        logDetail(place, e.what());
        throw Error("is not of the kind that stands here", place, "Restore the file from a copy");
    }
}

std::string textAt(const Json& j, const char* key, bool required) {
    if (!j.contains(key)) {
        if (required)
            throw Error(std::string("\"") + key + "\" is missing", {},
                        "Add it, or restore the file from a copy");
        return {};
    }
    if (!j[key].is_string()) throw Error("expected a text", key);
    return j[key].get<std::string>();
}

bool flagAt(const Json& j, const char* key, bool initial) {
    if (!j.contains(key)) return initial;
    if (!j[key].is_boolean()) throw Error("expected true or false", key);
    return j[key].get<bool>();
}

ParamMap paramsFrom(const std::vector<ParamSpec>& specs, const Json& j, nlohmann::json& unknown) {
    ParamMap params;
    if (!j.contains("params")) return params;
    if (!j["params"].is_object()) throw Error("expected an object", "params");
    for (const auto& [key, value] : j["params"].items()) {
        if (const ParamSpec* spec = findSpec(specs, key))
            params[key] = paramFromJson(*spec, value);
        else
            unknown["params"][key] = value;
    }
    return params;
}

void keepUnknown(const Json& j, const std::set<std::string>& known, nlohmann::json& unknown) {
    for (const auto& [key, value] : j.items())
        if (!known.count(key)) unknown[key] = value;
}

Step stepFrom(const Json& j) {
    if (!j.is_object()) throw Error("expected a step");
    Step step;
    step.type = textAt(j, "type", true);
    step.id = textAt(j, "id", false);
    if (step.id.empty()) step.id = step.type;
    step.on = flagAt(j, "on", true);
    step.in = textAt(j, "in", false);
    step.params = paramsFrom(specsOf(step), j, step.unknown);
    keepUnknown(j, {"id", "type", "on", "in", "params"}, step.unknown);
    return step;
}

Node nodeFrom(const Json& j) {
    if (!j.is_object()) throw Error("expected a node");
    Node node;
    node.id = textAt(j, "id", true);
    if (node.id.empty()) throw Error("\"id\" is empty");
    if (node.id.find('/') != std::string::npos) throw Error("an id may not hold \"/\"");
    node.type = textAt(j, "type", true);
    node.name = textAt(j, "name", false);
    if (node.name.empty()) node.name = node.id;
    node.parent = textAt(j, "parent", false);
    node.shown = flagAt(j, "shown", true);
    node.rendered = flagAt(j, "rendered", true);
    node.params = paramsFrom(specsOf(node), j, node.unknown);
    if (j.contains("steps")) {
        if (!j["steps"].is_array()) throw Error("expected a list", "steps");
        for (size_t i = 0; i < j["steps"].size(); ++i)
            node.steps.push_back(at(fmt::format("steps[{}]", i), [&] { return stepFrom(j["steps"][i]); }));
        std::set<std::string> ids;
        for (const Step& s : node.steps)
            if (!ids.insert(s.id).second)
                throw Error("two steps have the id \"" + s.id + "\"", "steps", "Give one another id");
    }
    keepUnknown(j, {"id", "type", "name", "parent", "shown", "rendered", "params", "steps"}, node.unknown);
    return node;
}

Json parse(const std::string& text, const std::string& name) {
    requireBoundedJson(text, name);
    try {
        return Json::parse(text);
    } catch (const nlohmann::json::parse_error& e) {
        const size_t end = std::min<size_t>(e.byte, text.size());
        const auto line = 1 + std::count(text.begin(), text.begin() + std::ptrdiff_t(end), '\n');
        throw Error(fmt::format("is no scene: line {} is not JSON", line), name,
                    "Restore the file from a copy");
    } catch (const nlohmann::json::exception&) {
        throw Error("is no scene: it holds a number that is too large", name, "Restore the file from a copy");
    }
}

}  // namespace

std::string writeScene(const Document& document) {
    Json j{{"format", "ovrix-scene"}, {"version", kSceneVersion}, {"nodes", Json::array()}};
    for (const NodePtr& n : document.nodes()) j["nodes"].push_back(nodeToJson(*n));
    for (const auto& [key, value] : document.unknown.items()) j[key] = value;
    return j.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

/// Settings that are younger than the file, as they are in a new scene.
static void addSettings(Document& document) {
    for (const char* type : {"surroundings", "finish"}) {
        const Node* before = document.settings("render");
        if (before && !document.settings(type))
            document.insert(document.indexOf(before->id) + 1, makeNode(document, type));
    }
}

static Document readParsed(Json j, const std::string& name) {
    if (!j.is_object() || j.value("format", Json()) != "ovrix-scene")
        throw Error("is no Ovrix scene", name, "Choose a .ovrix file");
    migrateScene(j, sceneMigrations(), name);
    if (!j.contains("nodes") || !j["nodes"].is_array())
        throw Error("has no list of nodes", name, "Restore the file from a copy");
    Document document;
    std::set<std::string> ids;
    for (size_t i = 0; i < j["nodes"].size(); ++i) {
        Node node = at(fmt::format("{} > nodes[{}]", name, i), [&] { return nodeFrom(j["nodes"][i]); });
        if (!ids.insert(node.id).second)
            throw Error("two nodes have the id \"" + node.id + "\"", name, "Give one another id");
        document.insert(document.nodes().size(), std::move(node));
    }
    keepUnknown(j, {"format", "version", "nodes"}, document.unknown);
    addSettings(document);
    return document;
}

Document readScene(const std::string& text, const std::string& name) {
    try {
        return readParsed(parse(text, name), name);
    } catch (const nlohmann::json::exception&) {  // something is of another type than all that was looked at
        throw Error("holds something of another kind than a scene has there", name,
                    "Restore the file from a copy");
    }
}

Document loadScene(const std::filesystem::path& path) {
    return withMapsRead(readScene(readFile(path), path.string()), mapFolder(path));
}

void saveScene(const Document& document, const std::filesystem::path& path) {
    writeMaps(document, mapFolder(path));  // first: the scene never refers to one that is not there
    writeFile(path, writeScene(document));
    dropOldMaps(document, mapFolder(path));
}

Document rebasePaths(const Document& document, const std::filesystem::path& from,
                     const std::filesystem::path& to) {
    const auto change = [&](const std::string& path) -> std::string {
        if (path.empty()) return path;
        const auto whole = (std::filesystem::absolute(from) / path).lexically_normal();
        if (to.empty()) return whole.string();
        const auto relative = whole.lexically_relative(std::filesystem::absolute(to).lexically_normal());
        return relative.empty() ? whole.string() : relative.string();
    };
    Document out = document;
    for (const NodePtr& node : document.nodes()) {
        Node n = *node;
        changeValues(n, [&](const ParamSpec& spec, Value& value) {
            if (spec.type == ParamType::File) value = change(std::get<std::string>(value));
        });
        if (!(n == *node)) out.put(std::move(n));
    }
    return out;
}

}  // namespace ovrix::document
