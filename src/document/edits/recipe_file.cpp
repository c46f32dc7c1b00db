#include "document/edits/recipe_file.h"

#include <fmt/format.h>

#include "base/error.h"
#include "base/files.h"
#include "base/hash.h"
#include "base/json_guard.h"
#include "document/edits/edits.h"
#include "document/file/scene_file.h"
#include "document/model/references.h"
#include "document/model/values.h"

namespace ovrix::document {

namespace {

namespace fs = std::filesystem;

/// Whether a reference of that kind goes with the recipe.
bool goesAlong(const ParamSpec& spec, const Node& node) {
    return (spec.refKind == "material" && node.category() == Category::Material) ||
           (spec.type == ParamType::PrototypeMix && node.category() == Category::Object);
}

/// The node with all that it needs, in @p parts.
void gather(const Document& document, Node node, RecipeFile& out) {
    std::vector<std::string> needed;
    changeReferences(node, [&](const ParamSpec& spec, std::string& id) {
        const Node* other = document.find(id);
        if (other && goesAlong(spec, *other)) {
            needed.push_back(id);
            return;
        }
        if (other) out.leftOut.push_back(other->name);
        id.clear();
    });
    node.parent.clear();
    if (node.category() == Category::Object) node.shown = node.rendered = false;  // copies are what is seen
    out.parts.insert(out.parts.nodes().size(), std::move(node));
    for (const std::string& id : needed) {
        out.parts.remove(id);  // it comes after everything that needs it
        gather(document, document.get(id), out);
    }
}

/// Takes out what belongs to one surface: what is painted on it, and elements changed by hand.
void forgetPlace(Node& layer, RecipeFile& out) {
    changeValues(layer, [&](const ParamSpec&, Value& value) {
        if (const auto* map = std::get_if<MapValue>(&value); map && map->map) {
            value = MapValue();
            out.leftOut.push_back("a painted map");
        }
        if (const auto* edits = std::get_if<ManualEdits>(&value); edits && !edits->list.empty()) {
            value = ManualEdits();
            out.leftOut.push_back("changes by hand");
        }
        if (const auto* edits = std::get_if<StrandEdits>(&value); edits && !edits->list.empty()) {
            value = StrandEdits();
            out.leftOut.push_back("combing");
        }
    });
}

/// Alike in all that copies of it show.
bool alike(Node known, const Node& part) {
    known.shown = part.shown;
    known.rendered = part.rendered;
    known.parent = part.parent;
    return known == part;
}

/// The node of the document that is just like @p part; null when there is none.
const Node* likeness(const Document& document, Node part) {
    for (const NodePtr& node : document.nodes()) {
        part.id = node->id;
        if (alike(*node, part)) return node.get();
    }
    return nullptr;
}

/// Adds the recipe's prototypes and materials, and gives its layer with the ids that they have there.
Node settle(Document& document, const RecipeFile& recipe) {
    std::map<std::string, std::string> idOf;
    const auto rename = [&](const ParamSpec&, std::string& id) {
        if (const auto it = idOf.find(id); it != idOf.end()) id = it->second;
    };
    const auto& parts = recipe.parts.nodes();
    for (size_t i = parts.size(); i-- > 1;) {  // what a part needs comes after it, and so is settled before
        Node part = *parts[i];
        changeReferences(part, rename);
        const Node* known = likeness(document, part);
        idOf[parts[i]->id] = known ? known->id : document.freeId(part.name);
        if (known) continue;
        part.id = idOf[parts[i]->id];
        document.insert(document.nodes().size(), std::move(part));
    }
    Node layer = recipe.layer();
    changeReferences(layer, rename);
    return layer;
}

}  // namespace

RecipeFile recipeOfLayer(const Document& document, const std::string& id, const fs::path& folder) {
    const Document whole = rebasePaths(document, folder, {});
    Node layer = *recipeOf(whole, whole.get(id));
    if (layer.category() != Category::Layer)
        throw Error("has no recipe to save", layer.name, "Choose a layer");
    RecipeFile out;
    out.name = layer.name;
    layer.params.erase(kLayer.surface.id());
    layer.params.erase(kLayer.linked.id());
    forgetPlace(layer, out);
    gather(whole, std::move(layer), out);
    return out;
}

std::string writeRecipe(const RecipeFile& recipe) {
    auto json = nlohmann::ordered_json::parse(writeScene(recipe.parts));
    nlohmann::ordered_json out{{"format", "ovrix-recipe"},
                               {"version", json["version"]},
                               {"name", recipe.name},
                               {"about", recipe.about},
                               {"nodes", json["nodes"]}};
    return out.dump(2) + "\n";
}

RecipeFile readRecipe(const std::string& text, const std::string& name) {
    requireBoundedJson(text, name);
    auto json = nlohmann::ordered_json::parse(text, nullptr, false);
    if (!json.is_object() || json.value("format", nlohmann::ordered_json()) != "ovrix-recipe")
        throw Error("is no Ovrix recipe", name, "Choose a .recipe file");
    RecipeFile recipe;
    const auto textOf = [&](const char* key) {
        return json.contains(key) && json[key].is_string() ? json[key].get<std::string>() : std::string();
    };
    recipe.name = textOf("name");
    recipe.about = textOf("about");
    for (const char* key : {"name", "about"}) json.erase(key);
    json["format"] = "ovrix-scene";
    recipe.parts = readScene(json.dump(), name);
    if (recipe.parts.nodes().empty() || recipe.layer().category() != Category::Layer)
        throw Error("does not begin with a layer", name, "Save it again from a scene");
    if (recipe.name.empty()) recipe.name = recipe.layer().name;
    return recipe;
}

void saveRecipe(const RecipeFile& recipe, const fs::path& path) { writeFile(path, writeRecipe(recipe)); }

RecipeFile loadRecipe(const fs::path& path) { return readRecipe(readFile(path), path.string()); }

Document withRecipe(const Document& document, const RecipeFile& recipe, const std::string& surface,
                    std::string* newId) {
    const Category on = document.get(surface).category();
    if (on != Category::Object && on != Category::Layer)
        throw Error("is no surface", document.get(surface).name, "Choose an object or a layer");
    Document out = document;
    Node layer = settle(out, recipe);
    layer.name = recipe.name;
    layer.id = out.freeId(layer.name);
    layer.params[kLayer.surface.id()].value = surface;
    if (newId) *newId = layer.id;
    out.insert(out.nodes().size(), std::move(layer));
    return out;
}

Document withRecipeOf(const Document& document, const RecipeFile& recipe, const std::string& id) {
    Document out = withUnlinked(document, id);
    Node layer = settle(out, recipe);
    Node now = out.get(id);
    now.steps = layer.steps;
    for (const auto& [param, value] : layer.params)
        if (param != kLayer.surface.id() && param != kLayer.linked.id()) now.params[param] = value;
    out.put(std::move(now));
    return out;
}

namespace {

void listFolder(const fs::path& folder, bool own, const fs::path& pictures, std::vector<LibraryEntry>& out) {
    std::error_code none;
    const size_t first = out.size();
    for (const auto& item : fs::directory_iterator(folder, none)) {
        if (endingOf(item.path()) != ".recipe") continue;
        LibraryEntry entry;
        entry.file = item.path();
        entry.own = own;
        entry.name = item.path().stem().string();
        // By contents, so that a recipe which changed gets another picture.
        const uint64_t stamp =
            Hasher().add(fileStamp(item.path())).add(std::string_view(item.path().native())).value();
        entry.picture = pictures / fmt::format("{:016x}.png", stamp);
        try {
            const RecipeFile recipe = loadRecipe(item.path());
            entry.name = recipe.name;
            entry.about = recipe.about;
        } catch (const Error& e) {
            entry.error = e.what();
        }
        out.push_back(std::move(entry));
    }
    std::sort(out.begin() + ptrdiff_t(first), out.end(), [](const LibraryEntry& a, const LibraryEntry& b) {
        return std::tie(a.name, a.file) < std::tie(b.name, b.file);
    });
}

}  // namespace

std::vector<LibraryEntry> libraryOf(const fs::path& builtIn, const fs::path& own, const fs::path& pictures) {
    std::vector<LibraryEntry> out;
    listFolder(builtIn, false, pictures, out);
    listFolder(own, true, pictures, out);
    return out;
}

fs::path freeRecipePath(const fs::path& folder, const std::string& name) {
    std::string stem;
    for (const char c : name) {
        if (std::isalnum(uint8_t(c)))
            stem += char(std::tolower(uint8_t(c)));
        else if (!stem.empty() && stem.back() != '_')
            stem += '_';
    }
    while (!stem.empty() && stem.back() == '_') stem.pop_back();
    if (stem.empty()) stem = "recipe";
    fs::path path = folder / (stem + ".recipe");
    for (int i = 2; fs::exists(path); ++i) path = folder / fmt::format("{}_{}.recipe", stem, i);
    return path;
}

}  // namespace ovrix::document
