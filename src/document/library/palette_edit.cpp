#include "document/library/palette_edit.h"

#include "base/error.h"
#include "base/files.h"
#include "base/json_guard.h"
#include "document/edits/edits.h"
#include "document/library/material_file.h"
#include "document/model/params.h"

namespace ovrix::document {

namespace {

constexpr size_t kMostColors = 32;

/// The material that a node is or wears; one is made where it wears none.
Document withMaterialOf(const Document& document, const std::string& id, std::string& material) {
    const Node& node = document.get(id);
    if (node.category() == Category::Material) {
        material = id;
        return document;
    }
    if (node.category() != Category::Object && node.category() != Category::Layer)
        throw Error("has no colours to spread", node.name, "Choose an object, a layer or a material");
    material = std::get<std::string>(document.value(id, kObject.object.material.id()));
    if (const Node* worn = document.find(material); worn && worn->category() == Category::Material)
        return document;
    const Node made = makeNode(document, "surface", node.name + " colours");
    material = made.id;
    return withWorn(withNode(document, made), id, material);
}

}  // namespace

Document withPaletteSpread(const Document& document, const std::string& id, const params::Palette& palette) {
    if (palette.empty()) throw Error("the palette has no colours", {}, "Drop a picture on it");
    std::string material;
    Document out = withMaterialOf(document, id, material);
    for (const ParamSpec& spec : specsOf(out.get(material))) {
        if (spec.type != ParamType::Color || !spec.drivable) continue;
        const ParamPath path{material, "", spec.id};
        // Some colours count only where another parameter says so.
        if (const size_t equals = spec.showIf.find('=');
            equals != std::string::npos && !appliesAt(out, path, spec))
            out =
                withText(out, material + "/" + spec.showIf.substr(0, equals), spec.showIf.substr(equals + 1));
        Param p = paramAt(out, path);
        Color low, high;
        p.ramp = std::make_shared<Ramp>(params::stepsOf(palette, low, high));
        p.low = low, p.value = high;
        p.field = std::make_shared<Field>(Field{{makeSource("random")}});
        p.curves = nullptr;
        p.keys.clear(), p.formulas.clear();
        return withParam(out, path, std::move(p));
    }
    throw Error("has no colour that a field may drive", out.get(material).name, "Choose another material");
}

void savePalette(const NamedPalette& palette, const std::filesystem::path& path) {
    nlohmann::ordered_json colors = nlohmann::ordered_json::array();
    for (const auto& [color, share] : palette.colors) colors.push_back({color.x, color.y, color.z, share});
    writeFile(path,
              nlohmann::ordered_json{
                  {"format", "ovrix-palette"}, {"version", 1}, {"name", palette.name}, {"colors", colors}}
                      .dump(2) +
                  "\n");
}

NamedPalette loadPalette(const std::filesystem::path& path) {
    const std::string text = readFile(path);
    requireBoundedJson(text, path.string());
    const auto json = nlohmann::json::parse(text, nullptr, false);
    const auto damaged = [&] {
        return Error("is no Ovrix palette", path.string(), "Choose a .palette file");
    };
    if (!json.is_object() || json.value("format", nlohmann::json()) != "ovrix-palette" ||
        !json.contains("colors") || !json["colors"].is_array())
        throw damaged();
    NamedPalette palette;
    palette.name = json.contains("name") && json["name"].is_string() ? json["name"].get<std::string>()
                                                                     : path.stem().string();
    for (const auto& c : json["colors"]) {
        if (!c.is_array() || c.size() != 4) throw damaged();
        float x[4];
        for (size_t k = 0; k < 4; ++k) {
            if (!c[k].is_number()) throw damaged();
            x[k] = c[k].get<float>();
            if (!std::isfinite(x[k]) || x[k] < 0.0f) throw damaged();
        }
        if (palette.colors.size() < kMostColors) palette.colors.push_back({Color(x[0], x[1], x[2]), x[3]});
    }
    return palette;
}

}  // namespace ovrix::document
