// Scenes of older versions, brought up to date one version after the other.
#include <fmt/format.h>

#include "base/error.h"
#include "document/file/scene_file.h"
#include "params/number_text.h"

namespace ovrix::document {

using Json = nlohmann::ordered_json;

namespace {

/// A noise had "ridged"; now it has a kind, of which ridged is one.
void nameNoiseKinds(Json& json) {
    if (json.is_object() && json.value("type", Json()) == "noise" && json.contains("params") &&
        json["params"].is_object() && json["params"].contains("ridged")) {
        if (json["params"]["ridged"] == true) json["params"]["kind"] = "ridged";
        json["params"].erase("ridged");
    }
    if (json.is_structured())
        for (Json& inner : json) nameNoiseKinds(inner);
}

/// A blade took so many pictures from a first one on, and had three numbers for its width along it; now the
/// pictures are named, and the width is a profile.
void renewBlades(Json& scene) {
    if (!scene.contains("nodes") || !scene["nodes"].is_array()) return;
    for (Json& node : scene["nodes"]) {
        if (!node.is_object() || node.value("type", Json()) != "blade") continue;
        if (!node.contains("params")) node["params"] = Json::object();
        if (!node["params"].is_object()) continue;
        Json& params = node["params"];
        const auto whole = [&](const char* key, int initial) {
            return params.contains(key) && params[key].is_number_integer() ? params[key].get<int>() : initial;
        };
        const int first = whole("from_cell", 0), count = std::max(1, whole("cells", 1)),
                  all = std::clamp(whole("columns", 1) * whole("rows", 1), 1, 4096);
        std::vector<int> cells;
        cells.reserve(size_t(std::min(count, all)));
        for (int i = 0; i < std::min(count, all); ++i) cells.push_back((std::max(0, first) + i) % all);
        std::sort(cells.begin(), cells.end());
        params["pictures"] = textFromCells(cells);
        const auto part = [&](const char* key, double initial) {
            return params.contains(key) && params[key].is_number() ? params[key].get<double>() : initial;
        };
        const double widest = std::clamp(part("widest", 0.3), 0.001, 0.999);
        params["profile"] =
            Json{{"points", Json::array({Json::array({0, part("foot", 0.6)}), Json::array({widest, 1}),
                                         Json::array({1, part("tip", 0)})})},
                 {"smooth", true}};
        for (const char* key : {"from_cell", "cells", "foot", "widest", "tip"}) params.erase(key);
    }
}

/// Keys that went slow at both ends were called smooth; now smooth keys go through without a stop.
void nameEases(Json& json) {
    if (json.is_object() && json.contains("frame") && json.contains("value") &&
        json.value("ease", Json("smooth")) == "smooth")
        json["ease"] = "eased";
    if (json.is_structured())
        for (Json& inner : json) nameEases(inner);
}

/// Noise was always of the world; now new noise goes with what wears it.
void keepNoiseInTheWorld(Json& json) {
    if (json.is_object() && json.value("type", Json()) == "noise" && !json.contains("id")) {
        if (!json.contains("params")) json["params"] = Json::object();
        if (json["params"].is_object()) json["params"]["space"] = "in the world";
    }
    if (json.is_structured())
        for (Json& inner : json) keepNoiseInTheWorld(inner);
}

struct Renamed {
    const char *type, *from, *to;
};

/// Parameters that were called by words with several senses.
constexpr Renamed kParams[] = {
    {"scatter", "keep", "mask"},
    {"spread", "keep", "mask"},
    {"grid", "keep", "mask"},
    {"on_mesh", "keep", "mask"},
    {"along", "keep", "mask"},
    {"from_file", "keep", "mask"},
    {"fill", "keep", "mask"},
    {"grid", "turn", "rotation"},
    {"dome", "turn", "azimuth"},
    {"orient", "stand", "up"},
    {"orient", "stand_direction", "up_direction"},
    {"orient", "stand_point", "up_point"},
    {"orient", "stand_object", "up_object"},
    {"orient", "stand_curves", "up_curves"},
    {"flyaways", "share", "fraction"},
    {"image", "lay", "projection"},
    {"simulate_strands", "keep", "shape_memory"},
    {"gravity", "pull", "acceleration"},
    {"turbulence", "how", "mode"},
    {"turbulence", "hold", "response"},
    {"vectors", "how", "mode"},
    {"vectors", "hold", "response"},
    {"vortex", "place", "position"},
    {"attract", "part", "toward"},
    {"attract", "place", "position"},
    {"follow_curve", "hold", "response"},
    {"target", "hold", "damping"},
    {"land", "share", "fraction"},
    {"steer", "turn", "turn_rate"},
    {"facing", "how", "mode"},
};

struct RenamedChoice {
    const char *type, *param, *from, *to;
};

constexpr RenamedChoice kChoices[] = {
    {"turbulence", "mode", "pushes", "force"},
    {"turbulence", "mode", "carries", "flow"},
    {"vectors", "mode", "pushes", "force"},
    {"vectors", "mode", "carries", "flow"},
    {"attract", "toward", "its middle", "centre"},
    {"attract", "toward", "its surface", "surface"},
    {"vary_size", "form", "kept", "uniform"},
    {"age", "measure", "as part of its life", "as a fraction of life"},
    {"facing", "mode", "along its way", "along velocity"},
    {"offspring", "when", "along the way", "along its path"},
};

void renameKey(Json& object, const char* from, const char* to) {
    if (!object.is_object() || !object.contains(from) || object.contains(to)) return;
    Json renamed = Json::object();  // in its place: files stay easy to compare
    for (const auto& [key, value] : object.items()) renamed[key == from ? to : key] = value;
    object = std::move(renamed);
}

/// The value of a parameter, or those of its keys.
void renameChoice(Json& param, const char* from, const char* to) {
    if (param == from) param = to;
    if (!param.is_object()) return;
    if (param.contains("value")) renameChoice(param["value"], from, to);
    if (param.contains("keys") && param["keys"].is_array())
        for (Json& key : param["keys"]) renameChoice(key, from, to);
}

void renameValues(Json& params) {
    const auto inList = [&](const char* param, const char* from, const char* to) {
        if (!params.contains(param)) return;
        Json& whole = params[param];
        Json& list = whole.is_object() && whole.contains("value") ? whole["value"] : whole;
        if (list.is_array())
            for (Json& item : list) renameKey(item, from, to);
    };
    inList("prototypes", "share", "weight");
    inList("edits", "turn", "rotation");
    if (params.contains("combing") && params["combing"].is_object() &&
        params["combing"].contains("strands") && params["combing"]["strands"].is_array())
        for (Json& strand : params["combing"]["strands"]) renameKey(strand, "place", "position");
}

void renameParams(Json& json) {
    if (json.is_structured())
        for (Json& inner : json) renameParams(inner);
    if (!json.is_object() || !json.contains("type") || !json["type"].is_string()) return;
    if (!json.contains("params") || !json["params"].is_object()) return;
    std::string type = json["type"];
    if (type.starts_with("strand_")) type.erase(0, 7);  // the same forces, of strands
    Json& params = json["params"];
    for (const Renamed& r : kParams)
        if (type == r.type) renameKey(params, r.from, r.to);
    for (const RenamedChoice& c : kChoices)
        if (type == c.type && params.contains(c.param)) renameChoice(params[c.param], c.from, c.to);
    renameValues(params);
}

/// The numbers of a parameter: its value, the other end of its range, its keys with their handles, and its
/// formulas.
void scaleNumbers(Json& param, double by) {
    if (param.is_number()) {
        param = param.get<double>() * by;
        return;
    }
    if (!param.is_object()) return;
    for (const char* part : {"value", "low"})
        if (param.contains(part)) scaleNumbers(param[part], by);
    for (const char* handle : {"before", "after"})  // of a key: frames, then how far
        if (param.contains(handle) && param[handle].is_array() && param[handle].size() == 2)
            scaleNumbers(param[handle][1], by);
    if (param.contains("keys") && param["keys"].is_array())
        for (Json& key : param["keys"]) scaleNumbers(key, by);
    if (!param.contains("formulas") || !param["formulas"].is_object()) return;
    for (Json& formula : param["formulas"])
        if (formula.is_string()) formula = fmt::format("({}) * {}", formula.get<std::string>(), by);
}

/// Parameters of surfaces are called as the open OpenPBR specification calls them, and a shine of 1 is that
/// of glass; it was 0.5.
void nameSurfaces(Json& json) {
    if (json.is_structured())
        for (Json& inner : json) nameSurfaces(inner);
    if (!json.is_object() || json.value("type", Json()) != "surface" || !json.contains("params") ||
        !json["params"].is_object())
        return;
    Json& params = json["params"];
    constexpr const char* kNames[][2] = {{"base", "base_color"},          {"roughness", "specular_roughness"},
                                         {"metalness", "base_metalness"}, {"specular", "specular_weight"},
                                         {"opacity", "geometry_opacity"}, {"emission", "emission_color"}};
    for (const auto& [from, to] : kNames) renameKey(params, from, to);
    if (params.contains("specular_weight")) scaleNumbers(params["specular_weight"], 2.0);
}

/// Renders looked six reflections far, cut bright dots and laid a tent over each pixel unless they said
/// otherwise.
void keepRenderDefaults(Json& scene) {
    if (!scene.contains("nodes") || !scene["nodes"].is_array()) return;
    for (Json& node : scene["nodes"]) {
        if (!node.is_object() || node.value("type", Json()) != "render") continue;
        if (!node.contains("params")) node["params"] = Json::object();
        Json& params = node["params"];
        if (!params.is_object()) continue;
        const std::pair<const char*, Json> before[] = {{"bounces", 6},
                                                       {"limit", 10.0},
                                                       {"regularisation", 0.0},
                                                       {"filter", "tent"},
                                                       {"filter_width", 2.0}};
        for (const auto& [key, value] : before)
            if (!params.contains(key)) params[key] = value;
    }
}

/// What shone had a colour and a strength in watts; now it has a luminance, which is 0 where nothing shines.
void countNits(Json& json) {
    if (json.is_structured())
        for (Json& inner : json) countNits(inner);
    if (!json.is_object() || json.value("type", Json()) != "surface" || !json.contains("params") ||
        !json["params"].is_object())
        return;
    Json& params = json["params"];
    const Json black = Json::array({0, 0, 0});
    const bool dark = !params.contains("emission_color") || params["emission_color"] == black;
    if (dark) {
        params.erase("emission_color");
        params.erase("glow");
        return;
    }
    if (!params.contains("glow")) params["glow"] = 1.0;
    renameKey(params, "glow", "emission_luminance");
    scaleNumbers(params["emission_luminance"], 179.0);
}

void bringTo8(Json& scene) {
    countNits(scene);
    keepRenderDefaults(scene);
}

/// How bright light is rolled off stood with the render; it is a part of the finish now.
void moveTone(Json& scene) {
    if (!scene.contains("nodes") || !scene["nodes"].is_array()) return;
    Json& nodes = scene["nodes"];
    for (size_t i = 0; i < nodes.size(); ++i) {
        if (!nodes[i].is_object() || nodes[i].value("type", Json()) != "render" ||
            !nodes[i].contains("params") || !nodes[i]["params"].is_object())
            continue;
        Json tone = nodes[i]["params"].value("tone", Json("soft"));
        nodes[i]["params"].erase("tone");
        if (tone.is_object()) tone = tone.value("value", Json("soft"));
        if (tone != "plain") return;
        const auto taken = [&](const std::string& id) {
            return std::any_of(nodes.begin(), nodes.end(),
                               [&](const Json& n) { return n.is_object() && n.value("id", Json()) == id; });
        };
        std::string id = "finish";
        for (int n = 2; taken(id); ++n) id = fmt::format("finish_{}", n);
        nodes.insert(
            nodes.begin() + std::ptrdiff_t(i) + 1,
            Json{{"id", id}, {"type", "finish"}, {"name", "Finish"}, {"params", {{"response", "plain"}}}});
        return;
    }
}

}  // namespace

/// Of what nodes hold alone: what stands beside them belongs to another version.
template <void (*Change)(Json&)>
static void inNodes(Json& scene) {
    if (scene.contains("nodes")) Change(scene["nodes"]);
}

const std::vector<Migration>& sceneMigrations() {
    static const std::vector<Migration> table = {inNodes<nameNoiseKinds>,
                                                 renewBlades,
                                                 inNodes<nameEases>,
                                                 inNodes<keepNoiseInTheWorld>,
                                                 renameParams,
                                                 nameSurfaces,
                                                 bringTo8,
                                                 moveTone};
    return table;
}

void migrateScene(Json& scene, const std::vector<Migration>& table, const std::string& name) {
    if (!scene.contains("version") || !scene["version"].is_number_integer())
        throw Error("has no version", name, "Restore the file from a copy");
    const int newest = int(table.size()) + 1;
    const auto version = scene["version"].get<int64_t>();
    if (version < 1)
        throw Error(fmt::format("version {} never was", version), name, "Restore the file from a copy");
    if (version > newest)
        throw Error(
            fmt::format("is of version {}, and this program knows versions up to {}", version, newest), name,
            "Open it in a newer Ovrix");
    for (int v = int(version); v < newest; ++v) table[size_t(v - 1)](scene);
    scene["version"] = newest;
}

}  // namespace ovrix::document
